"""A phone: the bar at the foot, a record on a page of its own, one sample at a time, a question answered, a line captured; and the
application that is installed."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from conftest import sign_in
from support import FIELDS, FILLS, Person, document


@pytest.fixture
def phone(chromium: Browser, orla: Person) -> Iterator[Page]:
    context = chromium.new_context(viewport={"width": 390, "height": 844}, base_url=orla.kelvix.address, has_touch=True)
    yield sign_in(context.new_page(), orla)
    context.close()


def swipe(page: Page, across: int) -> None:
    page.evaluate(
        """across => {
          const on = document.querySelector('.oneup'), at = x => [new Touch({ identifier: 1, target: on, clientX: x, clientY: 300 })];
          on.dispatchEvent(new TouchEvent('touchstart', { bubbles: true, touches: at(200), changedTouches: at(200) }));
          on.dispatchEvent(new TouchEvent('touchend', { bubbles: true, touches: [], changedTouches: at(200 + across) }));
        }""",
        across,
    )


def test_a_day_on_the_phone(phone: Page, orla: Person):
    connection, database = orla.connect("Enquiries"), orla.database("Enquiries", *FIELDS)
    for subject in ("Quote, old", "Newsletter", "Quote, new"):
        orla.deliver(subject)
    body = document(connection, orla.folders["Enquiries"], database, FILLS, ("quote",))
    flow = orla.workflow("From the post", body)
    bar = phone.get_by_role("navigation", name="Screens")

    # A line is captured.
    bar.get_by_role("link", name="Capture").tap()
    phone.get_by_label("Text to save").fill("Ring the verger")
    phone.get_by_role("button", name="Save").tap()
    expect(phone.get_by_text("Added.")).to_be_visible()

    # It is read and edited, on a page of its own.
    bar.get_by_role("link", name="Databases").tap()
    phone.get_by_role("link", name="Enquiries").tap()
    phone.get_by_role("gridcell", name="Ring the verger").tap()
    expect(phone).to_have_url(re.compile("/page$"))
    phone.get_by_role("button", name="Edit Name").tap()
    phone.get_by_label("Name", exact=True).fill("Ring the verger about the key")
    phone.keyboard.press("Enter")
    expect(phone.get_by_role("heading", name="Ring the verger about the key")).to_be_visible()
    phone.get_by_role("link", name="‹ Enquiries").tap()
    expect(phone.get_by_role("grid", name="Records of Enquiries")).to_be_visible()

    # A workflow, one sample at a time: its samples are fetched without being asked for.
    bar.get_by_role("button", name="More").tap()
    phone.get_by_role("menuitem", name="Workflows").tap()
    phone.get_by_role("link", name="From the post").tap()
    lines = phone.get_by_role("region", name="Rehearsal: lines down, samples across")
    expect(lines.get_by_text("Quote, new")).to_be_visible()
    expect(lines.get_by_text("continues")).to_be_visible()
    swipe(phone, -120)
    expect(lines.get_by_text("Newsletter")).to_be_visible()
    expect(lines.get_by_text("skipped")).to_be_visible()
    swipe(phone, 120)
    expect(lines.get_by_text("Quote, new")).to_be_visible()
    lines.get_by_role("button", name="Next").tap()
    expect(lines.get_by_text("2 of 3")).to_be_visible()

    # A run is watched as it arrives.
    phone.get_by_role("button", name="Turn on").tap()
    phone.get_by_role("link", name="Runs", exact=True).tap()
    orla.deliver("Quote, just now")
    runs = phone.get_by_role("region", name="Runs: lines down, runs across, the newest first")
    expect(runs.get_by_text("Quote, just now").first).to_be_visible()
    bar.get_by_role("link", name="Today").tap()
    expect(phone.get_by_role("link", name="Quote, just now")).to_be_visible()
    assert orla.api("GET", f"/workflows/{flow}")["state"] == "on"


def test_the_application_is_installed_and_opens_without_a_network(phone: Page, orla: Person):
    orla.database("Notes", {"name": "Name", "type": "text"})
    manifest = json.loads(phone.request.get("/manifest.webmanifest").text())
    assert manifest["start_url"] == "/today" and manifest["scope"] == "/" and manifest["display"] == "standalone"
    assert {icon["sizes"] for icon in manifest["icons"]} == {"any", "192x192", "512x512"}
    assert all(phone.request.get(icon["src"]).ok for icon in manifest["icons"])
    phone.evaluate("navigator.serviceWorker.ready.then(() => true)")
    phone.reload()
    expect(phone.get_by_role("navigation", name="Screens")).to_be_visible()
    phone.wait_for_load_state("networkidle")
    phone.context.set_offline(True)
    phone.reload()
    expect(phone.get_by_role("heading", name="Can’t reach Kelvix")).to_be_visible()
    phone.get_by_role("link", name="Quick input").tap()
    phone.get_by_label("Text to save").fill("Kept without a network")
    phone.get_by_role("button", name="Save").tap()
    expect(phone.get_by_label("Not sent yet")).to_contain_text("Kept without a network")
    phone.context.set_offline(False)
    expect(phone.get_by_label("Not sent yet")).to_have_count(0)


def test_the_skip_link_goes_past_the_navigation(page: Page, orla: Person):
    page.goto("/databases")
    expect(page.get_by_role("heading", name="Databases", exact=True)).to_be_visible()
    page.keyboard.press("Tab")
    expect(page.get_by_role("button", name="Skip to content")).to_be_focused()
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    expect(page.get_by_role("button", name="New database").first).to_be_focused()


def test_one_signs_out(page: Page, orla: Person):
    page.goto("/today")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="You are not signed in")).to_be_visible()
    page.goto("/databases")
    expect(page.get_by_role("heading", name="You are not signed in")).to_be_visible()
