"""Mirrors as their user sees them: set up from nothing, planned, watched while edits cross, a conflict settled in its row."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from kelvix.store.database_server import Transaction
from mirrored import Mirrored
from sides import Issues, Own, Tables, Tasks
from support import Person, until


@pytest.fixture
def sides(orla: Person):
    """The workshop's tasks, and a customer's project: one is in both, one in each alone."""
    own, theirs = Own(orla, "Workshop tasks"), Issues(orla, "Restoration")
    for name in ("Clean the trunk", "Order leather"):
        own.create({own.title: name})
    for name in ("Clean the trunk", "Blower hums"):
        theirs.create({theirs.title: name})
    return own, theirs


def choose(page: Page, label: str, option: str, exact: bool = False) -> None:
    page.get_by_label(label, exact=True).click()
    page.get_by_role("option", name=option, exact=exact).click()


def test_tasks_and_issues_from_nothing_to_a_conflict_settled(page: Page, orla: Person, sides):
    own, theirs = sides
    page.get_by_role("link", name="Mirrors").click()
    page.get_by_role("button", name="Create the first one").click()
    choose(page, "Left side", "Workshop tasks")
    choose(page, "Right side", "Restoration")
    page.get_by_role("dialog").get_by_role("button", name="Create").click()

    matched = page.get_by_role("table", name="Matched fields")
    expect(matched.get_by_role("row").filter(has_text="Title")).to_be_visible()
    expect(page.get_by_role("region", name="Recognising pairs").get_by_text("1 pair")).to_be_visible()
    choose(page, "A new item crosses", "at once")
    page.get_by_role("button", name="Create plan").click()

    plan = page.get_by_role("group", name="The plan")
    expect(plan.get_by_role("button", name="1paired")).to_be_visible()
    plan.get_by_role("button", name="created in Workshop tasks").click()
    expect(page.get_by_role("row", name="Blower hums")).to_be_visible()
    page.get_by_role("button", name="leave out").click()
    expect(plan.get_by_role("button", name="1left out, right")).to_be_visible()
    assert len(own.items()) == 2 and len(theirs.items()) == 2, "nothing was written by planning"
    page.get_by_role("button", name="Carry out plan").click()

    states = page.get_by_role("group", name="Items by state")
    expect(states.get_by_role("button", name="2in step")).to_be_visible()
    [made] = [i for i in theirs.items() if i.title == "Order leather"]
    theirs.edit(made.id, {theirs.title: "Order the leather"})
    row = page.get_by_role("row").filter(has_text="Order the leather")
    expect(row.get_by_text("Order the leather")).to_have_count(2)  # it crossed while one looked

    page.get_by_role("button", name="Turn off").click()
    expect(page.get_by_role("button", name="Turn on")).to_be_visible()
    [ours] = [i for i in own.items() if i.title == "Order the leather"]
    own.edit(ours.id, {own.title: "Order reed leather"})
    theirs.edit(made.id, {theirs.title: "Order goat leather"})
    page.get_by_role("button", name="Turn on").click()
    states.get_by_role("button", name="conflict").click()
    clash = page.get_by_role("group", name="Conflict in Name")
    expect(clash.get_by_text("Was Order the leather.")).to_be_visible()
    clash.get_by_role("button", name="Keep Order goat leather").click()
    expect(page.get_by_text("No items in this state.")).to_be_visible()
    until(lambda: {i.title for i in own.items()} == {"Clean the trunk", "Order goat leather"})

    page.get_by_role("link", name="History").click()
    crossed = page.get_by_role("list", name="What crossed")
    expect(crossed.get_by_text("Order reed leather").first).to_be_visible()
    page.get_by_role("button", name="Check parity now").click()
    page.get_by_role("link", name="Parity").click()
    report = page.get_by_role("table", name="Parity reports").get_by_role("row").nth(1)
    expect(report.get_by_role("cell").nth(5)).to_have_text("0")


def test_many_deletions_stop_before_the_first(page: Page, orla: Person):
    own, theirs = Own(orla, "Workshop tasks"), Issues(orla, "Restoration")
    ids = [own.create({own.title: f"Pipe {n}"}) for n in range(9)]
    mirror = Mirrored(orla, own, theirs)
    mirror.set_up(quiet=0, deletes="follow")
    page.goto(f"/mirrors/{mirror.id}")
    page.get_by_role("button", name="Create plan").click()
    page.get_by_role("button", name="Carry out plan").click()
    expect(page.get_by_role("group", name="Items by state").get_by_role("button", name="9in step")).to_be_visible()
    orla.api("POST", f"/databases/{own.id}/records/delete", json={"records": [int(i) for i in ids[:7]]})
    page.get_by_role("group", name="Items by state").get_by_role("button", name="7asked").click()
    waiting = page.get_by_role("group", name="Deletions that wait")
    expect(waiting.get_by_text("7 items were deleted on one side")).to_be_visible()
    assert len(theirs.items()) == 9
    page.goto("/needs")
    expect(page.get_by_text("7 items need a decision")).to_be_visible()
    page.get_by_role("button", name="Decide").click()
    page.get_by_role("group", name="Items by state").get_by_role("button", name="7asked").click()
    waiting.get_by_role("button", name="Keep all 7").click()
    expect(page.get_by_role("group", name="Items by state").get_by_role("button", name="7left out")).to_be_visible()
    assert len(theirs.items()) == 9


def an_hour_goes_by(orla: Person) -> None:
    """Leave what failed as it is after an hour of failing: tried again less and less often."""

    def work(t: Transaction) -> None:
        assert t.row("SELECT 1 FROM mirror_look WHERE failures > 0"), "nothing has failed yet"
        t.execute("UPDATE mirror_look SET failures=14, since=since - INTERVAL 1 HOUR, due_at=NOW(3) + INTERVAL 300 SECOND")
        t.execute("UPDATE subscription SET failures=12, next_check_at=NOW(3) + INTERVAL 900 SECOND WHERE problem IS NOT NULL")
        t.execute("UPDATE connection SET failing_since=failing_since - INTERVAL 1 HOUR WHERE failing_since IS NOT NULL")

    until(lambda: orla.space.read(lambda t: t.row("SELECT 1 FROM mirror_look WHERE failures > 0")))
    orla.space.transact(work)


def test_a_side_that_is_down_only_delays(page: Page, orla: Person, sides):
    own, theirs = sides
    made = orla.api("POST", "/mirrors", json={"left": own.id, "right": theirs.id})["id"]
    page.goto(f"/mirrors/{made}")
    page.get_by_role("button", name="Create plan").click()
    page.get_by_role("button", name="Carry out plan").click()
    states = page.get_by_role("group", name="Items by state")
    expect(states.get_by_role("button", name="3in step")).to_be_visible(timeout=30_000)
    orla.faults("down", app="issues")
    [ours] = [i for i in own.items() if i.title == "Order leather"]
    own.edit(ours.id, {own.title: "Order reed leather"})
    expect(page.get_by_role("row").filter(has_text="Order").get_by_text("behind")).to_be_visible()
    [found] = [i for i in orla.kelvix.practice.items(int(theirs.place), 5) if "Blower hums" in str(i["body"])]
    orla.kelvix.practice.change(found["id"], "changed", lambda issue: issue | {"title": "Blower whistles"})
    own.create({own.title: "Ring the verger"})
    an_hour_goes_by(orla)
    assert "Blower hums" in {i.title for i in own.items()}, "nothing crosses meanwhile"
    orla.faults(app="issues")
    everything = {"Clean the trunk", "Order reed leather", "Blower whistles", "Ring the verger"}
    until(lambda: {i.title for i in theirs.items()} == {i.title for i in own.items()} == everything, 60)
    assert len(own.items()) == len(theirs.items()) == 4
    expect(page.get_by_role("row").filter(has_text="Order reed leather").get_by_text("in step")).to_be_visible()
    page.get_by_role("button", name="Turn off").click()
    own.edit(ours.id, {own.title: "Order calf leather"})
    page.get_by_role("link", name="Rehearsal").click()
    page.get_by_role("button", name="Rehearse now").click()
    expect(page.get_by_text("1 item to edit in Restoration.")).to_be_visible()
    would = page.get_by_role("list", name="What would cross")
    expect(would.get_by_text("Order calf leather").last).to_be_visible()
    assert "Order reed leather" in {i.title for i in theirs.items()}, "nothing is written"


def test_a_comment_crosses_and_a_deletion_archives_as_it_was_said(page: Page, orla: Person):
    tasks, issues = Tasks(orla, "Bench"), Issues(orla, "Restoration")
    task = tasks.create({tasks.title: "Clean the trunk"})
    made = orla.api("POST", "/mirrors", json={"left": tasks.id, "right": issues.id})["id"]
    page.goto(f"/mirrors/{made}/rules")
    expect(page.get_by_label("New comments cross", exact=True)).to_have_text("both ways")
    choose(page, "If one item is deleted", "archive the other, unless it was edited")
    expect(page.get_by_text("Choose below how an item of Restoration is archived.")).to_be_visible()
    choose(page, "Archived in Restoration means: field", "Status")
    choose(page, "Archived in Restoration means: value", "Done")
    choose(page, "Archived in Bench means: field", "Done")
    page.get_by_label("Archived in Bench means: value").fill("yes")
    choose(page, "A new item crosses", "at once")
    page.get_by_role("button", name="Create plan").click()
    page.get_by_role("button", name="Carry out plan").click()
    expect(page.get_by_role("group", name="Items by state").get_by_role("button", name="1in step")).to_be_visible()
    with orla.practice_page() as practice:
        practice.post(f"/tasks/tasks/{task}/comment", data={"text": "The pallets are glued."})
    page.get_by_role("link", name="History").click()
    crossed = page.get_by_role("list", name="What crossed")
    expect(crossed.get_by_text("“Orla: The pallets are glued.”")).to_be_visible()
    [issue] = issues.items()
    assert [c.text for c in issues.source.comments(issue.id)] == ["Orla: The pallets are glued."]
    crossed.get_by_role("button", name="Undo: Comment added").click()
    expect(page.get_by_text("The comment was deleted again.")).to_be_visible()
    assert issues.source.comments(issue.id) == ()
    tasks.delete(task)
    until(lambda: issues.source.one(issue.id).values["status"] == "4")


def test_an_option_is_matched_once_where_it_is_missing(page: Page, orla: Person, sides):
    own, theirs = sides
    mirror = Mirrored(orla, own, theirs)
    now = mirror.api("GET", "/set-up")
    kind = next(f for f in now["left"]["fields"] if f["type"] == "choice")
    more = {"id": "kind", "left": kind["id"], "right": "kind", "translation": ""}
    mirror.set_up(quiet=0, fields=[*now["fields"], more])
    theirs.create({theirs.title: "May we visit?", "kind": "3"})
    page.goto(f"/mirrors/{mirror.id}")
    page.get_by_role("button", name="Create plan").click()
    page.get_by_role("button", name="Carry out plan").click()
    page.get_by_role("group", name="Items by state").get_by_role("button", name="1no counterpart").click()
    page.get_by_role("button", name="2 of 2 options").click()
    page.get_by_label("Option for Question of Kind").select_option("Wish")
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_text("No items in this state.")).to_be_visible()
    wish = next(c["id"] for c in kind["choices"] if c["name"] == "Wish")
    until(lambda: {i.title: i.values[kind["id"]] for i in own.items()}["May we visit?"] == wish)


def test_a_part_of_a_database_is_shared(page: Page, orla: Person):
    """Some records and some fields: one item is tried first, and no more cross when most of them are changed at once."""
    own, shared = Own(orla, "Parishes"), Tables(orla, "For the diocese")
    date = own.fields()["date"].id
    ids = [own.create({own.title: f"St Hewen {n}", date: "2026-12-01"}) for n in range(60)]
    own.create({own.title: "Not for them"})
    made = orla.api("POST", "/mirrors", json={"left": own.id, "right": shared.id})["id"]
    page.goto(f"/mirrors/{made}/rules")
    for field in ("person", "link"):
        if page.get_by_role("button", name=f"Remove {field}").count():
            page.get_by_role("button", name=f"Remove {field}").click()
    filters = page.get_by_role("region", name="Filters")
    filters.get_by_role("button", name="Add condition").first.click()
    choose(page, "Field of the condition", "date", exact=True)
    choose(page, "Comparison of the condition", "is filled")
    expect(page.get_by_text("can read what crosses between Parishes and For the diocese")).to_be_visible()
    page.get_by_role("button", name="Create plan").click()

    plan = page.get_by_role("group", name="The plan")
    plan.get_by_role("button", name="60created in For the diocese").click()
    page.get_by_role("button", name="Open pair St Hewen 57").click()
    page.get_by_role("button", name="Try item").click()
    expect(plan.get_by_role("button", name="59created in For the diocese")).to_be_visible()
    assert [i.title for i in shared.items()] == ["St Hewen 57"], "only what was tried is written"
    page.get_by_role("button", name="Carry out plan").click()
    states = page.get_by_role("group", name="Items by state")
    expect(states.get_by_role("button", name="60in step")).to_be_visible(timeout=60_000)
    assert "Not for them" not in {i.title for i in shared.items()}

    page.get_by_role("button", name="Turn off").click()
    for n, id in enumerate(ids):
        own.edit(id, {own.title: f"St Hewen, {n}"})
    page.get_by_role("button", name="Turn on").click()
    waiting = page.get_by_role("group", name="Changes that wait")
    expect(waiting).to_be_visible(timeout=60_000)
    assert any("," not in i.title for i in shared.items()), "not all have crossed"
    waiting.get_by_role("button", name="cross").click()
    expect(page.get_by_text("The changes are being carried out.")).to_be_visible()
    until(lambda: all("," in i.title for i in shared.items()), 60)
