"""The real interface in headless Chromium. A failing test leaves a picture in tests/browser/failures."""

from __future__ import annotations

import pathlib
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from kelvix.commands.shots import CHROMIUM
from kelvix.store import people
from support import Person

FAILURES = pathlib.Path(__file__).parent / "failures"
expect.set_options(timeout=20_000)  # patience only: a machine that runs browsers beside servers is slow at times


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        yield browser
        browser.close()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item):
    report = yield
    if report.when == "call" and report.failed:
        for name, page in item.funcargs.items():
            if isinstance(page, Page) and not page.is_closed():
                FAILURES.mkdir(exist_ok=True)
                page.screenshot(path=str(FAILURES / f"{item.name}-{name}.png"))
    return report


def sign_in(page: Page, person: Person) -> Page:
    code = people.new_sign_in_link(person.kelvix.engine.directory.home, person.owner.id)
    page.goto(f"{person.kelvix.address}/sign-in/{code}")
    return page


@pytest.fixture
def page(chromium: Browser, orla: Person) -> Iterator[Page]:
    """A window of 1280 by 800, signed in as Orla. What the page itself complains of fails the test."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=orla.kelvix.address)
    opened = context.new_page()
    errors: list[str] = []
    opened.on("pageerror", lambda error: errors.append(str(error)))
    opened.on("console", lambda m: errors.append(m.text) if m.type == "error" and "Failed to load" not in m.text else None)
    yield sign_in(opened, orla)
    context.close()
    assert errors == []
