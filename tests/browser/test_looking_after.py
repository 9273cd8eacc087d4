"""A workflow that is on is looked after: its day, what fails in it, what it missed, and what was there before it."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, expect

from support import FIELDS, FILLS, document, turn_on, until


def test_a_run_is_watched_failing_mended_and_run_again_from_the_failed_line(page: Page, orla):
    """The address is filled with the name: seen on Today as it happens, mended in the workflow, and the same run goes on."""
    connection = orla.connect("Enquiries")
    database = orla.database("Letters", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    log = orla.database("Log", {"name": "Name", "type": "text"})
    made = document(connection, orla.folders["Enquiries"], database, {"Name": "subject", "Address": "sender.name"})
    note = {"verb": "add", "id": "n", "database": log["id"],
            "fillings": [{"field": log["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": "subject"}}]}]}  # fmt: skip
    made["lines"].insert(1, note)
    workflow = orla.workflow("Letters", made)
    orla.api("POST", f"/workflows/{workflow}/on")
    page.goto("/today")
    expect(page.get_by_text("Nothing needs your attention.")).to_be_visible()
    orla.deliver("Reeds")
    row = page.get_by_role("row").filter(has_text="Reeds")
    expect(row.get_by_text("failed")).to_be_visible()
    expect(page.get_by_text("is not an email address").first).to_be_visible()
    page.get_by_role("button", name="Open run").click()
    expect(page.get_by_role("button", name="Run again from the failed line")).to_be_visible()
    run = int(page.url.rsplit("/", 1)[1])
    page.get_by_role("link", name="Letters", exact=True).click()
    page.get_by_text("a record to Letters", exact=True).click()
    page.get_by_role("button", name="fetch").first.click()
    page.get_by_role("button", name=re.compile("^use Message › Sender › Address")).first.click()
    expect(page.get_by_text("saved", exact=False).first).to_be_visible()
    page.get_by_role("button", name="Turn on this draft").click()
    expect(page.get_by_text("On, version 2")).to_be_visible()
    page.goto(f"/runs/{run}")
    page.get_by_role("button", name="Run again from the failed line").click()
    expect(page.get_by_text("as version 2")).to_be_visible()
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    assert len(orla.records(log["id"])) == 1, "what was finished is not done again"
    [record] = orla.records(database["id"])
    assert record["values"][str(database["fields"][1]["id"])] == "ada.pell@stbride.example"
    page.get_by_role("link", name="Today").click()
    expect(page.get_by_text("Nothing needs your attention.")).to_be_visible()


def test_thirty_old_messages_are_caught_up_on_of_which_ten_are_there_and_undone_as_one(page: Page, orla):
    for n in range(30):
        orla.deliver(f"Letter {n:02}", sender=f"Ada Pell <ada{n:02}@stbride.example>")
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS)
    name, address = (str(f["id"]) for f in database["fields"][:2])
    for n in range(10):
        values = {name: f"By hand {n}", address: f"ada{n:02}@stbride.example"}
        orla.api("POST", f"/databases/{database['id']}/records", json={"values": values})
    workflow = orla.workflow("From the post", document(connection, orla.folders["Enquiries"], database, FILLS))
    page.goto(f"/workflows/{workflow}/backcast")
    page.get_by_role("button", name="Choose past items to process").click()
    page.get_by_role("checkbox", name="Name", exact=True).uncheck()
    expect(page.get_by_label("Past items").get_by_text("Already exists")).to_have_count(10)
    page.get_by_role("button", name="Select all").click()
    page.get_by_role("button", name="Process 30 items").click()
    expect(page.get_by_text("Done: 30 of 30")).to_be_visible(timeout=40_000)
    expect(page.get_by_text("20 processed, 10 already existed")).to_be_visible()
    assert len(orla.records(database["id"])) == 30
    page.get_by_role("button", name="Undo all").click()
    expect(page.get_by_text("20 records moved to the trash.")).to_be_visible()
    expect(page.get_by_text("Undone", exact=True)).to_be_visible()
    assert sorted(r["values"][name] for r in orla.records(database["id"])) == [f"By hand {n}" for n in range(10)]


def test_what_came_while_it_was_off_is_asked_about(page: Page, orla):
    on = turn_on(orla)
    page.goto(f"/workflows/{on.workflow}")
    page.get_by_role("button", name="Turn off").click()
    expect(page.get_by_text("New items aren’t processed while this is off")).to_be_visible()
    for n in range(4):
        orla.deliver(f"Missed {n}")
    until(lambda: orla.api("GET", f"/workflows/{on.workflow}/missed")["count"] == 4)
    page.get_by_role("button", name="Turn on", exact=True).click()
    expect(page.get_by_text(re.compile("^4 items arrived while this was off"))).to_be_visible()
    page.get_by_role("button", name="Turn on, process 4").click()
    expect(page.get_by_role("button", name="Turn off")).to_be_visible()
    until(lambda: sorted(on.titles()) == [f"Missed {n}" for n in range(4)])


def test_a_paused_workflow_says_why_and_is_resumed(page: Page, orla):
    on = turn_on(orla)
    from kelvix.engine import switch

    switch.pause(orla.kelvix.engine, orla.space, on.workflow, "5 runs failed in a row. Last error: no")
    page.goto("/workflows")
    expect(page.get_by_text(re.compile("Paused.*: 5 runs failed"))).to_be_visible()
    page.goto(f"/workflows/{on.workflow}")
    expect(page.get_by_text("Paused: 5 runs failed in a row")).to_be_visible()
    page.get_by_role("button", name="Resume").click()
    expect(page.get_by_text(re.compile("On, version"))).to_be_visible()


def test_a_web_request_is_built_goes_out_and_its_doubt_is_settled(page: Page, orla):
    connection = orla.connect("Enquiries")
    orla.deliver("Reeds")
    path = f"seen/{orla.owner.id}"
    workflow = orla.workflow(
        "Tells", {"lines": [document(connection, orla.folders["Enquiries"], {"id": 0, "fields": []}, {})["lines"][0]]}
    )
    orla.api(
        "POST", f"/workflows/{workflow}/samples/fetch", json={"document": orla.api("GET", f"/workflows/{workflow}")["document"]}
    )
    page.goto(f"/workflows/{workflow}")
    page.get_by_role("button", name="+ Add line").first.click()
    page.get_by_role("menuitem", name=re.compile("Send a web request")).click()
    page.get_by_role("combobox", name="Web address").click()
    page.keyboard.type(f"{orla.kelvix.settings.practice_address}/receiver/api/{path}")
    page.keyboard.press("Tab")
    page.get_by_role("button", name=re.compile("Add value")).first.click()
    page.get_by_label("Name of value 1").fill("letter.subject")
    page.get_by_role("combobox", name="Value letter.subject").click()
    page.locator(".pane .pt", has_text="Reeds").first.click()
    page.get_by_role("button", name="+ Add secret header").click()
    page.get_by_label("Secret of Authorization").fill("Bearer tremulant")
    page.keyboard.press("Tab")
    expect(page.get_by_text("saved, not shown again")).to_be_visible()
    expect(page.get_by_label("Preview of the request").get_by_text('"subject": "Reeds"')).to_be_visible()
    expect(page.get_by_text("(kept secret)")).to_be_visible()
    expect(page.get_by_text(re.compile("Draft .*, saved"))).to_be_visible()
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_role("button", name="Turn off")).to_be_visible()
    orla.faults("unanswered", app="receiver")
    try:
        orla.deliver("Leather")
        page.goto("/needs")
        expect(page.get_by_text("Unconfirmed: did a web request arrive")).to_be_visible()
    finally:
        orla.faults(app="receiver")
    page.get_by_role("button", name="It arrived, continue").click()
    expect(page.get_by_text("Answered. The run continues.")).to_be_visible()
    [came] = orla.kelvix.practice.received(path)
    assert (
        json.loads(came["body"]) == {"letter": {"subject": "Leather"}}
        and came["headers"]["authorization"] == "Bearer tremulant"
    )
    until(lambda: orla.runs(workflow, "done"))


def test_runs_are_searched_and_the_workspace_says_where_its_owner_is_told(page: Page, orla):
    on = turn_on(orla)
    orla.deliver("Reeds", text="a tongue of phosphor bronze")
    orla.deliver("Leather")
    until(lambda: len(on.titles()) == 2)
    page.goto("/runs")
    page.get_by_label("Search run content").fill("phosphor")
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="Reeds")).to_be_visible()
    expect(page.get_by_role("link", name="Leather")).to_have_count(0)
    page.get_by_role("button", name="Workspace").click()
    page.get_by_label("Mail me when something needs me").fill("orla@works.example")
    page.get_by_label("Keep runs (days)").fill("30")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("must be kept at least as long")).to_be_visible()
    page.get_by_label("Keep runs (days)").fill("300")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    me = orla.api("GET", "/me")
    assert (me["email"], me["keep_runs_days"]) == ("orla@works.example", 300)


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_today_reads_well_in_both_schemes(page: Page, orla, scheme):
    on = turn_on(orla)
    orla.deliver("Reeds")
    until(on.titles)
    page.emulate_media(color_scheme=scheme)
    page.goto("/today")
    expect(page.get_by_role("figure", name=re.compile("^Runs per day"))).to_be_visible()
    expect(page.get_by_role("row").filter(has_text="Reeds").get_by_text("done")).to_be_visible()
