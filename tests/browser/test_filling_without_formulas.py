"""What one does without knowing a formula: a text for what is empty, the time of a date, a value picked in a condition; and what is
kept when something goes wrong: a removed line, a refused choice, a field that records lack."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from support import FIELDS, FILLS, document, until


@pytest.fixture
def built(page: Page, orla):
    """A workflow with a message whose sender has no name, open in the window."""
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS, {"name": "From", "type": "text"}, {"name": "Clock", "type": "text"})
    orla.deliver("Quote for a tremulant", sender="ada.pell@stbride.example")
    body = document(connection, orla.folders["Enquiries"], database, FILLS | {"From": "sender.name"})
    flow = orla.workflow("From the post", body)
    orla.api("POST", f"/workflows/{flow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_role("table", name="Fields of Enquiries")).to_be_visible()
    return page, orla, database, flow


def row(page: Page, field: str):
    return page.get_by_role("row").filter(has=page.get_by_label(f"{field} is filled with", exact=True))


def test_a_text_stands_in_for_what_is_empty(built):
    page, *_ = built
    page.get_by_label("If From is empty", exact=True).click()
    page.get_by_role("option", name="use this text").click()
    page.get_by_label("Text if From is empty").fill("a friend")
    page.keyboard.press("Enter")
    expect(row(page, "From")).to_contain_text("Name, if empty “a friend”")
    expect(row(page, "From").get_by_text("a friend", exact=True)).to_be_visible()
    page.get_by_label("If From is empty", exact=True).click()
    page.get_by_role("option", name="leave empty").click()
    expect(row(page, "From").get_by_text("a friend")).to_have_count(0)


def test_the_time_of_a_date_is_picked_and_a_filled_box_becomes_a_formula(built):
    page, *_ = built
    page.get_by_label("Clock is filled with").click()  # the list opens on a click too
    page.get_by_role("option", name=re.compile("^Date › time")).click()
    expect(row(page, "Clock").get_by_text(re.compile(r"^\d\d:\d\d$"))).to_be_visible()
    expect(row(page, "Clock")).to_contain_text("Date › time")
    row(page, "Name").hover()
    page.get_by_role("button", name="Formula for Name", exact=True).click()
    expect(page.get_by_label("Formula for Name, text")).to_have_text("Subject")


def test_a_removed_line_comes_back_from_the_message(built):
    page, orla, _, flow = built
    expect(page.get_by_role("grid").get_by_text("a record to Enquiries")).to_be_visible()
    page.get_by_role("button", name="Remove line").click()
    until(lambda: len(orla.api("GET", f"/workflows/{flow}")["document"]["lines"]) == 1)
    page.get_by_role("button", name="Undo").click()
    until(lambda: len(orla.api("GET", f"/workflows/{flow}")["document"]["lines"]) == 2)


def test_choices_are_entered_one_by_one_and_none_twice(page: Page, orla):
    made = orla.database("Tasks", {"name": "Name", "type": "text"}, {"name": "Who", "type": "choice", "choices": ["Ivo"]})
    name = str(made["fields"][0]["id"])
    for title in ("one", "two"):
        orla.api("POST", f"/databases/{made['id']}/records", 201, json={"values": {name: title}})
    page.goto(f"/databases/{made['id']}")
    page.get_by_role("button", name="Fields").click()
    box = page.get_by_label("Add choice to Who")
    box.fill("ivo")
    box.press("Enter")
    expect(page.get_by_text("“ivo” is already there.")).to_be_visible()
    expect(box).to_have_value("ivo")
    box.fill("Maren")
    box.press("Enter")
    expect(page.get_by_role("button", name="Remove choice Maren")).to_be_visible()

    # What is required says first how many records lack it; fields change places; the database is renamed.
    page.get_by_label("Who is required").click()
    expect(page.get_by_text("2 records have no value.")).to_be_visible()
    page.get_by_role("button", name="Require anyway").click()
    expect(page.get_by_label("Who is required")).to_be_checked()
    page.get_by_label("New field", exact=True).fill("Due")
    page.get_by_role("button", name="Add field").click()
    page.get_by_role("button", name="Move Due up").click()
    until(lambda: [f["name"] for f in orla.api("GET", f"/databases/{made['id']}")["fields"]][:3] == ["Name", "Due", "Who"])
    page.get_by_label("Database name").fill("Workshop tasks")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Fields of Workshop tasks")).to_be_visible()


def test_a_condition_offers_what_a_choice_can_be(page: Page, orla):
    tasks = orla.database(
        "Tasks", {"name": "Name", "type": "text"}, {"name": "Stage", "type": "choice", "choices": ["New", "Done"]}
    )
    name, stage = (str(f["id"]) for f in tasks["fields"][:2])
    orla.api("POST", f"/databases/{tasks['id']}/records", 201, json={"values": {name: "Reeds", stage: "Done"}})
    own = {"kind": "record", "database": tasks["id"], "event": "added"}
    flow = orla.api("POST", "/workflows", 201, json={"name": "Added", "own": own})["id"]
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_role("columnheader").filter(has_text="Reeds")).to_be_visible()
    page.get_by_text("a record is added to Tasks").first.click()
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Only if:")).click()
    page.get_by_label("Sample as it looks").get_by_role("button", name="Done").click()
    page.get_by_label("Compared with").click()
    expect(page.get_by_role("option")).to_have_text(["New", "Done"])
    page.get_by_role("option", name="Done").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("grid").get_by_text("continues")).to_be_visible()


def test_a_workflow_is_duplicated(page: Page, orla):
    orla.workflow("From the post", document(orla.connect("Enquiries"), None, orla.database("Notes", *FIELDS), FILLS))
    page.goto("/workflows")
    page.get_by_role("button", name="Duplicate From the post").click()
    expect(page.get_by_label("Workflow name")).to_have_value("From the post, copy")
