"""Any two containers next to each other, live; and under the timetable while a sample is tried."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from support import Person, turn_on


def test_a_message_is_seen_to_cross(page: Page, orla: Person):
    on = turn_on(orla)
    page.get_by_role("link", name="Side by side").click()
    left, right = page.get_by_role("region", name="Left"), page.get_by_role("region", name="Right")
    left.get_by_label("Choose content").select_option(value=f"c{on.connection}.{orla.folders['Enquiries']}")
    right.get_by_label("Choose content").select_option(value=f"d{on.database['id']}")
    expect(left.get_by_text("No messages yet.")).to_be_visible()
    expect(right.get_by_text("No records yet.")).to_be_visible()
    orla.deliver("Quote for a tremulant")
    expect(right.get_by_role("link", name="Quote for a tremulant")).to_be_visible()
    expect(left.get_by_role("link", name="Quote for a tremulant")).to_be_visible()
    expect(right.locator("li.fresh")).to_have_count(1)
    page.reload()
    expect(right.get_by_role("link", name="Quote for a tremulant")).to_be_visible()
    orla.revoke(on.connection)
    expect(left.get_by_text("no longer accepts this connection")).to_be_visible()


def test_source_and_target_stay_in_sight_during_a_try(page: Page, orla: Person):
    on = turn_on(orla)
    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.deliver("Loft visit")
    page.goto(f"/workflows/{on.workflow}")
    page.get_by_role("button", name="Side by side").click()
    dock = page.get_by_role("region", name="Side by side")
    target = dock.get_by_role("region", name="Target")
    expect(dock.get_by_role("region", name="Source").get_by_role("link", name="Loft visit")).to_be_visible()
    expect(target.get_by_text("No records yet.")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Try ")).click()
    page.get_by_role("dialog").get_by_role("button", name="Run try").click()
    crossed = page.locator("section[aria-label='Target'] a", has_text="Loft visit")  # behind a dialog no role is told
    expect(crossed).to_be_visible()
    box, dialog = crossed.bounding_box(), page.get_by_role("dialog").bounding_box()
    assert box and dialog and box["y"] > dialog["y"] + dialog["height"] - 1, "it is not covered by the dialog"
