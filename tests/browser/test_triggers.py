"""What starts a workflow in Kelvix itself, chosen and seen in the interface."""

from __future__ import annotations

import re
import shlex
import subprocess

import pytest
from playwright.sync_api import Page, expect

from support import until


@pytest.fixture
def tables(page: Page, orla):
    """Tasks with one record, notes, and a workflow without a start that adds a note; the workflow is open in the window."""
    tasks = orla.database(
        "Tasks", {"name": "Name", "type": "text"}, {"name": "Stage", "type": "choice", "choices": ["Open", "Done"]}
    )
    notes = orla.database("Notes", {"name": "Name", "type": "text"})
    name, noted = tasks["fields"][0]["id"], notes["fields"][0]["id"]
    record = orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {str(name): "Reeds"}})["record"]
    add = {"verb": "add", "id": "a", "database": notes["id"], "fillings": [{"field": noted, "filling": [{"text": "started"}]}]}
    workflow = orla.workflow("Own", {"lines": [{"verb": "when", "id": "w"}, add]})
    page.goto(f"/workflows/{workflow}?line=w")
    expect(page.get_by_label("Trigger")).to_be_visible()

    def rows():
        return [r["values"][str(noted)] for r in orla.records(notes["id"])]

    return page, orla, tasks, record, workflow, rows


def choose(page: Page, box: str, option: str | re.Pattern[str]) -> None:
    page.get_by_label(box, exact=True).click()
    page.get_by_role("option", name=option, exact=isinstance(option, str)).click()


def turn_on(page: Page) -> None:
    expect(page.get_by_text(re.compile("Draft .*, saved"))).to_be_visible()
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_role("button", name="Turn off")).to_be_visible()


def test_a_records_button_is_made_and_pressed(tables):
    page, _, tasks, record, workflow, rows = tables
    choose(page, "Trigger", "a button on a record is pressed")
    choose(page, "Database to watch", "Tasks")
    expect(page.get_by_text("Enter a button label.")).to_be_visible()
    page.get_by_label("Button label").fill("Note it")
    expect(page.get_by_role("columnheader").filter(has_text="Reeds")).to_be_visible()
    expect(page.get_by_label("Sample as it looks").get_by_text("Reeds")).to_be_visible()
    turn_on(page)
    page.goto(f"/databases/{tasks['id']}/{record['id']}")
    page.get_by_role("button", name="Note it").click()
    expect(page.get_by_text("Own was started for this record.")).to_be_visible()
    until(lambda: rows() == ["started"])
    page.goto(f"/workflows/{workflow}/runs")
    expect(page.get_by_role("columnheader").filter(has_text="Reeds")).to_be_visible()


def test_a_field_that_reaches_a_value(tables):
    page, orla, tasks, record, _, rows = tables
    choose(page, "Trigger", "a field of a record reaches a value")
    choose(page, "Database to watch", "Tasks")
    choose(page, "Field to watch", "Stage")
    choose(page, "New value", "Done")
    expect(page.get_by_role("grid").get_by_text("Stage becomes Done")).to_be_visible()
    turn_on(page)
    orla.api("PATCH", f"/databases/{tasks['id']}/records/{record['id']}", headers={"if-match": str(record["version"])},
             json={"values": {str(tasks["fields"][1]["id"]): "2"}})  # fmt: skip
    until(lambda: rows() == ["started"])
    page.get_by_role("button", name=re.compile("^Fetch (newest|again)")).click()
    # What it was and what it is now have the same name, and are told apart wherever they are listed.
    page.get_by_text("a record to Notes").first.click()
    page.get_by_label("Text is filled with").click()
    page.keyboard.type("stage")
    expect(page.get_by_role("option").filter(has_text=re.compile("^StageDone"))).to_have_count(1)
    expect(page.get_by_role("option").filter(has_text=re.compile("^Before › Stage"))).to_have_count(1)


def test_a_schedule_is_said_in_plain_choices_and_shows_when_it_comes_round(tables):
    page, *_ = tables
    choose(page, "Trigger", "a scheduled time arrives")
    comes = page.get_by_text(re.compile(r"times in the next 30 days"))
    expect(comes).to_be_visible()
    for day in ("Tue", "Thu", "Fri"):
        page.get_by_role("button", name=day, exact=True).click()
    expect(page.get_by_role("grid").get_by_text("every week on Mon, Wed at 08:00")).to_be_visible()
    expect(page.get_by_text(re.compile(r"^(8|9) times in the next 30 days"))).to_be_visible()
    choose(page, "Schedule format", "by a cron expression")
    page.get_by_label("Expression").fill("99 8 * * MON")
    expect(page.get_by_text("Bad minute").first).to_be_visible()
    page.get_by_label("Expression").fill("30 8 * * MON")
    expect(page.get_by_role("columnheader").filter(has_text="08:30").first).to_be_visible()
    turn_on(page)
    expect(page.get_by_text(re.compile("Starts on schedule, next .* 08:30"))).to_be_visible()


def test_a_request_is_learned_from_posted_and_seen_to_arrive(tables):
    """The ready-made request, sent by curl as it stands."""
    page, orla, _, _, workflow, rows = tables
    choose(page, "Trigger", "a request arrives at its own address")
    page.get_by_role("button", name="Create address").click()
    expect(page.get_by_role("button", name="Copy example request")).to_be_visible()
    expect(page.get_by_text(re.compile("Draft .*, saved"))).to_be_visible()
    example = orla.api("GET", f"/workflows/{workflow}/address")["example"].replace("{}", '{"customer": {"name": "Ada Pell"}}')
    send = [*shlex.split(example), "-s"]
    assert '"taken":false' in subprocess.run(send, capture_output=True, text=True, timeout=30).stdout
    expect(page.get_by_role("columnheader").filter(has_text="A request")).to_be_visible()
    page.get_by_role("button", name="Use values of the last request").click()
    expect(page.get_by_label("Name in the request", exact=True)).to_have_value("customer.name")
    expect(page.get_by_role("columnheader").filter(has_text="A request")).to_be_visible()
    page.get_by_role("button", name="Send a test request").click()
    page.get_by_label("Body").fill('{"customer": {"name": "Ada Pell"}, "lines": [{"what": "reeds"}]}')
    page.get_by_role("button", name="Send", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="Answer 202")).to_contain_text("not declared: lines")
    page.get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Use values of the last request").click()
    expect(page.get_by_label("List", exact=True)).to_have_value("lines")
    expect(page.get_by_label("Name in the row")).to_have_value("what")
    page.get_by_label("required").first.check()
    turn_on(page)
    assert '"taken":true' in subprocess.run(send, capture_output=True, text=True, timeout=30).stdout
    until(lambda: rows() == ["started"])
    wrong = subprocess.run([w.replace("name", "nom") for w in send], capture_output=True, text=True, timeout=30).stdout
    assert "the key “customer.name” is missing" in wrong
    page.goto(f"/workflows/{workflow}/runs")
    expect(page.get_by_role("columnheader").filter(has_text="Ada Pell")).to_be_visible()


def test_a_workflow_is_started_for_the_records_that_are_chosen(tables):
    page, orla, tasks, _record, _workflow, rows = tables
    name = str(tasks["fields"][0]["id"])
    for title in ("Leather", "Bellows"):
        orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {name: title}})
    choose(page, "Trigger", "a button on a record is pressed")
    choose(page, "Database to watch", "Tasks")
    page.get_by_label("Button label").fill("Note it")
    turn_on(page)
    page.goto(f"/databases/{tasks['id']}")
    page.get_by_role("checkbox", name="Select Leather").check()
    page.get_by_role("gridcell", name="Bellows", exact=True).focus()
    page.keyboard.press(" ")
    expect(page.get_by_text("2 records chosen")).to_be_visible()
    page.get_by_role("button", name="Note it").click()
    expect(page.get_by_text("Own was started for 2 records.")).to_be_visible()
    until(lambda: rows() == ["started", "started"])
    page.get_by_role("checkbox", name="Select all shown").check()
    expect(page.get_by_text("3 records chosen")).to_be_visible()
    page.get_by_role("button", name="Clear selection").click()
    expect(page.get_by_text("records chosen")).to_have_count(0)


def test_a_button_on_a_database_is_pressed(tables):
    page, _, tasks, _, _, rows = tables
    choose(page, "Trigger", "a button on a database is pressed")
    choose(page, "Database to watch", "Tasks")
    page.get_by_label("Button label").fill("Count them")
    turn_on(page)
    page.goto(f"/databases/{tasks['id']}")
    page.get_by_role("button", name="Count them").click()
    expect(page.get_by_text("Own was started.")).to_be_visible()
    until(lambda: rows() == ["started"])
