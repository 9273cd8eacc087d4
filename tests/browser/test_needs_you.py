"""What a run asks, answered in its place."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from support import document, until


@pytest.fixture
def tasks(page: Page, orla):
    """A workflow that is open in the window, with a message as its sample, that adds a record; what the records are called."""
    connection = orla.connect("Enquiries")
    kept = orla.database("Tasks", {"name": "Name", "type": "text"}, {"name": "Note", "type": "text"})
    name = kept["fields"][0]["id"]
    orla.deliver("Loft visit")
    body = document(connection, orla.folders["Enquiries"], kept, {"Name": "subject"})
    workflow = orla.workflow("Asks first", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{workflow}?line=w")
    expect(page.get_by_role("grid").get_by_text("1 field fits")).to_be_visible()
    return page, orla, kept, workflow, lambda: sorted(r["values"][str(name)] for r in orla.records(kept["id"]))


def test_an_approval_is_built_asked_edited_and_given(tasks):
    page, orla, _, workflow, titles = tasks
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Ask:")).click()
    expect(page.get_by_text("Enter a question.")).to_be_visible()
    page.get_by_label("Question", exact=True).press_sequentially("Book it?")
    page.get_by_role("button", name="+ Add value to review").click()
    page.get_by_label("Name of the value").fill("Title")
    page.get_by_label("Title is filled with", exact=True).press_sequentially("Subject")
    page.get_by_role("option", name=re.compile("^Subject")).first.click()
    expect(page.get_by_role("grid").get_by_text("Book it?").last).to_be_visible()
    page.get_by_role("grid").get_by_text("a record to Tasks").click()
    # The panel of the line above has the same value: wait for this one's.
    expect(page.get_by_label("Name is filled with", exact=True)).to_have_count(1)
    page.get_by_role("button", name="Message › Subject").or_(page.get_by_role("button", name="Subject")).first.press(
        "Backspace"
    )
    page.get_by_label("Name is filled with", exact=True).press_sequentially("Title")
    page.get_by_role("option", name=re.compile("^Answer › Title")).click()
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_role("button", name="Turn off")).to_be_visible()
    orla.deliver("Bellows leak")
    page.get_by_role("link", name="Needs you 1").click()
    question = page.get_by_role("region", name="Book it?")
    expect(question.get_by_text("Bellows leak").first).to_be_visible()
    assert titles() == []
    question.get_by_label("Title").fill("Bellows leak at St Bride")
    question.get_by_role("button", name="Yes, continue").click()
    expect(page.get_by_text("Nothing needs your attention")).to_be_visible()
    assert until(titles) == ["Bellows leak at St Bride"]
    page.goto(f"/workflows/{workflow}/runs?line=a")
    expect(page.get_by_role("grid").get_by_text("yes Orla")).to_be_visible()


def test_which_of_several_records_is_meant(tasks):
    page, orla, kept, _, titles = tasks
    name, note = (f["id"] for f in kept["fields"][:2])
    for text in ("north", "south"):
        orla.api("POST", f"/databases/{kept['id']}/records", json={"values": {str(name): "St Bride", str(note): text}})
    fillings = [
        {"field": name, "filling": [{"text": "St Bride"}]},
        {"field": note, "filling": [{"ref": {"line": "w", "value": "subject"}}]},
    ]
    keep = {"verb": "add_or_update", "id": "k", "database": kept["id"], "by": [name], "several": "ask", "fillings": fillings}
    when = document(1, orla.folders["Enquiries"], kept, {})["lines"][0]
    connection = orla.api("GET", "/connections")[0]["id"]
    workflow = orla.workflow("Keeps", {"lines": [when | {"connection": connection}, keep]})
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.deliver("Organ moved")
    page.goto("/needs")
    question = page.get_by_role("region", name="2 records of Tasks match. Which one?")
    question.get_by_role("button", name="It is St Bride, south").click()
    expect(page.get_by_text("Nothing needs your attention")).to_be_visible()
    until(lambda: {r["values"][str(note)] for r in orla.records(kept["id"])} == {"north", "Organ moved"})
    assert titles() == ["St Bride", "St Bride"]
