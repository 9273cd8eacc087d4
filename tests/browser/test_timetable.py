"""The timetable by keyboard, in two windows, and when things are not as they should be."""

from __future__ import annotations

import re
import time

import pytest
from playwright.sync_api import Page, Route, expect

from browser.conftest import continue_as
from support import FIELDS, FILLS, document, until


@pytest.fixture
def built(page: Page, orla):
    """A workflow with three samples, open in the window."""
    connection = orla.connect("Enquiries", "Empty")
    database = orla.database("Enquiries", *FIELDS)
    for n in range(3):
        orla.deliver(f"Quote {n}")
    body = document(connection, orla.folders["Enquiries"], database, FILLS, ("quote",))
    workflow = orla.workflow("From the post", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{workflow}")
    expect(page.get_by_text("4 fields fit")).to_have_count(3)
    return page, orla, database, workflow


def draft(orla, workflow):
    return orla.api("GET", f"/workflows/{workflow}")["document"]["lines"]


def test_by_keyboard_alone(built):
    page, orla, _, workflow = built
    page.get_by_role("gridcell", name=re.compile("4 fields fit")).first.focus()
    page.keyboard.press("ArrowUp")
    expect(page.get_by_text("Line 2 · Only if")).to_be_visible()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("columnheader", name=re.compile("Quote 1"))).to_have_attribute("aria-current", "true")
    page.keyboard.press("Insert")
    expect(page.get_by_role("menuitem", name=re.compile("^Add:"))).to_be_visible()
    page.keyboard.type("add")
    page.keyboard.press("Enter")
    until(lambda: len(draft(orla, workflow)) == 4)
    expect(page.get_by_text("Line 3 · Add a record to …")).to_be_visible()
    page.get_by_role("gridcell", name="choose a database to add to").first.focus()
    page.keyboard.press("Alt+ArrowDown")
    until(lambda: [ln["id"] for ln in draft(orla, workflow)].index("a") == 2)
    page.keyboard.press("Delete")
    until(lambda: len(draft(orla, workflow)) == 3)
    page.get_by_role("gridcell", name=re.compile("4 fields fit")).first.focus()
    page.keyboard.press("Control+z")
    until(lambda: len(draft(orla, workflow)) == 4)
    page.keyboard.press("Control+Shift+z")
    until(lambda: len(draft(orla, workflow)) == 3)
    page.keyboard.press("Enter")
    assert page.evaluate("document.activeElement.closest('.pane') !== null")


def test_filling_by_keyboard(built):
    page, orla, database, workflow = built
    name = page.get_by_label("Name is filled with, text")
    name.press("End")
    name.press_sequentially(" / sen")
    expect(page.get_by_role("listbox", name="Carried values")).to_be_visible()
    name.press("ArrowDown")
    name.press("Enter")
    expect(page.get_by_role("cell", name="Quote 2 / ada.pell@stbride.example")).to_be_visible()
    parts = until(
        lambda: [
            f["filling"]
            for f in draft(orla, workflow)[-1]["fillings"]
            if f["field"] == database["fields"][0]["id"] and len(f["filling"]) == 3
        ]
    )[0]
    assert [p.get("text") or p["ref"]["value"] for p in parts] == ["subject", " / ", "sender.address"]
    page.reload()
    expect(page.get_by_role("cell", name="Quote 2 / ada.pell@stbride.example")).to_be_visible()


@pytest.mark.intercepts
def test_a_workflow_saved_from_two_windows_loses_nothing(built):
    page, orla, _, workflow = built
    other = page.context.new_page()
    other.route("**/api/v1/live", lambda route: route.abort())
    other.goto(f"/workflows/{workflow}")
    theirs = other.get_by_label("Workflow name")
    expect(theirs).to_have_value("From the post")
    # The other window does not hear of this save in time, as when a laptop wakes up.
    kept = orla.api("GET", f"/workflows/{workflow}")
    other.route(
        f"**/api/v1/workflows/{workflow}",
        lambda route: route.fulfill(json=kept) if route.request.method == "GET" else route.continue_(),
    )
    page.get_by_label("Workflow name").fill("Mine")
    until(lambda: orla.api("GET", f"/workflows/{workflow}")["name"] == "Mine")
    theirs.fill("Theirs")
    expect(other.get_by_role("alert")).to_contain_text("was edited elsewhere")
    assert orla.api("GET", f"/workflows/{workflow}")["name"] == "Mine"
    expect(theirs).to_have_value("Theirs")
    other.unroute_all()
    other.get_by_role("button", name="Keep mine").click()
    until(lambda: orla.api("GET", f"/workflows/{workflow}")["name"] == "Theirs")


@pytest.mark.intercepts
@pytest.mark.parametrize("reached", [False, True], ids=["not sent", "answer lost"])
def test_a_draft_that_cannot_be_saved_stays_and_is_saved_later(built, reached):
    """What was kept although its answer was lost is not taken for somebody else's, whatever was typed since."""
    page, orla, _, workflow = built

    def lose(route: Route) -> None:
        if route.request.method != "PUT":
            return route.continue_()
        if reached:
            route.fetch()
        route.abort()

    page.route(f"**/api/v1/workflows/{workflow}", lose)
    page.get_by_label("Workflow name").fill("Offline for a while")
    expect(page.get_by_role("alert")).to_contain_text("are kept here")
    page.get_by_label("Workflow name").fill("Typed meanwhile")
    page.unroute_all()
    until(lambda: orla.api("GET", f"/workflows/{workflow}")["name"] == "Typed meanwhile")
    expect(page.get_by_role("alert")).not_to_be_visible()


def test_waiting_for_the_next_message(built):
    page, orla, _, _ = built
    page.get_by_role("button", name="Wait for the next one").click()
    expect(page.get_by_text("Waiting for the next message. Create one now in Mail.")).to_be_visible()
    page.wait_for_timeout(1200)
    orla.deliver("Quote, made while waiting")
    expect(page.get_by_role("columnheader", name=re.compile("made while waiting"))).to_be_visible()
    expect(page.get_by_role("button", name="Wait for the next one")).to_be_visible()


def test_a_sample_edited_and_one_made_up(built):
    page, _, _, _ = built
    page.get_by_role("button", name="Edit sample", exact=True).click()
    page.get_by_role("textbox", name="Subject").fill("Nothing of interest")
    page.get_by_role("textbox", name="Date").fill("01/02/2026")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("two different dates")).to_be_visible()
    page.get_by_role("textbox", name="Date").fill("1 Feb 2026, 10:00")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("gridcell", name="skipped")).to_have_count(1)
    page.get_by_role("button", name="create sample").click()
    page.get_by_role("textbox", name="Subject").fill("A quote that nobody sent")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("columnheader", name=re.compile("A quote that nobody sent"))).to_be_visible()


def test_a_field_made_of_a_carried_value(built):
    page, orla, database, _ = built
    page.get_by_role("button", name="As a list").click()
    page.get_by_label("Search carried values").fill("attach")
    page.get_by_title("Create field from Attachments › Number").click()
    expect(page.get_by_text("5 fields fit")).to_have_count(3)
    made = orla.api("GET", f"/databases/{database['id']}")["fields"]
    assert ("Attachments Number", "number") in [(f["name"], f["type"]) for f in made]


def test_what_was_deleted_downstream_is_said_before_the_next_run(built):
    page, orla, database, _ = built
    orla.api("DELETE", f"/databases/{database['id']}/fields/{database['fields'][1]['id']}")
    expect(page.get_by_text("no longer has the field", exact=False).first).to_be_visible()
    page.get_by_role("button", name="remove it").first.click()
    expect(page.get_by_text("3 fields fit")).to_have_count(3)
    orla.api("DELETE", f"/databases/{database['id']}")
    expect(page.get_by_text("This line’s database was deleted.", exact=False).first).to_be_visible()


def test_a_folder_that_is_not_shared_says_how_to_widen(built):
    page, orla, _, _ = built
    page.get_by_text("a message arrives").click()
    folder = page.get_by_placeholder("Choose a folder, or paste its link")
    folder.fill(f"{orla.kelvix.settings.practice_address}/mail/folders/{orla.folders['Suppliers']}")
    folder.press("Enter")
    expect(page.get_by_text("This folder is not shared with", exact=False)).to_be_visible()
    expect(page.get_by_text("Not shared: Suppliers.")).to_be_visible()
    page.get_by_role("button", name="Change access").click()
    continue_as(page, orla)
    expect(page.get_by_role("heading", name="Kelvix asks for access to your Mail")).to_be_visible()


def test_turning_on_what_is_not_ready_says_what_is_missing(page: Page, orla):
    made = orla.api("POST", "/workflows", json={"name": "Half built"})
    page.goto(f"/workflows/{made['id']}")
    page.get_by_role("button", name="Turn on", exact=True).click()
    expect(page.get_by_text("This workflow can’t be turned on yet.", exact=False)).to_be_visible()
    expect(page.get_by_text("choose a connection and a folder", exact=False).first).to_be_visible()


def test_a_run_arrives_live_in_the_grid_and_can_be_undone(built):
    page, orla, database, workflow = built
    orla.api("POST", f"/workflows/{workflow}/on")
    page.get_by_role("link", name="Runs").last.click()
    expect(page.get_by_text("No runs yet")).to_be_visible()
    orla.deliver("Quote, live")
    expect(page.get_by_role("columnheader", name=re.compile("Quote, live"))).to_be_visible()
    page.get_by_role("link", name="Open run").click()
    expect(page.get_by_role("cell", name="Message › Sender › Address")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("1 record moved to the trash.")).to_be_visible()
    assert orla.records(database["id"]) == []
    page.go_back()
    expect(page.get_by_role("columnheader", name=re.compile("Quote, live"))).to_be_visible()


def test_a_failed_run_is_found_put_right_and_run_again(built):
    page, orla, database, workflow = built
    orla.api("POST", f"/workflows/{workflow}/on")
    gone = orla.api("DELETE", f"/databases/{database['id']}?anyway=true")
    orla.deliver("Quote, too early")
    page.goto("/runs?state=failed")
    page.get_by_role("link", name="Quote, too early").click()
    expect(page.get_by_text("its database was deleted").first).to_be_visible()
    orla.api("POST", "/trash/restore", json=gone)
    page.get_by_role("button", name="Run again from the failed line").click()
    expect(page.get_by_text("done").first).to_be_visible()
    assert len(orla.records(database["id"])) == 1


def test_a_link_leads_to_the_cell_and_a_reload_keeps_it(built):
    page, _, _, workflow = built
    page.get_by_role("gridcell", name="continues").last.click()
    expect(page.get_by_text("Line 2 · Only if")).to_be_visible()
    page.reload()
    expect(page.get_by_text("Line 2 · Only if")).to_be_visible()
    expect(page.get_by_role("columnheader", name=re.compile("Quote 0"))).to_have_attribute("aria-current", "true")
    assert f"/workflows/{workflow}?line=o&column=" in page.url


def test_an_edit_is_called_saved_when_it_is_and_a_reload_before_that_loses_nothing(built):
    page, orla, _, workflow = built
    page.clock.install()
    page.reload()
    cell = page.get_by_role("gridcell", name=re.compile("4 fields fit")).first
    cell.focus()
    expect(page.get_by_text(re.compile(r"Draft \d+, saved"))).to_be_visible()
    page.clock.pause_at(time.time() + 3600)  # the moment after which a draft is saved does not pass
    page.keyboard.press("Delete")
    expect(page.get_by_text(re.compile(r"Draft \d+, saving …"))).to_be_visible()
    assert len(draft(orla, workflow)) == 3
    page.reload()
    until(lambda: len(draft(orla, workflow)) == 2)
