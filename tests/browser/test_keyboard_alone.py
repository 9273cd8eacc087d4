"""A workflow with a decision and a repeat, from an empty timetable, by keyboard alone; then edited so."""

from __future__ import annotations

import time

from playwright.sync_api import Page, expect

from support import until


def tab_to(page: Page, name: str, key: str = "Tab") -> None:
    """Press Tab until what has the focus is called so: again where it is not to be had yet."""
    end = time.monotonic() + 10
    while time.monotonic() < end:
        if page.evaluate(
            "n => { const e = document.activeElement; return !!e && (e.getAttribute('aria-label') ?? e.labels?.[0]?.textContent "
            "?? e.textContent ?? '').trim().startsWith(n) }",
            name,
        ):
            return
        page.keyboard.press(key)
    raise AssertionError(f"{name} can’t be reached by {key}")


def in_grid(page: Page) -> None:
    """To the grid's own cell."""
    for _ in range(120):
        if page.evaluate("() => document.activeElement?.matches('table.grid td')"):
            return
        page.keyboard.press("Tab")
    raise AssertionError("the grid can’t be reached")


def pick(page: Page, text: str) -> None:
    """Go down a menu or list to what begins so, and take it. On a machine that is busy it opens late, when some presses were
    made already: so it is begun anew from its top, since it ends at its foot."""
    end, presses = time.monotonic() + 10, 0
    while not page.evaluate("() => document.activeElement?.textContent ?? ''").startswith(text):
        assert time.monotonic() < end, f"{text} is not in the list"
        presses += 1
        page.keyboard.press("ArrowDown" if presses % 40 else "Home")
    page.keyboard.press("Enter")
    expect(page.get_by_role("presentation")).to_have_count(0)


def choose(page: Page, name: str, text: str) -> None:
    """Of a select box that is called so."""
    tab_to(page, name)
    page.keyboard.press("Enter")
    pick(page, text)


def go_to(page: Page, number: int) -> None:
    """To a line of the grid."""
    in_grid(page)
    for _ in range(30):
        page.keyboard.press("ArrowUp")
    for _ in range(number - 1):
        page.keyboard.press("ArrowDown")
    expect(page.locator("tr.chosen .no")).to_have_text(str(number))


def insert(page: Page, after: int, verb: str) -> None:
    go_to(page, after)
    page.keyboard.press("Insert")
    pick(page, f"{verb}:")
    expect(page.get_by_role("presentation")).to_have_count(0)


def lines(page: Page) -> list[str]:
    """The lines as they read, with their number and indent."""
    rows = page.locator("table.grid tbody tr:has(.verb)")
    texts = rows.evaluate_all(
        "rows => rows.map(r => '  '.repeat((parseInt(r.cells[0].style.paddingLeft) - 10) / 16) + r.querySelector('.verb').textContent"
        " + ' ' + r.querySelector('.obj').textContent)"
    )
    return [t.rstrip() for t in texts]


def test_a_decision_and_a_repeat_are_built_and_changed_by_keyboard_alone(page: Page, orla):
    connection = orla.connect("Enquiries")
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    orla.deliver("Quote for a tremulant")
    orla.deliver("Papers", attachments={"survey.pdf": b"%PDF", "plan.png": b"PNG"})
    workflow = orla.api("POST", "/workflows", json={"name": "Sorted"})["id"]
    page.goto(f"/workflows/{workflow}")
    expect(page.get_by_role("grid")).to_be_visible()

    go_to(page, 1)
    page.keyboard.press("Enter")
    choose(page, "Connection", "Mail")
    tab_to(page, "Folder")
    page.keyboard.type("Enquiries")
    page.keyboard.press("Enter")
    expect(page.get_by_role("columnheader").filter(has_text="Papers")).to_be_visible()
    go_to(page, 2)
    page.keyboard.press("Delete")
    expect(page.locator("table.grid .verb")).to_have_count(1)

    insert(page, 1, "Decide")
    assert lines(page)[1:] == ["Decide which branch to take", "  If this holds", "  Otherwise"]
    go_to(page, 3)
    page.keyboard.press("Enter")
    tab_to(page, "+ Add condition")
    page.keyboard.press("Enter")
    tab_to(page, "Compared with")
    page.keyboard.type("quote")
    insert(page, 3, "Add")
    choose(page, "Database to add to", "Tasks")
    tab_to(page, "Name is filled with")
    page.keyboard.type("A quote")

    insert(page, 5, "For each")
    choose(page, "The list to go through", "Attachments")
    insert(page, 6, "Add")
    choose(page, "Database to add to", "Tasks")
    tab_to(page, "Name is filled with")
    page.keyboard.type("each")
    expect(page.get_by_role("listbox")).to_be_visible()
    page.keyboard.press("Enter")
    built = [
        "When a message arrives",
        "Decide which branch to take",
        "  If this holds",
        "    Add a record to Tasks",
        "  Otherwise",
        "    For each of its attachments",
        "      Add a record to Tasks",
    ]
    assert lines(page) == built
    expect(page.get_by_text("2 times")).to_be_visible()

    go_to(page, 4)
    page.keyboard.press("Control+d")
    expect(page.locator("table.grid .verb")).to_have_count(8)
    expect(page.locator("tr.chosen .no")).to_have_text("5")
    page.keyboard.press("Alt+ArrowDown")  # out of the first way, into the next
    assert lines(page)[3:6] == ["    Add a record to Tasks", "  Otherwise", "    Add a record to Tasks"]
    for _ in range(4):
        page.keyboard.press("Alt+ArrowDown")  # past the repeat's line, out of it, out of the decision
    assert lines(page)[-1] == "Add a record to Tasks"
    in_grid(page)
    page.keyboard.press("Delete")
    expect(page.locator("table.grid .verb")).to_have_count(7)
    page.keyboard.press("Control+z")
    expect(page.locator("table.grid .verb")).to_have_count(8)
    page.keyboard.press("Control+Shift+z")
    expect(page.locator("table.grid .verb")).to_have_count(7)
    assert lines(page) == built

    tab_to(page, "Turn on")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Turn off")).to_be_visible()
    orla.deliver("More papers", attachments={"a.pdf": b"%PDF", "b.pdf": b"%PDF"})
    orla.deliver("A quote, please")

    def titles():
        return sorted(r["values"][str(tasks["fields"][0]["id"])] for r in orla.records(tasks["id"]))

    assert until(lambda: len(titles()) == 3 and titles()) == ["A quote", "a.pdf", "b.pdf"]
    assert connection


def test_a_sample_is_made_up_with_attachments(page, orla):
    from support import document

    connection = orla.connect("Enquiries")
    database = orla.database("Papers", {"name": "Name", "type": "text"})
    workflow = orla.workflow("Papers", document(connection, orla.folders["Enquiries"], database, {"Name": "subject"}))
    page.goto(f"/workflows/{workflow}")
    page.get_by_role("button", name="create sample").first.click()
    page.get_by_role("textbox", name="Subject").fill("Two papers")
    for number, name in enumerate(("plan.pdf", "survey.pdf"), 1):
        page.get_by_role("region", name="Attachments").get_by_role("button", name="+ Add row").click()
        page.get_by_label(f"Name {number}").fill(name)
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    [sample] = orla.api("GET", f"/workflows/{workflow}/samples")
    assert [row["name"] for row in sample["lists"]["attachments"]] == ["plan.pdf", "survey.pdf"]
