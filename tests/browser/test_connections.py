"""Connections and the practice apps in the real interface."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from support import Person, turn_on, until


def test_shared_nothing_shared_but_empty_and_refused_say_different_things(page: Page, orla):
    nothing, empty = orla.connect(), orla.connect("Empty")
    page.goto(f"/connections/{nothing}")
    expect(page.get_by_role("status")).to_contain_text("no folders are shared")
    expect(page.get_by_role("button", name="Change access").first).to_be_visible()
    page.goto(f"/connections/{empty}")
    expect(page.get_by_role("status")).to_contain_text("there are no messages in it yet")
    orla.revoke(empty)
    page.get_by_role("button", name="Look again").click()
    expect(page.get_by_role("status")).to_contain_text("refuses this connection")
    expect(page.get_by_role("button", name="Reconnect", exact=True).first).to_be_visible()
    page.goto("/connections")
    expect(page.get_by_role("row", name=re.compile("refused"))).to_be_visible()


def test_refusing_in_the_consent_window_connects_nothing(page: Page, orla):
    page.goto("/connections")
    page.get_by_role("button", name="Connect Mail").click()
    page.get_by_role("button", name=re.compile("Go on as")).last.click()
    page.get_by_role("button", name="Refuse").click()
    expect(page.get_by_text("Access was refused in the app’s window")).to_be_visible()
    expect(page.get_by_text("Nothing is connected yet")).to_be_visible()


def test_a_connection_is_renewed_with_its_own_account_only(page: Page, orla, kelvix):
    """Another account has other items under the same numbers: what the connection reads must not change hands."""
    on = turn_on(orla)
    other = Person.new(kelvix, "Quill")
    before = orla.token(on.connection)
    page.goto(f"/connections/{on.connection}")
    page.get_by_role("button", name="Change access", exact=True).first.click()
    page.get_by_role("button", name=re.compile("Go on as Quill")).last.click()
    page.get_by_label("Enquiries").check()
    page.get_by_role("button", name="Allow").click()
    said = page.get_by_role("alert")
    expect(said).to_contain_text("nothing was changed")
    assert orla.token(on.connection) == before
    other.deliver("Not for Orla")
    orla.deliver("For Orla")
    until(lambda: on.titles() == ["For Orla"])


def test_a_connection_is_renamed_in_place_and_removed(page: Page, orla):
    connection = orla.connect("Enquiries")
    page.goto(f"/connections/{connection}")
    name = page.get_by_label("Name of the connection")
    name.fill("Post of the works")
    name.press("Enter")
    until(lambda: orla.api("GET", f"/connections/{connection}")["name"] == "Post of the works")
    page.get_by_role("button", name="Remove").click()
    expect(page.get_by_text("Nothing is connected yet")).to_be_visible()


def test_a_connection_in_use_is_not_removed(page: Page, orla):
    on = turn_on(orla)
    page.goto(f"/connections/{on.connection}")
    expect(page.get_by_text("From the post")).to_be_visible()
    page.get_by_role("button", name="Remove").click()
    expect(page.get_by_text("in use by From the post", exact=False)).to_be_visible()


def test_a_message_written_on_the_practice_page_becomes_a_record(page: Page, orla):
    on = turn_on(orla)
    page.goto("/practice")
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Mail").click()
    mail = opened.value
    mail.get_by_role("button", name=re.compile(re.escape(f"orla-{orla.owner.id}-"))).click()
    mail.get_by_role("link", name="Enquiries").click()
    mail.get_by_label("Subject").fill("Written by hand")
    mail.get_by_label("Text").fill("On the page itself.")
    mail.get_by_role("button", name="Send").click()
    expect(mail.get_by_role("link", name="Written by hand")).to_be_visible()
    assert until(on.titles) == ["Written by hand"]


@pytest.mark.parametrize("mode", ["answers every call with 500", "refuses every token with 401"])
def test_a_fault_switch_shows_on_the_workflow(page: Page, orla, mode):
    on = turn_on(orla)
    page.goto("/practice")
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Fault switches and given access").click()
    practice = opened.value
    practice.get_by_role("button", name=re.compile(re.escape(f"orla-{orla.owner.id}-"))).click()
    try:
        practice.get_by_label("Mail’s API").select_option(mode)
        practice.get_by_role("button", name="Set Mail’s switches").click()
        page.goto(f"/workflows/{on.workflow}")
        page.get_by_role("button", name="check now").click()
        expect(
            page.get_by_text(re.compile("Last check failed: Mail (answered with an error|no longer accepts)"))
        ).to_be_visible()
    finally:
        orla.faults()
