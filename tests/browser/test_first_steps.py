"""From an empty workspace to a first item seen arriving, by the way that is offered, and by nothing else."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser.conftest import continue_as
from support import Person


def test_the_offered_path_leads_to_a_first_item(page: Page, orla: Person):
    orla.deliver("Quote for a tremulant")
    page.goto("/today")
    steps = page.get_by_role("region", name="First steps")
    here = steps.locator("[aria-current=step]")
    expect(here).to_contain_text("Connect an app")

    # Step 1: the app asks what is shared, in its own window.
    steps.get_by_role("button", name="Connect Mail").click()
    continue_as(page, orla)
    page.get_by_label("Enquiries").check()
    page.get_by_role("button", name="Allow").click()
    expect(here).to_contain_text("Create a workflow")

    # Step 2: one click makes it for what was shared; its sample is there without being asked for.
    steps.get_by_role("button", name="Create workflow").click()
    expect(page.get_by_label("Workflow name")).to_have_value("Enquiries: new messages")
    expect(page.get_by_role("columnheader").filter(has_text="Quote for a tremulant")).to_be_visible()
    expect(here).to_contain_text("Turn on the workflow")

    # Step 3: the first unfinished line is the one that is open.
    page.get_by_role("button", name="Create database from the sample").click()
    expect(page.get_by_label("Database name")).to_have_value("Enquiries")
    page.get_by_role("button", name="Create", exact=True).click()
    expect(page.get_by_role("grid").get_by_text(re.compile("fields? fit"))).to_be_visible()
    page.get_by_role("button", name="Turn on").click()
    expect(here).to_contain_text("See the first item arrive")
    expect(steps.get_by_role("link", name="Open Mail")).to_be_visible()

    # Step 4: it arrives, and is seen.
    orla.deliver("Loft visit")
    expect(steps.get_by_text("Your first item has arrived.")).to_be_visible()
    steps.get_by_role("link", name="Show runs").click()
    expect(page.get_by_role("columnheader").filter(has_text="Loft visit")).to_be_visible()
    page.goto("/today")
    expect(page.get_by_role("link", name="Loft visit")).to_be_visible()
    expect(page.get_by_role("region", name="First steps")).to_have_count(0)
