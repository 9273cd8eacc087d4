"""Lines that change records: built by picking, rehearsed beside what is there, tried, taken back."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from support import document, until


@pytest.fixture
def built(page: Page, orla):
    """A message from a parish that is known, and a line that finds it; the workflow is open in the window."""
    connection = orla.connect("Enquiries")
    stages = {"name": "Stage", "type": "choice", "choices": ["New", "Closed"]}
    parishes = orla.database("Parishes", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"}, stages)
    name, address, stage = (f["id"] for f in parishes["fields"][:3])
    values = {str(name): "St Bride", str(address): "ada.pell@stbride.example", str(stage): "New"}
    orla.api("POST", f"/databases/{parishes['id']}/records", json={"values": values})
    orla.deliver("Closed, thank you")
    when = document(connection, orla.folders["Enquiries"], parishes, {})["lines"][0]
    sender = {"ref": {"line": "w", "value": "sender.address"}}
    find = {"verb": "find", "id": "f", "database": parishes["id"], "sought": [{"field": address, "filling": [sender]}]}
    body = {"lines": [when, find]}
    workflow = orla.workflow("Closing", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{workflow}")
    expect(page.get_by_role("grid").get_by_text("1 found")).to_be_visible()

    def rows():
        found = sorted(orla.records(parishes["id"]), key=lambda r: r["id"])
        return [(r["values"][str(name)], r["values"][str(stage)]) for r in found]

    return page, rows


def add_line(page: Page, verb: str) -> None:
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile(f"^{verb}:")).click()


def carry(page: Page) -> None:
    page.get_by_role("button", name=re.compile("^Try ")).click()
    page.get_by_role("button", name="Run try").click()


def row(page: Page, field: str):
    return page.get_by_role("row").filter(has=page.get_by_label(f"{field} is filled with", exact=True))


def test_a_record_that_was_found_is_updated_and_given_back(built):
    page, rows = built
    add_line(page, "Update")
    expect(page.get_by_text("Choose a record to update.")).to_be_visible()
    page.get_by_label("Which record").click()
    page.get_by_role("option", name="the record found in line 2, Parishes").click()
    page.get_by_label("Stage is filled with", exact=True).press_sequentially("Clo")
    page.get_by_role("option", name="Closed a choice of this field").click()
    expect(row(page, "Stage")).to_contain_text("was New")
    expect(page.get_by_role("gridcell", name=re.compile("1 field changes"))).to_be_visible()
    page.get_by_label("Address is filled with", exact=True).focus()
    page.get_by_label("The message As it looks").get_by_role("button", name="ada.pell@stbride.example").click()
    expect(row(page, "Address")).to_contain_text("unchanged")
    page.get_by_label("If Address is empty").click()
    page.get_by_role("option", name="clear the value").click()
    expect(page.get_by_label("If Address is empty")).to_contain_text("clear the value")
    carry(page)
    expect(page.get_by_text("updated St Bride")).to_be_visible()
    assert rows() == [("St Bride", "2")]
    page.get_by_role("button", name="Undo this try").click()
    expect(page.get_by_text("1 change undone.")).to_be_visible()
    assert rows() == [("St Bride", "1")]


def test_a_record_that_was_found_goes_to_the_trash(built):
    page, rows = built
    add_line(page, "Delete")
    page.get_by_label("Which record").click()
    page.get_by_role("option", name="the record found in line 2, Parishes").click()
    expect(page.get_by_role("gridcell", name=re.compile("to the trash St Bride"))).to_be_visible()
    carry(page)
    expect(page.get_by_text("deleted St Bride")).to_be_visible()
    assert rows() == []
    page.get_by_role("button", name="Undo this try").click()
    expect(page.get_by_text("1 change undone.")).to_be_visible()
    assert rows() == [("St Bride", "1")]


def test_one_record_is_kept_for_each_thing(built):
    page, rows = built
    add_line(page, "Add or update")
    page.get_by_label("Database to add to").click()
    page.get_by_role("option", name="Parishes").click()
    expect(page.get_by_text("Choose a field to match records by.")).to_be_visible()
    page.get_by_label("Address is filled with", exact=True).focus()
    page.get_by_label("The message As it looks").get_by_role("button", name="ada.pell@stbride.example").click()
    page.get_by_label("Name is filled with", exact=True).focus()
    page.get_by_label("The message As it looks").get_by_role("button", name="Ada Pell", exact=True).click()
    page.get_by_label("Match existing records by").click()
    page.get_by_role("option", name="Address").click()
    page.keyboard.press("Escape")
    expect(row(page, "Name")).to_contain_text("was St Bride")
    expect(page.get_by_role("gridcell", name=re.compile("1 field changes St Bride"))).to_be_visible()
    carry(page)
    expect(page.get_by_text("updated Ada Pell")).to_be_visible()
    assert rows() == [("Ada Pell", "1")]
    page.get_by_role("link", name="Open run").click()
    expect(page.get_by_text("Updated Ada Pell in Parishes.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    until(lambda: rows() == [("St Bride", "1")])
