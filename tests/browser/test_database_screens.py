"""Databases in the real interface: the table, in-place editing, the record, undo, two people at once, the capture line."""

from __future__ import annotations

import json

import pytest
from playwright.sync_api import Page, expect

from kelvix.store import databases, record_writing
from kelvix.store.records import Origin
from support import until

FIELDS = (
    {"name": "Name", "type": "text"}, {"name": "Stage", "type": "choice", "choices": ["New", "Quoted"]}, {"name": "Hours", "type": "number"},
    {"name": "Due", "type": "date"}, {"name": "Mail", "type": "email"},
)  # fmt: skip


@pytest.fixture
def tasks(page: Page, orla):
    database = orla.database("Tasks", *FIELDS)
    ids = {f["name"]: str(f["id"]) for f in database["fields"]}
    made = orla.api(
        "POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: "Order felt", ids["Hours"]: "1.5"}}
    )["record"]
    page.goto(f"/databases/{database['id']}")
    expect(page.get_by_role("gridcell", name="Order felt")).to_be_visible()
    return page, orla, database, ids, made


def kept(orla, database, record):
    return orla.api("GET", f"/databases/{database['id']}/records/{record['id']}")["record"]["values"]


def test_editing_in_place_checks_saves_and_undoes(tasks):
    page, orla, database, ids, record = tasks
    page.get_by_role("gridcell", name="1.5").dblclick()
    box = page.get_by_label("Hours", exact=True)
    box.fill("many")
    box.press("Enter")
    expect(page.get_by_text("is not a number", exact=False)).to_be_visible()
    expect(box).to_have_value("many")  # what was refused stays, to be corrected
    box.fill("12")
    box.press("Enter")
    expect(page.get_by_role("gridcell", name="12")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("gridcell", name="1.5")).to_be_visible()
    page.get_by_role("gridcell", name="1.5").focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("F2")
    page.get_by_label("Stage", exact=True).select_option("Quoted")
    expect(page.get_by_role("gridcell", name="Quoted")).to_be_visible()
    assert kept(orla, database, record)[ids["Stage"]] == "2"


def test_two_windows_edit_one_field_the_second_is_told_and_chooses(tasks):
    """The first window's edit has reached the second when that saves: what was seen when editing began counts."""
    page, orla, database, ids, record = tasks
    other = page.context.new_page()
    other.goto(f"/databases/{database['id']}")
    page.get_by_role("gridcell", name="Order felt").click()

    def edit_both(mine: str, theirs: str) -> None:
        page.get_by_label("Edit Mail").click()
        page.get_by_label("Mail", exact=True).fill(mine)
        other.locator("[data-at='0 4']").dblclick()
        other.get_by_label("Mail", exact=True).fill(theirs)
        other.get_by_label("Mail", exact=True).press("Enter")
        expect(page.get_by_role("gridcell", name=theirs)).to_be_visible()
        page.get_by_label("Mail", exact=True).press("Enter")
        expect(page.get_by_role("dialog").get_by_text(theirs)).to_be_visible()
        expect(page.get_by_role("dialog").get_by_text(mine)).to_be_visible()
        assert kept(orla, database, record)[ids["Mail"]] == theirs

    edit_both("mine@post.example", "theirs@post.example")
    page.get_by_role("button", name="Overwrite").click()
    until(lambda: kept(orla, database, record)[ids["Mail"]] == "mine@post.example")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(other.get_by_role("gridcell", name="mine@post.example")).to_be_visible()
    edit_both("again@post.example", "theirs.too@post.example")
    page.get_by_role("button", name="Keep current").click()
    expect(page.get_by_label("Edit Mail: theirs.too@post.example")).to_be_visible()

    # Two fields of one record: both edits stand, and nobody is asked.
    page.get_by_label("Edit Due").click()
    page.get_by_label("Due", exact=True).fill("3 Dec 2026")
    other.locator("[data-at='0 2']").dblclick()
    other.get_by_label("Hours", exact=True).fill("7")
    other.get_by_label("Hours", exact=True).press("Enter")
    expect(page.get_by_role("gridcell", name="7", exact=True)).to_be_visible()
    page.get_by_label("Due", exact=True).press("Enter")
    until(lambda: kept(orla, database, record)[ids["Due"]] == "2026-12-03")
    assert kept(orla, database, record)[ids["Hours"]] == "7"


def test_what_is_edited_stays_with_its_record_when_another_comes_above_it(tasks):
    page, orla, database, ids, record = tasks
    page.get_by_role("gridcell", name="1.5").dblclick()
    page.get_by_label("Hours", exact=True).fill("9")
    orla.api("POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: "Came meanwhile"}})
    expect(page.get_by_role("gridcell", name="Came meanwhile")).to_be_visible()
    page.get_by_label("Hours", exact=True).press("Enter")
    until(lambda: kept(orla, database, record)[ids["Hours"]] == "9")


def test_only_the_rows_that_changed_are_read_and_nothing_is_counted(tasks):
    """Live: a row that is shown, one that enters, one that leaves; and none of what is not shown."""
    page, orla, database, ids, record = tasks
    where = f"/databases/{database['id']}/records"
    table = orla.space.read(lambda t: databases.get(t, orla.space.id, database["id"]))

    def add_many(t):
        for n in range(300):
            record_writing.add(t, orla.space.id, table, {ids["Name"]: f"Task {n:03}"}, Origin(person="Orla"))

    orla.space.transact(add_many)
    page.reload()
    expect(page.get_by_role("gridcell", name="Task 299")).to_be_visible()
    expect(page.get_by_text("301 records")).to_be_visible()
    asked: list[tuple[str, object]] = []

    def note(request):
        if "/databases" in request.url:
            asked.append((request.url.partition("/api/v1")[2], json.loads(request.post_data or "{}").get("records")))

    page.on("request", note)

    def rename(of, name):
        orla.api("PATCH", f"{where}/{of['id']}", json={"values": {ids["Name"]: name}}, headers={"if-match": str(of["version"])})

    rename(orla.api("GET", f"{where}?limit=1")["records"][0], "Told live")
    expect(page.get_by_role("gridcell", name="Told live")).to_be_visible()  # so that all that came before was told too
    so_far = -1
    while so_far != len(asked):  # and read
        so_far = len(asked)
        page.wait_for_timeout(2_000)
    asked.clear()
    newest = orla.api("GET", f"{where}?limit=2")["records"]
    rename(newest[0], "Renamed")
    expect(page.get_by_role("gridcell", name="Renamed")).to_be_visible()
    rename(record, "The oldest, which is not read yet")
    made = orla.api("POST", where, json={"values": {ids["Name"]: "Enters"}})["record"]
    expect(page.get_by_role("gridcell", name="Enters")).to_be_visible()
    expect(page.get_by_text("302 records")).to_be_visible()
    orla.api("DELETE", f"{where}/{newest[1]['id']}")
    expect(page.get_by_role("gridcell", name="Task 298")).to_have_count(0)
    expect(page.get_by_text("301 records")).to_be_visible()
    shown = f"/databases/{database['id']}/shown"
    follows = newest[0]["id"] - 99  # which moves up again into what is read
    assert asked == [(shown, [newest[0]["id"]]), (shown, [made["id"]]), (shown, [follows])]


def test_the_name_is_edited_at_the_side_in_its_place_and_in_the_heading(tasks):
    page, orla, database, ids, record = tasks
    page.get_by_role("gridcell", name="Order felt").click()
    page.get_by_label("Edit Name: Order felt").click()
    box = page.get_by_label("Name", exact=True)
    expect(box).to_be_focused()
    box.fill("Order white felt")
    box.press("Enter")
    heading = page.get_by_label("Record", exact=True).get_by_role("heading", name="Order white felt")
    heading.get_by_text("Order white felt").dblclick()
    box.fill("Order red felt")
    box.press("Enter")
    until(lambda: kept(orla, database, record)[ids["Name"]] == "Order red felt")


def test_many_are_deleted_with_one_question_and_restored_from_the_trash(tasks):
    page, orla, database, ids, _ = tasks
    for name in ("Ring the verger", "Buy hide glue"):
        orla.api("POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: name}})
    orla.api("POST", "/capture/addresses", json={"name": "From the phone", "database": database["id"]})
    for name in ("Ring the verger", "Buy hide glue"):
        page.get_by_label(f"Select {name}").click()
    page.get_by_role("button", name="Delete them").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_role("gridcell", name="Buy hide glue")).to_have_count(0)
    page.get_by_role("link", name="Databases", exact=True).click()
    page.get_by_label("Delete Tasks").click()
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("Its 1 record is deleted too.")
    expect(asked).to_contain_text("capture address From the phone")
    asked.get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_text("No databases yet")).to_be_visible()

    page.get_by_role("link", name="Trash").click()
    row = page.get_by_role("row").filter(has_text="Ring the verger")
    expect(row).to_contain_text("Record")
    expect(row).to_contain_text("Orla")
    page.get_by_label("Restore Ring the verger").click()
    expect(page.get_by_text("Tasks is in the trash too. Restore the database first.")).to_be_visible()
    for name in ("Ring the verger", "Buy hide glue", "Tasks"):
        page.get_by_label(f"Select {name}").click()
    page.get_by_role("button", name="Restore 3 items").click()
    expect(page.get_by_role("heading", name="The trash is empty")).to_be_visible()
    assert len(orla.records(database["id"])) == 3


def test_the_records_text_is_markdown_and_shown_safely(tasks):
    page = tasks[0]
    page.get_by_role("gridcell", name="Order felt").click()
    page.get_by_role("button", name="Add text").click()
    page.get_by_label("Text", exact=True).fill("# Why\n\n- **soft**\n\n<img src=x onerror=alert(1)> [bad](javascript:alert(1))")
    page.get_by_role("button", name="Save", exact=True).click()
    side = page.get_by_label("Record", exact=True)
    expect(side.get_by_role("heading", name="Why")).to_be_visible()
    expect(side.locator("strong")).to_have_text("soft")
    assert side.locator("img").count() == 0
    assert not (side.get_by_text("bad", exact=True).get_attribute("href") or "").startswith("javascript")
    side.get_by_role("button", name="history").click()
    expect(side.get_by_text("changed").first).to_be_visible()
    side.get_by_role("button", name="undo").first.click()
    expect(page.get_by_text("Undone.")).to_be_visible()


def test_deleting_a_record_can_be_undone(tasks):
    page, _, _, _, _ = tasks
    page.get_by_role("gridcell", name="Order felt").click()
    page.get_by_role("button", name="Delete").click()
    expect(page.get_by_role("gridcell", name="Order felt")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("gridcell", name="Order felt")).to_be_visible()


def test_fields_are_made_renamed_and_taken_away_with_undo(tasks):
    page, orla, database, _, _ = tasks
    page.get_by_role("button", name="Fields").click()
    page.get_by_label("New field", exact=True).fill("Who")
    page.get_by_label("Type").click()
    page.get_by_role("option", name="choice").click()
    page.get_by_label("Add choice to the new field").fill("Orla, Ivo")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Add field").click()
    expect(page.get_by_label("Name of Who")).to_be_visible()
    page.get_by_label("New field", exact=True).fill("Took")
    page.get_by_label("Type").click()
    page.get_by_role("option", name="duration").click()
    page.get_by_role("button", name="Add field").click()
    expect(page.get_by_label("Name of Took")).to_be_visible()
    page.get_by_label("Name of Mail").fill("Address")
    page.get_by_label("Name of Mail").press("Enter")
    expect(page.get_by_label("Name of Address")).to_be_visible()
    page.get_by_label("Remove Hours").click()
    expect(page.get_by_text("Hours moved to the trash.").first).to_be_visible()
    expect(page.get_by_label("Name of Hours")).to_have_count(0)
    page.get_by_role("button", name="Restore Hours").click()
    expect(page.get_by_label("Name of Hours")).to_be_visible()
    page.get_by_role("button", name="Close").first.click()
    assert {"Who", "Took", "Address", "Hours"} <= {f["name"] for f in orla.api("GET", f"/databases/{database['id']}")["fields"]}
    columns = page.get_by_role("columnheader").all_text_contents()
    at = next(n for n, head in enumerate(columns) if head.startswith("Took")) - 1  # before it stand the boxes to choose by
    page.locator(f"[data-at='0 {at}']").dblclick()
    page.get_by_label("Took", exact=True).fill("1:30")
    page.get_by_label("Took", exact=True).press("Enter")
    expect(page.get_by_role("gridcell", name="1 hour, 30 minutes")).to_be_visible()


def test_the_capture_line_adds_from_anywhere(tasks):
    page, orla, database, _, _ = tasks
    page.goto("/runs")
    expect(page.get_by_text("No runs yet")).to_be_visible()
    page.keyboard.press("Control+;")
    page.keyboard.type("Ring the verger")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Added to Tasks.")).to_be_visible()
    page.get_by_role("button", name="Open").click()
    expect(page.get_by_role("heading", name="Ring the verger")).to_be_visible()
    expect(page.get_by_text("Orla, in the capture line").first).to_be_visible()
    assert len(orla.records(database["id"])) == 2


def test_thousands_of_records_scroll_with_few_rows_in_the_page(tasks):
    page, orla, database, _, _ = tasks
    target = orla.space.read(lambda t: databases.get(t, orla.space.id, database["id"]))

    def many(t):
        for n in range(1500):
            record_writing.add(t, orla.space.id, target, {target.fields[0].id: f"row {n:04}"}, Origin(person="Orla"))

    orla.space.transact(many)
    page.reload()
    grid = page.get_by_role("grid", name="Records of Tasks")
    expect(grid.get_by_text("row 1499")).to_be_visible()
    assert grid.get_by_role("row").count() < 80
    until(
        lambda: (
            page.evaluate("(() => { const v = document.querySelector('.vt'); v.scrollTop = v.scrollHeight; })()")
            or grid.get_by_text("Order felt").count() == 1
        ),
        20,
    )
    assert grid.get_by_role("row").count() < 80


def test_things_that_are_not_there_say_so(page: Page, orla):
    for where, said in (("/databases/999999", "Database not found"), ("/workflows/999999", "Workflow not found"),
                        ("/runs/999999", "Run not found"), ("/connections/999999", "Connection not found"), ("/mirrors/999999", "Mirror not found"),
                        ("/no/such", "Nothing here")):  # fmt: skip
        page.goto(where)
        expect(page.get_by_role("heading", name=said)).to_be_visible()


def test_who_is_not_signed_in_is_told_how(page: Page, orla):
    page.context.clear_cookies()
    page.goto("/databases")
    expect(page.get_by_role("heading", name="You are not signed in")).to_be_visible()


def test_labels_are_picked_typed_and_taken_away(tasks):
    page, orla, database, _, record = tasks
    page.get_by_role("button", name="Fields").click()
    page.get_by_label("New field", exact=True).fill("Tags")
    page.get_by_label("Type", exact=True).click()
    page.get_by_role("option", name="labels").click()
    page.get_by_label("Add label to the new field").fill("Reeds, Leather")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Add field").click()
    page.get_by_label("allow new labels").click()
    expect(page.get_by_label("allow new labels")).to_be_checked()
    page.get_by_role("button", name="Close").click()
    page.get_by_role("gridcell", name="Order felt").click()
    page.get_by_label("Edit Tags").click()
    box = page.get_by_label("Tags", exact=True)
    page.get_by_role("option", name="Leather").click()
    box.press_sequentially("Wind")
    box.press("Enter")
    expect(page.get_by_role("button", name="Remove Wind")).to_be_visible()
    box.press("Enter")
    expect(page.get_by_label("Edit Tags: Leather, Wind")).to_be_visible()
    expect(page.get_by_role("gridcell", name="Leather, Wind")).to_be_visible()
    page.get_by_label("Edit Tags").click()
    page.get_by_role("button", name="Remove Leather").click()
    page.get_by_label("Tags", exact=True).press("Tab")
    expect(page.get_by_role("gridcell", name="Wind")).to_be_visible()
    expect(page.get_by_role("gridcell", name="Leather")).to_have_count(0)
    page.get_by_role("button", name="Undo").last.click()
    expect(page.get_by_role("gridcell", name="Leather, Wind")).to_be_visible()
    tags = next(str(f["id"]) for f in orla.api("GET", f"/databases/{database['id']}")["fields"] if f["name"] == "Tags")
    assert kept(orla, database, record)[tags] == ["2", "3"]
