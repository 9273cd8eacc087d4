"""The real interface in headless Chromium. A failing test leaves a picture in tests/browser/failures."""

from __future__ import annotations

import os
import pathlib
from collections.abc import Iterator
from typing import Literal
from unittest.mock import patch

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from kelvix.commands.serve import Installation
from kelvix.commands.shots import CHROMIUM
from kelvix.store import people
from support import Kelvix, Person

PACKAGES = pathlib.Path(__file__).parents[1] / "packages"
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


@pytest.fixture(scope="session")
def packaged(tmp_path_factory) -> Iterator[Kelvix]:
    """A Kelvix beside which packages are installed that bring an app, a kind of line and a type of field, by their entry points
    only; not a line of Kelvix knows them."""
    books = tmp_path_factory.mktemp("workshop")
    (books / "Tuning.jsonl").write_text('{"what": "Swell, middle C", "hertz": "442", "at": "2026-11-20T10:00:00Z"}\n')
    imports = f"{Installation.imports}:{PACKAGES}"
    there = {"LOGBOOK_FOLDER": str(books), "LABEL_PRINTER": str(books / "labels")}
    with patch.object(Installation, "imports", imports), patch.dict(os.environ, there):
        running = Kelvix(tmp_path_factory.mktemp("packaged"))
        yield running
        running.stop()


@pytest.fixture
def packaged_page(chromium: Browser, packaged: Kelvix) -> Iterator[tuple[Page, Person]]:
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=packaged.address)
    orla = packaged.person("Orla")
    yield sign_in(context.new_page(), orla), orla
    context.close()


@pytest.fixture
def page(chromium: Browser, orla: Person, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A window of 1280 by 800, signed in as Orla. What the page itself complains of fails the test."""
    workers: Literal["allow", "block"] = "block" if request.node.get_closest_marker("intercepts") else "allow"
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, base_url=orla.kelvix.address, service_workers=workers
    )
    opened = context.new_page()
    errors: list[str] = []
    opened.on("pageerror", lambda error: errors.append(str(error)))
    opened.on("console", lambda m: errors.append(m.text) if m.type == "error" and "Failed to load" not in m.text else None)
    yield sign_in(opened, orla)
    context.close()
    assert errors == []


def continue_as(page: Page, person: Person) -> None:
    """Sign in to the practice apps as this person, by their address: while a long page still arrives, its last button is anybody's."""
    page.get_by_role("button", name=f"Continue as {person.owner.name}, {person.account_address}", exact=True).click()


def add_field(page: Page, name: str, type_: str, **more: str) -> None:
    page.get_by_label("New field", exact=True).fill(name)
    page.get_by_label("Type", exact=True).click()
    page.get_by_role("option", name=type_, exact=True).click()
    if "database" in more:
        page.get_by_label("Database", exact=True).click()
        page.get_by_role("option", name=more["database"], exact=True).click()
        page.get_by_label("Field name there").fill(more["back"])
    page.get_by_role("button", name="Add field").click()
    expect(page.get_by_label(f"Name of {name}", exact=True)).to_be_visible()
