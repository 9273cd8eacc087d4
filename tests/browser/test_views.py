"""Views of a database: changed in their sentence, saved and shared by address; a table worked in as in a spreadsheet; a board whose
records are dragged, also by keyboard."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, expect

from support import until

STAGES = ["To do", "On the bench", "Done"]
TASKS = [
    ("Voice the Trumpet", "To do", "2026-12-04", "7"),
    ("Glue the soundboard", "On the bench", "2026-12-01", "18"),
    ("Plane the sliders", "To do", "2026-11-02", "6.5"),
    ("Order felt", None, None, "1"),
]
COPIED = """async cells => {
  const data = new DataTransfer();
  for (const [kind, text] of Object.entries(cells)) data.setData(kind, text);
  document.activeElement.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
}"""
READ = """() => {
  const data = new DataTransfer();
  document.activeElement.dispatchEvent(new ClipboardEvent('copy', {clipboardData: data, bubbles: true, cancelable: true}));
  return Object.fromEntries(data.types.map(t => [t, data.getData(t)]));
}"""


@pytest.fixture
def tasks(page: Page, orla):
    made = orla.database(
        "Tasks",
        {"name": "Name", "type": "text"},
        {"name": "Stage", "type": "choice", "choices": STAGES},
        {"name": "Due", "type": "date"},
        {"name": "Hours", "type": "number"},
    )
    ids = {f["name"]: f["id"] for f in made["fields"]}
    for name, stage, due, hours in reversed(TASKS):
        values = {ids["Name"]: name, ids["Stage"]: stage, ids["Due"]: due, ids["Hours"]: hours}
        orla.api("POST", f"/databases/{made['id']}/records", json={"values": values})
    page.goto(f"/databases/{made['id']}")
    expect(page.get_by_role("gridcell", name="Order felt")).to_be_visible()
    return page, orla, made["id"], ids


def values_of(orla, database, ids, *names):
    """What records have in these fields, by their names, choices by theirs."""
    fields = {f["id"]: f for f in orla.api("GET", f"/databases/{database}")["fields"]}

    def told(field, value):
        return next((c["name"] for c in fields[field]["choices"] if c["id"] == value), value)

    return {r["values"][ids["Name"]]: tuple(told(ids[n], r["values"][ids[n]]) for n in names) for r in orla.records(database)}


def names(page: Page) -> list[str]:
    """The titles of the rows of the table, in their order; heads of groups as they read."""
    rows = page.locator(".vt .body > .tr")
    return rows.evaluate_all(
        "rows => rows.map(r => (r.querySelector('[data-at$=\" 0\"]') ?? r).textContent.replace(/[▲▾]/g, '').trim())"
    )


def change(page: Page, part: str) -> None:
    page.locator(".sentence").get_by_role("button", name=part).first.click()
    expect(page.get_by_role("dialog", name="Change view")).to_be_visible()


def pick(page: Page, box: str, option: str) -> None:
    page.get_by_role("combobox", name=box).click()
    page.get_by_role("option", name=option, exact=True).click()


def done(page: Page) -> None:
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Change view")).to_have_count(0)


def test_a_view_is_changed_in_its_sentence_saved_and_shared_by_its_address(tasks):
    page, orla, database, ids = tasks
    change(page, "all records")
    page.get_by_role("button", name="Add condition").click()
    pick(page, "Field of the condition", "Stage")
    pick(page, "Comparison of the condition", "is not")
    pick(page, "Value of the condition", "Done")
    done(page)
    change(page, "newest first")
    page.get_by_role("button", name="Add field").click()
    pick(page, "Ordered by", "Due")
    page.get_by_label("latest first").check()
    done(page)
    change(page, "Change view")
    pick(page, "Grouped by:", "Stage")
    done(page)
    expect(page.locator(".sentence")).to_contain_text("records where Stage is not Done, grouped by Stage, Due latest first")
    shown = [
        "To do · 2",
        "Voice the Trumpet",
        "Plane the sliders",
        "On the bench · 1",
        "Glue the soundboard",
        "No Stage · 1",
        "Order felt",
    ]
    until(lambda: names(page) == shown)

    # What was not saved is in the address too: another person sees the same, and nobody's view was changed.
    other = page.context.new_page()
    other.goto(page.url)
    until(lambda: names(other) == shown)
    other.close()
    assert orla.api("GET", f"/databases/{database}/views")["views"] == []

    page.get_by_role("button", name="Total of Hours").click()
    page.get_by_role("menuitem", name="Sum").click()
    expect(page.get_by_role("button", name="Total of Hours: Sum 32.5")).to_be_visible()
    page.get_by_role("button", name="Save as new view").click()
    page.get_by_role("textbox", name="Name").fill("Open, by stage")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("heading", name="Tasks: open, by stage")).to_be_visible()
    (kept,) = orla.api("GET", f"/databases/{database}/views")["views"]
    assert (kept["name"], kept["view"]["totals"]) == ("Open, by stage", [{"field": ids["Hours"], "figure": "sum"}])

    # Live: an edit elsewhere moves a record to its group.
    plane = next(r for r in orla.records(database) if r["values"][ids["Name"]] == "Plane the sliders")
    where = f"/databases/{database}/records/{plane['id']}"
    orla.api("PATCH", where, json={"values": {ids["Stage"]: "On the bench"}}, headers={"if-match": "1"})
    until(lambda: names(page)[3:5] == ["Glue the soundboard", "Plane the sliders"])
    expect(page.get_by_text("On the bench · 2")).to_be_visible()

    # Back to all records, and a condition that cannot be.
    page.get_by_role("heading", level=1).get_by_role("button").click()
    page.get_by_role("menuitem", name="All records").click()
    until(lambda: len(names(page)) == 4)
    change(page, "all records")
    page.get_by_role("button", name="Add condition").click()
    pick(page, "Field of the condition", "Due")
    pick(page, "Comparison of the condition", "is in")
    page.get_by_label("Value of the condition").fill("soon")
    page.get_by_label("Value of the condition").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("The filter on Due is not valid.")
    page.get_by_label("Value of the condition").fill("November 2026")
    done(page)
    page.get_by_role("button", name="Discard changes").click()
    until(lambda: len(names(page)) == 4)
    page.go_back()
    page.reload()
    expect(page.get_by_role("heading", name=re.compile("Tasks: "))).to_be_visible()


def test_cells_are_worked_in_as_in_a_spreadsheet(tasks):
    page, orla, database, ids = tasks
    page.locator("[data-at='0 3']").click()
    page.keyboard.type("9")
    expect(page.get_by_label("Hours", exact=True)).to_have_value("9")
    page.keyboard.press("Enter")  # and on below
    expect(page.locator("[data-at='1 3']")).to_be_focused()
    page.keyboard.type("20")
    page.keyboard.press("Shift+Tab")  # and on beside
    expect(page.locator("[data-at='1 2']")).to_be_focused()
    page.keyboard.type("x")
    page.keyboard.press("Escape")
    until(lambda: [v[0] for v in values_of(orla, database, ids, "Hours").values()] == ["9", "20", "6.5", "1"])

    # A range: copied as a spreadsheet program takes it, pasted elsewhere, undone.
    page.locator("[data-at='0 1']").click()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Shift+ArrowRight")
    copied = page.evaluate(READ)
    assert copied["text/plain"] == "To do\t2026-12-04\nOn the bench\t2026-12-01"
    page.locator("[data-at='2 1']").click()
    page.evaluate(COPIED, {"text/plain": copied["text/plain"]})
    expect(page.get_by_text("Pasted: 2 records.")).to_be_visible()
    until(lambda: values_of(orla, database, ids, "Stage", "Due")["Order felt"] == ("On the bench", "2026-12-01"))
    page.get_by_role("button", name="Undo").click()
    until(lambda: values_of(orla, database, ids, "Stage", "Due")["Order felt"] == (None, None))
    assert values_of(orla, database, ids, "Due")["Plane the sliders"] == ("2026-11-02",)

    # One cell over a range; a text that does not fit is refused, and nothing is written.
    page.locator("[data-at='0 3']").click()
    page.keyboard.press("Shift+End")
    page.keyboard.press("Shift+ArrowDown")
    page.evaluate(COPIED, {"text/plain": "many"})
    expect(page.get_by_text("Row 1 is not valid. Nothing was saved.")).to_be_visible()
    page.evaluate(COPIED, {"text/plain": '"3"\n'})
    until(lambda: [v[0] for v in values_of(orla, database, ids, "Hours").values()] == ["3", "3", "6.5", "1"])

    # Filled down, emptied.
    page.locator("[data-at='0 1']").click()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Control+d")
    until(lambda: {v[0] for v in values_of(orla, database, ids, "Stage").values()} == {"To do"})
    page.keyboard.press("Delete")
    until(lambda: {v[0] for v in values_of(orla, database, ids, "Stage").values()} == {None})


def test_what_is_pasted_over_the_head_of_a_group_goes_on_below_it(tasks):
    page, orla, database, ids = tasks
    kept = orla.api(
        "POST",
        f"/databases/{database}/views",
        json={"name": "By stage", "view": {"kind": "table", "group": ids["Stage"], "order": [{"field": ids["Hours"]}]}},
    )
    page.goto(f"/databases/{database}?view={kept['id']}")
    until(lambda: names(page)[:4] == ["To do · 2", "Plane the sliders", "Voice the Trumpet", "On the bench · 1"])
    page.locator("[data-at='2 2']").click()
    page.evaluate(COPIED, {"text/plain": "2027-01-04\n2027-01-05"})
    expect(page.get_by_text("Pasted: 2 records.")).to_be_visible()
    due = values_of(orla, database, ids, "Due")
    assert (due["Voice the Trumpet"], due["Glue the soundboard"]) == (("2027-01-04",), ("2027-01-05",))


def test_rows_beyond_the_last_are_added_by_pasting_and_many_are_edited_at_once(tasks):
    page, orla, database, ids = tasks
    page.locator("[data-at='3 0']").focus()
    page.evaluate(COPIED, {"text/plain": 'Order white felt\tDone\nRing the verger\tTo do\r\n"Two ""lines"""\tDone\r\n'})
    expect(page.get_by_text("Pasted: 3 records.")).to_be_visible()
    kept = values_of(orla, database, ids, "Stage")
    assert kept["Order white felt"] == ("Done",) and kept["Ring the verger"] == ("To do",) and kept['Two "lines"'] == ("Done",)
    expect(page.get_by_role("gridcell", name="Ring the verger")).to_be_visible()

    page.get_by_role("checkbox", name="Select all shown").check()
    page.get_by_role("button", name="Edit them").click()
    page.get_by_label("Stage", exact=True).select_option("On the bench")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Edited: 5 records.")).to_be_visible()
    until(lambda: {v[0] for v in values_of(orla, database, ids, "Stage").values()} == {"On the bench"})


def test_columns_are_chosen_moved_widened_and_kept_in_sight(tasks):
    page, _, _, ids = tasks
    heads = page.get_by_role("columnheader")

    def titles():
        return heads.locator("b").all_text_contents()

    change(page, "Change view")
    page.get_by_role("checkbox", name="Stage").uncheck()
    page.get_by_role("button", name="Move Hours left").click()
    pick(page, "Columns that stay in sight:", "2")
    done(page)
    until(lambda: titles() == ["Name", "Hours", "Due"])
    heads.filter(has_text="Due").drag_to(heads.filter(has_text="Hours"))
    until(lambda: titles() == ["Name", "Due", "Hours"])
    grip = page.get_by_role("separator", name="Width of Name")
    before = int(grip.get_attribute("aria-valuenow") or 0)
    grip.focus()
    page.keyboard.press("ArrowRight")
    until(lambda: int(grip.get_attribute("aria-valuenow") or 0) == before + 16)
    asked = json.loads(page.evaluate("() => new URLSearchParams(location.search).get('edited')"))
    assert [c["field"] for c in asked["columns"]] == [ids["Name"], ids["Due"], ids["Hours"]]
    assert (asked["columns"][0]["width"], asked["frozen"]) == (before + 16, 2)


def board(page: Page) -> dict[str, list[str]]:
    """What stands in each group, in its order."""
    told = "all => all.map(s => [s.getAttribute('aria-label'), [...s.querySelectorAll('li.entry b')].map(b => b.innerText)])"
    return dict(page.locator(".stack").evaluate_all(told))


def test_records_are_dragged_across_a_board_and_moved_by_keyboard_alone(tasks):
    page, orla, database, ids = tasks
    view = {"kind": "board", "group": ids["Stage"], "order": [{"field": ids["Due"]}], "totals": [{"field": ids["Hours"]}]}
    kept = orla.api("POST", f"/databases/{database}/views", json={"name": "Bench", "view": view})
    page.goto(f"/databases/{database}?view={kept['id']}")
    first = {
        "To do": ["Plane the sliders", "Voice the Trumpet"],
        "On the bench": ["Glue the soundboard"],
        "Done": [],
        "No Stage": ["Order felt"],
    }
    until(lambda: board(page) == first)
    expect(page.get_by_role("region", name="To do").get_by_role("heading")).to_contain_text("To do 2")
    expect(page.get_by_role("region", name="To do").get_by_role("heading")).to_contain_text("13.5")

    voice = page.get_by_role("button", name="Voice the Trumpet")
    start, to = voice.bounding_box(), page.get_by_role("region", name="On the bench").bounding_box()
    assert start and to
    page.mouse.move(start["x"] + 40, start["y"] + 20)
    page.mouse.down()
    page.mouse.move(start["x"] + 60, start["y"] + 30, steps=3)
    page.mouse.move(to["x"] + 60, to["y"] + 120, steps=8)
    gap = page.locator(".stack .gap")
    expect(gap).to_be_visible()
    until(lambda: "52px" in (gap.get_attribute("style") or ""))  # after what is due before it
    page.mouse.up()
    until(lambda: values_of(orla, database, ids, "Stage")["Voice the Trumpet"] == ("On the bench",))
    until(lambda: board(page)["On the bench"] == ["Glue the soundboard", "Voice the Trumpet"])
    page.get_by_role("button", name="Undo").click()
    until(lambda: board(page) == first)

    # By keyboard: lifted, carried over two groups, put down; another put back by Escape.
    page.get_by_role("button", name="Plane the sliders").focus()
    page.keyboard.press("Space")
    for _ in range(2):
        page.wait_for_timeout(100)
        page.keyboard.press("ArrowRight")
    expect(page.get_by_text("Plane the sliders is over Done.")).to_be_attached()
    page.keyboard.press("Space")
    until(lambda: values_of(orla, database, ids, "Stage")["Plane the sliders"] == ("Done",))
    until(lambda: board(page)["Done"] == ["Plane the sliders"])
    page.get_by_role("button", name="Order felt").focus()
    page.keyboard.press("Space")
    page.wait_for_timeout(100)
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Escape")
    assert values_of(orla, database, ids, "Stage")["Order felt"] == (None,)

    # Enter opens it at the side, the view stays; elsewhere it moves, and does so here.
    page.get_by_role("button", name="Glue the soundboard").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("complementary", name="Record")).to_contain_text("Glue the soundboard")
    felt = next(r for r in orla.records(database) if r["values"][ids["Name"]] == "Order felt")
    where = f"/databases/{database}/records/{felt['id']}"
    orla.api("PATCH", where, json={"values": {ids["Stage"]: "To do"}}, headers={"if-match": str(felt["version"])})
    until(lambda: board(page)["To do"] == ["Order felt", "Voice the Trumpet"])
    page.get_by_role("link", name="Close record").click()
    expect(page.get_by_role("heading", name="Tasks: bench")).to_be_visible()
