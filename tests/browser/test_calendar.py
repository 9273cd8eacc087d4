"""A calendar of records: planned by dragging, stretching and by keyboard alone, by the clock on the wall, live."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from playwright.sync_api import Locator, Page, expect

from support import until

MONDAY = date(2026, 10, 19)  # the clocks go back on the Sunday of this week
TUESDAY, FRIDAY, SUNDAY = (MONDAY + timedelta(days=n) for n in (1, 4, 6))


@pytest.fixture
def visits(page: Page, orla):
    made = orla.database(
        "Visits",
        {"name": "Name", "type": "text"},
        {"name": "When", "type": "span"},
        {"name": "Who", "type": "text"},
    )
    ids = {f["name"]: f["id"] for f in made["fields"]}
    for name, when in (
        ("Oxbow Priory", f"{MONDAY}T08:00:00Z/{MONDAY}T10:00:00Z"),
        ("St Osyth", f"{TUESDAY}/{TUESDAY + timedelta(days=1)}"),
        ("Wick Chapel", None),
    ):
        values = {ids["Name"]: name, ids["When"]: when, ids["Who"]: "Petra"}
        orla.api("POST", f"/databases/{made['id']}/records", json={"values": values})
    view = {"kind": "calendar", "by": ids["When"]}
    kept = orla.api("POST", f"/databases/{made['id']}/views", json={"name": "By week", "view": view})
    page.goto(f"/databases/{made['id']}?view={kept['id']}&at={MONDAY}")
    expect(page.get_by_role("button", name="Oxbow Priory")).to_be_visible()

    def when(name: str) -> str | None:
        return next(r["values"][ids["When"]] for r in orla.records(made["id"]) if r["values"][ids["Name"]] == name)

    return page, orla, made["id"], ids, when


def drag(page: Page, what: Locator, x: float, y: float, grab: float = 6) -> None:
    """From a little below its top to a place of the screen."""
    box = what.bounding_box()
    assert box
    page.mouse.move(box["x"] + 12, box["y"] + grab)
    page.mouse.down()
    page.mouse.move(box["x"] + 20, box["y"] + grab + 8, steps=2)
    page.mouse.move(x, y, steps=6)
    page.mouse.up()


def test_visits_are_planned_by_dragging(visits):
    page, _, _, _, when = visits
    oxbow = page.get_by_role("button", name="Oxbow Priory")

    def at(day: date, hour: float) -> tuple[float, float]:
        """Where an hour of a day is drawn."""
        box = page.locator(f".day-of[data-day='{day}']").bounding_box()
        assert box
        return box["x"] + box["width"] / 2, box["y"] + hour * 44

    x, y = at(FRIDAY, 14.5)
    drag(page, oxbow, x, y + 6)
    until(lambda: when("Oxbow Priory") == f"{FRIDAY}T13:30:00Z/{FRIDAY}T15:30:00Z")  # 14:30 in London, as long as before
    expect(page.get_by_role("complementary", name="Record")).to_have_count(0)  # what was dragged is not opened

    # Over the change of the clocks it stays at its hour.
    expect(page.get_by_role("button", name="Oxbow Priory Friday 23 October 2026, 14:30–16:30")).to_be_visible()
    x, y = at(SUNDAY, 9)
    drag(page, oxbow, x, y + 6)
    until(lambda: when("Oxbow Priory") == f"{SUNDAY}T09:00:00Z/{SUNDAY}T11:00:00Z")

    # Stretched at its end.
    expect(page.get_by_role("button", name="Oxbow Priory Sunday 25 October 2026, 09:00–11:00")).to_be_visible()
    box = oxbow.bounding_box()
    assert box
    page.mouse.move(box["x"] + 20, box["y"] + box["height"] - 3)
    page.mouse.down()
    page.mouse.move(box["x"] + 20, box["y"] + box["height"] + 20, steps=3)
    page.mouse.move(*at(SUNDAY, 12.25), steps=4)
    page.mouse.up()
    until(lambda: when("Oxbow Priory") == f"{SUNDAY}T09:00:00Z/{SUNDAY}T12:15:00Z")

    # In from the margin, and what takes whole days to another day.
    margin = page.get_by_role("complementary", name="Without When")
    x, y = at(TUESDAY, 10)
    drag(page, margin.get_by_role("button", name="Wick Chapel"), x, y + 6)
    until(lambda: when("Wick Chapel") == f"{TUESDAY}T09:00:00Z/{TUESDAY}T10:00:00Z")
    expect(margin.get_by_role("button")).to_have_count(0)
    box = page.locator(f".head-of[data-day='{FRIDAY}']").bounding_box()
    assert box
    drag(page, page.get_by_role("button", name="St Osyth"), box["x"] + 40, box["y"] + 10)
    until(lambda: when("St Osyth") == f"{FRIDAY}/{FRIDAY + timedelta(days=1)}")
    page.get_by_role("button", name="Undo").click()
    until(lambda: when("St Osyth") == f"{TUESDAY}/{TUESDAY + timedelta(days=1)}")

    # A month: from day to day, at its hour.
    page.get_by_role("button", name="month", exact=True).click()
    expect(page.get_by_role("heading", name="October 2026")).to_be_visible()
    box = page.locator(f".daycell[data-day='{MONDAY}']").bounding_box()
    assert box
    drag(page, page.get_by_role("button", name="Wick Chapel"), box["x"] + 60, box["y"] + 60)
    until(lambda: when("Wick Chapel") == f"{MONDAY}T09:00:00Z/{MONDAY}T10:00:00Z")


def test_visits_are_planned_by_keyboard_alone_and_seen_live(visits):
    page, orla, database, ids, when = visits
    page.get_by_role("button", name="Oxbow Priory").focus()
    page.keyboard.press("Alt+ArrowRight")
    until(lambda: when("Oxbow Priory") == f"{TUESDAY}T08:00:00Z/{TUESDAY}T10:00:00Z")
    for key, expected in (("Alt+ArrowDown", "08:15:00Z/{}T10:15:00Z"), ("Alt+Shift+ArrowDown", "08:15:00Z/{}T10:30:00Z")):
        expect(page.get_by_role("button", name="Oxbow Priory Tuesday")).to_be_visible()
        page.wait_for_timeout(1200)  # until what was moved is told
        page.get_by_role("button", name="Oxbow Priory").focus()
        page.keyboard.press(key)
        until(lambda expected=expected: when("Oxbow Priory") == f"{TUESDAY}T{expected.format(TUESDAY)}")
    page.get_by_role("button", name="Wick Chapel").focus()
    page.keyboard.press("Alt+ArrowLeft")
    until(lambda: when("Wick Chapel") == f"{MONDAY}/{MONDAY}")

    # Elsewhere it is moved into the next week: it leaves, and is found there.
    found = next(r for r in orla.records(database) if r["values"][ids["Name"]] == "Oxbow Priory")
    later = f"{MONDAY + timedelta(days=7)}T09:00/{MONDAY + timedelta(days=7)}T10:00"
    where = f"/databases/{database}/records/{found['id']}"
    orla.api("PATCH", where, json={"values": {ids["When"]: later}}, headers={"if-match": str(found["version"])})
    expect(page.get_by_role("button", name="Oxbow Priory")).to_have_count(0)
    page.get_by_role("button", name="Later ›").click()
    expect(page.get_by_role("heading", name="Week of 26 Oct 2026")).to_be_visible()
    page.get_by_role("button", name="Oxbow Priory Monday 26 October 2026, 09:00–10:00").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("complementary", name="Record")).to_contain_text("Oxbow Priory")
    page.get_by_role("link", name="Close record").click()
    expect(page.get_by_role("heading", name="Week of 26 Oct 2026")).to_be_visible()
    page.get_by_role("button", name="Add record").click()  # of the week that is looked at
    expect(page.get_by_role("complementary", name="Record")).to_contain_text("New record")
    assert when("New record") == f"{MONDAY + timedelta(days=7)}/{MONDAY + timedelta(days=7)}"


def test_visits_stand_on_one_long_rule_and_are_read_as_a_list(visits):
    page, orla, database, ids, when = visits
    where = f"/databases/{database}"
    timeline = {"kind": "timeline", "by": ids["When"]}
    kept = orla.api("POST", f"{where}/views", json={"name": "Over the weeks", "view": timeline})["id"]
    page.goto(f"{where}?view={kept}&at={MONDAY}")
    osyth = page.get_by_role("button", name="St Osyth")

    def day(of: date) -> tuple[float, float]:
        """Where a day stands on the rule."""
        box = page.locator(f".tick[data-day='{of}']").bounding_box()
        assert box
        return box["x"] + box["width"] / 2, box["y"]

    box = osyth.bounding_box()
    assert box and abs(box["width"] - 2 * 22) <= 4  # two days
    x, _ = day(FRIDAY + timedelta(days=1))
    page.mouse.move(box["x"] + box["width"] - 12, box["y"] + 10)  # taken by its second day
    page.mouse.down()
    page.mouse.move(x - 30, box["y"] + 12, steps=3)
    page.mouse.move(x, box["y"] + 12, steps=3)
    page.mouse.up()
    until(lambda: when("St Osyth") == f"{FRIDAY}/{FRIDAY + timedelta(days=1)}")
    expect(page.get_by_role("button", name="St Osyth Friday 23 October 2026")).to_be_visible()
    box = osyth.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] - 3, box["y"] + 10)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] + 15, box["y"] + 10, steps=3)
    page.mouse.move(day(FRIDAY + timedelta(days=5))[0], box["y"] + 10, steps=3)
    page.mouse.up()
    until(lambda: when("St Osyth") == f"{FRIDAY}/{FRIDAY + timedelta(days=5)}")

    found = next(r for r in orla.records(database) if r["values"][ids["Name"]] == "Oxbow Priory")
    text = {"0": "The **Trumpet** wants voicing.", ids["Who"]: "Petra and Ivo"}
    orla.api("PATCH", f"{where}/records/{found['id']}", json={"values": text}, headers={"if-match": str(found["version"])})
    reading = {"kind": "list", "order": [{"field": ids["Name"]}], "group": ids["Who"]}
    kept = orla.api("POST", f"{where}/views", json={"name": "For reading", "view": reading})["id"]
    page.goto(f"{where}?view={kept}")
    expect(page.get_by_role("heading", name="Petra 2")).to_be_visible()
    entry = page.get_by_role("article").filter(has_text="Oxbow Priory")
    expect(entry.locator("strong")).to_have_text("Trumpet")
    expect(entry.get_by_role("definition")).to_contain_text("19 Oct 2026, 09:00")
    entry.get_by_role("button", name="Oxbow Priory").click()
    expect(page.get_by_role("complementary", name="Record")).to_contain_text("Oxbow Priory")
