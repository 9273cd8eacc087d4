"""From nothing: a record becomes a row of a sheet that has no header yet; a row becomes a record, and stays one while its sheet is
sorted and rows are inserted."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from support import Person, until


def new_workflow(page: Page, name: str, starts: str) -> None:
    page.goto("/workflows")
    page.get_by_role("button", name="New workflow").first.click()
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_label("Starts when").click()
    page.get_by_role("option", name=starts, exact=True).click()
    page.get_by_role("button", name="Create", exact=True).click()


def by_hand(orla: Person, sheet: int, what: str, **told: str) -> None:
    with orla.practice_page() as practice:
        assert practice.post(f"/sheets/sheets/{sheet}/{what}", data=told).status_code == 303


def test_a_record_becomes_a_row_of_a_sheet_that_has_no_header_yet(page: Page, orla: Person):
    sheet = orla.container("sheets", "Ledger")
    orla.connect("Ledger", app="sheets", send=True)
    parts = orla.database("Parts", {"name": "Name", "type": "text"}, {"name": "Left", "type": "number"})
    name, left = (f["id"] for f in parts["fields"][:2])
    orla.api("POST", f"/databases/{parts['id']}/records", json={"values": {name: "Reed", left: "12"}})
    new_workflow(page, "Into the ledger", "a record is added")
    page.get_by_label("Database to watch").click()
    page.get_by_role("option", name="Parts").click()
    expect(page.get_by_role("columnheader").filter(has_text="Reed")).to_be_visible()
    page.get_by_role("grid").get_by_text("a record to").click()
    page.get_by_label("Database to add to").click()
    page.get_by_role("option", name="Choose a place in an app").click()
    page.get_by_placeholder("Choose a sheet").fill("Ledger")
    page.get_by_role("option", name="Ledger").click()
    page.get_by_role("button", name="Choose", exact=True).click()
    expect(page.get_by_role("grid").get_by_text("a row to Sheets › Ledger")).to_be_visible()
    page.get_by_role("button", name="As a list").click()
    for field in ("Name", "Left"):
        page.get_by_title(f"Create field from {field}", exact=True).click()
        expect(page.get_by_label(f"{field} is filled with", exact=True)).to_be_attached()
    assert orla.kelvix.practice.settings(sheet)["rows"] == [["Name", "Left"]]
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    orla.api("POST", f"/databases/{parts['id']}/records", json={"values": {name: "Tracker wire", left: "40"}})
    until(lambda: orla.kelvix.practice.settings(sheet)["rows"] == [["Name", "Left"], ["Tracker wire", 40]])


def test_a_row_becomes_a_record_and_stays_it_while_the_sheet_is_sorted(page: Page, orla: Person):
    sheet = orla.container("sheets", "Ledger")
    by_hand(orla, sheet, "rows", rows="Parts of the works\nNo;Part;Left\n7;Reed;12\n8;Wire;40")
    orla.connect("Ledger", app="sheets", send=True)
    new_workflow(page, "Out of the ledger", "Sheets: a row is added or changed")
    page.get_by_placeholder("Choose a sheet").fill("Ledger")
    page.get_by_role("option", name="Ledger").click()
    expect(page.get_by_role("columnheader").filter(has_text=re.compile("8$"))).to_be_visible()

    # The header is the second row; rows are told apart by their numbers.
    page.get_by_role("button", name="Header and rows").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("Detected: row 2")).to_be_visible()
    dialog.get_by_label("Recognise rows by").click()
    page.get_by_role("option", name="the column No", exact=True).click()
    expect(dialog.get_by_text("the column No")).to_be_visible()
    dialog.get_by_role("button", name="Done").click()

    # A database is made of what the rows have, and each row is one record.
    page.get_by_role("grid").get_by_text("a record to").click()
    page.get_by_role("button", name="Create database from the sample").click()
    dialog.get_by_label("Database name").fill("Stock")
    dialog.get_by_role("button", name="Create", exact=True).click()
    expect(page.get_by_role("grid").get_by_text("a record to Stock")).to_be_visible()
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    stock = next(d for d in orla.api("GET", "/databases") if d["name"] == "Stock")
    part = next(f["id"] for f in stock["fields"] if f["name"] == "Part")
    by_hand(orla, sheet, "rows", rows="9;Felt;2")
    by_hand(orla, sheet, "sort", column="C", first="3")
    by_hand(orla, sheet, "insert", row="3")
    page.get_by_role("button", name="Check now").click()
    until(lambda: [r["values"][part] for r in orla.records(stock["id"])] == ["Felt"])
    flow = int(re.search(r"/workflows/(\d+)", page.url)[1])
    by_hand(orla, sheet, "sort", column="B", first="3")
    page.get_by_role("button", name="Check now").click()
    until(lambda: [run["state"] for run in orla.runs(flow)] == ["done"])
