"""Looking a record up on a line: built by picking, rehearsed with real records, mended when a field goes."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from support import FIELDS, FILLS, document, until


@pytest.fixture
def built(page: Page, orla):
    """Two messages, one from a parish that is known; the workflow is open in the window."""
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS, {"name": "Parish", "type": "text"})
    parishes = orla.database("Parishes", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    name, address = (str(f["id"]) for f in parishes["fields"][:2])

    def know(title):
        values = {name: title, address: "ada.pell@stbride.example"}
        orla.api("POST", f"/databases/{parishes['id']}/records", json={"values": values})

    know("St Bride")
    orla.deliver("Quote for a tremulant")
    orla.deliver("Quote for reeds", sender="x@nowhere.example")
    body = document(connection, orla.folders["Enquiries"], database, FILLS, ())
    workflow = orla.workflow("From the post", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{workflow}")
    expect(page.get_by_text("4 fields fit")).to_have_count(2)
    return page, orla, parishes, workflow, know


def add_find(page: Page) -> None:
    grid = page.get_by_role("grid", name="Rehearsal: lines down, samples across")
    grid.get_by_text("a message arrives").click()
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Find")).click()
    page.get_by_label("Database to search").click()
    page.get_by_role("option", name="Parishes").click()
    expect(grid.get_by_text("1 found")).to_be_visible()
    expect(grid.get_by_text("none found")).to_be_visible()


def test_a_record_is_looked_up_and_fills_a_field(built):
    page, orla, _, workflow, know = built
    add_find(page)
    page.get_by_role("columnheader", name=re.compile("tremulant")).click()
    expect(page.get_by_text("1 found: St Bride")).to_be_visible()
    expect(page.get_by_text(re.compile("read .*(now|ago)"))).to_be_visible()

    # What was read is kept, and its age is said; it is read again on wish.
    know("St Bride, tower")
    page.get_by_role("button", name="Refresh").click()
    expect(page.get_by_text("2 found; the newest: St Bride, tower")).to_be_visible()
    page.get_by_label("If several match").click()
    page.get_by_role("option", name="stop with a problem").click()
    expect(page.get_by_text("2 match, one allowed").first).to_be_visible()
    page.get_by_label("If several match").click()
    page.get_by_role("option", name="use the oldest").click()
    expect(page.get_by_text("2 found; the oldest: St Bride")).to_be_visible()
    page.get_by_label("If none match").click()
    page.get_by_role("option", name="skip the item").click()
    expect(page.get_by_role("gridcell", name=re.compile("skipped"))).to_be_visible()

    # What was found fills a field, found by its content.
    page.get_by_role("grid").get_by_text("a record to Enquiries").click()
    page.get_by_label("Parish is filled with", exact=True).press_sequentially("St Br")
    page.get_by_role("option", name=re.compile("Found in Parishes › Name")).click()
    expect(page.get_by_role("row").filter(has=page.get_by_label("Parish is filled with", exact=True))).to_contain_text(
        "St Bride"
    )
    until(lambda: "f_" in str(orla.api("GET", f"/workflows/{workflow}")["document"]["lines"][-1]))

    # For real.
    page.get_by_role("button", name=re.compile("^Try ")).click()
    page.get_by_role("button", name="Run try").click()
    expect(page.get_by_role("link", name="Open in Enquiries")).to_be_visible()
    page.get_by_role("button", name="Close").click()
    page.get_by_role("link", name="Runs", exact=True).last.click()
    expect(page.get_by_role("gridcell", name=re.compile("2 found: St Bride"))).to_be_visible()


def test_a_field_that_is_renamed_or_deleted_is_said_where_it_is_looked_at(built):
    page, orla, parishes, workflow, _ = built
    add_find(page)
    until(lambda: orla.api("GET", f"/workflows/{workflow}")["document"]["lines"][1]["sought"][0]["named"] == "Address")
    where = f"/databases/{parishes['id']}/fields/{parishes['fields'][1]['id']}"
    orla.api("PATCH", where, json={"name": "E-mail"})
    page.reload()
    page.get_by_role("grid").get_by_text("a record in Parishes").click()
    expect(page.get_by_text("renamed, was “Address”")).to_be_visible()
    expect(page.get_by_text("1 found").first).to_be_visible()
    orla.api("DELETE", where)
    page.reload()
    page.get_by_role("grid").get_by_text("a record in Parishes").click()
    expect(page.get_by_text("Parishes no longer has the field “Address”").first).to_be_visible()
    page.get_by_role("button", name="Compare Name").click()
    expect(page.get_by_text("no longer has the field")).to_have_count(0)
