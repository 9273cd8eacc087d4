"""Connections and the practice apps in the real interface."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import continue_as
from proxy import Proxy
from support import Person, document, turn_on, until


def test_shared_nothing_shared_but_empty_and_refused_say_different_things(page: Page, orla):
    nothing, empty = orla.connect(), orla.connect("Empty")
    page.goto(f"/connections/{nothing}")
    expect(page.get_by_role("status")).to_contain_text("no folders are shared")
    expect(page.get_by_role("button", name="Change access").first).to_be_visible()
    page.goto(f"/connections/{empty}")
    expect(page.get_by_role("status")).to_contain_text("The shared folders are empty")
    orla.revoke(empty)
    page.get_by_role("button", name="Check connection").click()
    expect(page.get_by_role("status")).to_contain_text("refuses this connection")
    expect(page.get_by_role("button", name="Reconnect", exact=True).first).to_be_visible()
    page.goto("/connections")
    expect(page.get_by_role("row", name=re.compile("Refused"))).to_be_visible()


def test_refusing_in_the_consent_window_connects_nothing(page: Page, orla):
    page.goto("/connections")
    page.get_by_role("button", name="Connect Mail").click()
    continue_as(page, orla)
    page.get_by_role("button", name="Refuse").click()
    expect(page.get_by_text("You refused access in the app")).to_be_visible()
    expect(page.get_by_text("No connections yet")).to_be_visible()


def test_a_connection_is_renewed_with_its_own_account_only(page: Page, orla, kelvix):
    """Another account has other items under the same numbers: what the connection reads must not change hands."""
    on = turn_on(orla)
    other = Person.new(kelvix, "Quill")
    before = orla.token(on.connection)
    page.goto(f"/connections/{on.connection}")
    page.get_by_role("button", name="Change access", exact=True).first.click()
    continue_as(page, other)
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
    name = page.get_by_label("Connection name")
    name.fill("Post of the works")
    name.press("Enter")
    until(lambda: orla.api("GET", f"/connections/{connection}")["name"] == "Post of the works")
    page.get_by_role("button", name="Remove").click()
    expect(page.get_by_text("No connections yet")).to_be_visible()


def test_a_connection_in_use_is_not_removed(page: Page, orla):
    on = turn_on(orla)
    page.goto(f"/connections/{on.connection}")
    expect(page.get_by_role("cell", name="From the post")).to_be_visible()
    page.get_by_role("button", name="Remove").click()
    expect(page.get_by_text("used by From the post", exact=False)).to_be_visible()


def test_calls_that_will_not_last_are_said_on_the_connection_and_before_turning_on(page: Page, orla: Person):
    members = str(orla.container("tables", "Members"))
    connection = orla.connect("Members", app="tables")
    database = orla.database("Letters", {"name": "Name", "type": "text"})
    made = document(connection, members, database, {"Name": "number"})
    made["lines"][0] |= {"app": "tables", "event": "arrives", "container_name": "Members", "every": 60}
    workflow = orla.workflow("Members of the choir", made)
    try:
        orla.faults("monthly", app="tables")
        page.goto(f"/connections/{connection}")
        expect(page.get_by_text("Tables allows 300 calls in 30 days")).to_be_visible()
        page.goto(f"/workflows/{workflow}")
        page.get_by_role("button", name="Turn on", exact=True).click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("At about 1,440 a day they run out on")
        dialog.get_by_role("button", name="Cancel").click()
        assert orla.api("GET", f"/workflows/{workflow}")["state"] == "off"
        page.get_by_role("button", name="Turn on", exact=True).click()
        dialog.get_by_role("button", name="Turn on anyway").click()
        expect(page.get_by_text("Turned on. New items will run from now on.")).to_be_visible()
        made["lines"][0]["every"] = 20
        version = orla.api("GET", f"/workflows/{workflow}")["draft_version"]
        draft = {"name": "Members of the choir", "document": made}
        orla.api("PUT", f"/workflows/{workflow}", json=draft, headers={"if-match": str(version)})
        page.reload()
        page.get_by_role("button", name="Turn on this draft").click()  # asked more often still
        expect(dialog).to_contain_text("At about 4,320 a day they run out on")
        dialog.get_by_role("button", name="Cancel").click()
        page.goto("/needs")
        cause = page.locator("section").filter(has_text="Tables allows 300 calls in 30 days")
        cause.get_by_role("button", name="Open connection").click()
        expect(page.get_by_role("row", name=re.compile("Members of the choir"))).to_contain_text("43,834")
    finally:
        orla.faults(app="tables")


def test_a_key_is_given_with_the_address_of_its_server(page: Page, orla: Person):
    project = orla.container("issues", "Oxbow")
    with orla.practice_page() as practice:
        practice.post(f"/issues/projects/{project}", data={"title": "Cipher"})
    page.goto("/connections")
    page.get_by_role("button", name="Connect Issues").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("Server")).to_have_value(orla.kelvix.settings.practice_address)
    dialog.get_by_label("Server").fill("http://127.0.0.1:1")
    dialog.get_by_role("textbox", name="Key").fill(orla.key("Oxbow", app="issues"))
    dialog.get_by_role("button", name="Connect Issues").click()
    expect(dialog.get_by_role("alert")).to_contain_text("is on a private network")
    port = orla.kelvix.other_port
    proxy = Proxy(port, orla.kelvix.settings.practice_port, lambda asked: "through")
    try:
        dialog.get_by_label("Server").fill(f"http://localhost:{port}")
        dialog.get_by_role("button", name="Connect Issues").click()
        expect(page.get_by_text("Issues is connected.")).to_be_visible()
        expect(page.get_by_label("Connection name")).to_have_value(re.compile(f" at localhost:{port}$"))
        page.get_by_role("button", name="Replace key").first.click()
        expect(dialog.get_by_label("Server")).to_be_disabled()
        expect(dialog.get_by_label("Server")).to_have_value(f"http://localhost:{port}")
    finally:
        proxy.stop()


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


@pytest.mark.parametrize("mode", ["responds to every call with 500", "refuses every token with 401"])
def test_a_fault_switch_shows_on_the_workflow(page: Page, orla, mode):
    on = turn_on(orla)
    page.goto("/practice")
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Fault switches and access").click()
    practice = opened.value
    practice.get_by_role("button", name=re.compile(re.escape(f"orla-{orla.owner.id}-"))).click()
    try:
        practice.get_by_label("Mail’s API").select_option(mode)
        practice.get_by_role("button", name="Apply Mail settings").click()
        page.goto(f"/workflows/{on.workflow}")
        page.get_by_role("button", name="Check now").click()
        expect(
            page.get_by_text(re.compile("Last check failed: Mail (had an internal error|no longer accepts)"))
        ).to_be_visible()
    finally:
        orla.faults()
