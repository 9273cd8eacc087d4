"""A line that lets runs rest, on screen: each way of waiting, what it would come to, and a run that rests."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from support import FIELDS, FILLS, document, until


def test_each_way_of_waiting_and_a_run_that_rests(page: Page, orla):
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS)
    orla.deliver("Quote for a tremulant")
    body = document(connection, orla.folders["Enquiries"], database, FILLS)
    workflow = orla.workflow("Later", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{workflow}")
    grid = page.get_by_role("grid")
    grid.get_by_text("a message arrives").click()
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Wait")).click()
    expect(grid.get_by_role("gridcell", name=re.compile("until"))).to_be_visible()
    page.get_by_label("How many", exact=True).fill("3")
    expect(grid.get_by_text("3 hours")).to_be_visible()
    page.get_by_label("How many", exact=True).fill("")
    expect(page.get_by_text("! enter a whole number").first).to_be_visible()

    page.get_by_label("Wait type").click()
    page.get_by_role("option", name="until a time").click()
    expect(page.get_by_text("Enter a time to wait for.")).to_be_visible()
    page.get_by_label("Until", exact=True).focus()
    page.get_by_label("The message As it looks").get_by_role("button", name=re.compile(r"\d\d:\d\d$")).click()
    expect(page.get_by_text("no wait needed").first).to_be_visible()

    page.get_by_label("Wait type").click()
    page.get_by_role("option", name="until working hours").click()
    for day in ("Mon", "Tue", "Wed", "Thu", "Fri"):
        page.get_by_label(day, exact=True).uncheck()
    expect(page.get_by_text("choose at least one working day").first).to_be_visible()
    page.get_by_label("Sun", exact=True).check()
    page.get_by_label("Work starts at").fill("03:07")
    page.get_by_label("Work ends at").fill("03:08")
    expect(page.get_by_role("status").filter(has_text=re.compile("would wait until .* 03:07"))).to_be_visible()
    until(lambda: orla.api("GET", f"/workflows/{workflow}")["document"]["lines"][1].get("begins") == "03:07")

    page.get_by_role("button", name="Turn on", exact=True).click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    page.get_by_role("link", name="Runs", exact=True).last.click()
    orla.deliver("Quote for reeds")
    expect(page.get_by_role("gridcell", name=re.compile("waits until .* 03:07"))).to_be_visible(timeout=20_000)
    assert orla.records(database["id"]) == []
