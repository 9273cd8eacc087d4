"""Quick input in the real interface: the capture line, a page as small as a phone with and without a network, a bookmark button."""

from __future__ import annotations

import re
from urllib.parse import urlencode

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from browser.conftest import sign_in
from support import Person, until

FIELDS = ({"name": "Name", "type": "text"}, {"name": "Due", "type": "date"}, {"name": "Page", "type": "link"},
          {"name": "Who", "type": "choice", "choices": ["Orla", "Ivo"]}, {"name": "Hours", "type": "number"})  # fmt: skip


@pytest.fixture
def tasks(orla: Person):
    made = orla.database("Tasks", *FIELDS)
    return made, {f["name"]: str(f["id"]) for f in made["fields"]}


def names(orla: Person, tasks) -> list[str]:
    made, ids = tasks
    return [r["values"][ids["Name"]] for r in reversed(orla.records(made["id"]))]


def test_a_line_is_understood_and_completed_before_it_is_kept(page: Page, orla: Person, tasks):
    page.goto("/runs")
    expect(page.get_by_text("No runs yet")).to_be_visible()
    page.keyboard.press("Control+;")
    page.keyboard.type("Order hair sheep Friday 3pm 4 h @iv")
    said = page.get_by_label("Understood")
    expect(said.get_by_text("Order hair sheep", exact=False)).to_be_visible()
    expect(page.get_by_role("option", name="@Ivo")).to_be_visible()
    page.keyboard.press("Tab")
    expect(said).to_contain_text(re.compile(r"Due .*\d{4}.*Hours 4.*Who Ivo"))
    page.keyboard.press("Enter")
    expect(page.get_by_text("Added to Tasks.")).to_be_visible()
    [record] = orla.records(tasks[0]["id"])
    values = {name: record["values"][id] for name, id in tasks[1].items()}
    assert values["Name"] == "Order hair sheep 3pm" and values["Hours"] == "4" and values["Due"]


@pytest.mark.intercepts
def test_a_line_is_typed_before_anything_else_is_there(page: Page, orla: Person, tasks):
    held: list[Route] = []
    page.route("**/api/v1/databases", lambda route: held.append(route))
    page.reload()
    until(lambda: page.evaluate("document.querySelector('form.capture textarea') !== null") and held)
    page.keyboard.press("Control+;")
    page.keyboard.type("Ring the verger")
    page.keyboard.press("Enter")
    expect(page.get_by_label(re.compile("^Capture to"))).to_have_value("")
    assert names(orla, tasks) == ["Ring the verger"]
    for route in held:
        route.continue_()


def test_several_lines_are_records_of_their_own_or_one_with_its_text(page: Page, orla: Person, tasks):
    page.keyboard.press("Control+;")
    box = page.get_by_label(re.compile("^Capture to"))
    box.fill("first\nsecond")
    box.press("Enter")
    expect(page.get_by_text("2 records added to Tasks.")).to_be_visible()
    box.fill("third\nand its text")
    page.get_by_role("button", name="Create one record, with the other lines as its text").click()
    box.press("Enter")
    expect(page.get_by_text("Added to Tasks.", exact=True)).to_be_visible()  # not the "2 records added to Tasks." from before
    assert names(orla, tasks) == ["first", "second", "third"]


def test_what_does_not_fit_is_said_and_nothing_is_lost(page: Page, orla: Person, tasks):
    orla.api("PATCH", f"/databases/{tasks[0]['id']}/fields/{tasks[1]['Due']}", json={"required": True})
    page.reload()
    page.keyboard.press("Control+;")
    box = page.get_by_label(re.compile("^Capture to"))
    box.fill("Ring the verger")
    expect(page.get_by_label("Understood").get_by_text("needs Due")).to_be_visible()
    box.press("Enter")
    expect(page.get_by_text("also needs Due")).to_be_visible()
    expect(box).to_have_value("Ring the verger")
    assert names(orla, tasks) == []


@pytest.mark.intercepts
def test_a_line_whose_answer_was_lost_is_kept_once_when_it_is_sent_again(page: Page, orla: Person, tasks):
    lost = []

    def answer(route: Route) -> None:
        """It arrives; the first time, nothing comes back."""
        came = route.fetch()
        if lost:
            route.fulfill(response=came)
        else:
            lost.append(came.status)
            route.abort()

    page.route("**/api/v1/capture", answer)
    box = page.get_by_label(re.compile("^Capture to"))
    box.fill("Ring the verger")
    box.press("Enter")
    expect(page.get_by_text("Can’t reach Kelvix.", exact=False)).to_be_visible()
    box.press("Enter")
    expect(box).to_have_value("")
    assert lost == [201] and names(orla, tasks) == ["Ring the verger"]
    box.fill("Ring the verger")  # typed anew, it is meant
    box.press("Enter")
    expect(box).to_have_value("")
    assert len(names(orla, tasks)) == 2


def test_on_a_phone_by_an_address_that_is_not_secure(chromium: Browser, orla: Person, tasks):
    """Browsers leave out there: service workers, locks, the clipboard, random identifiers."""
    context = chromium.new_context(viewport={"width": 390, "height": 760}, base_url=orla.kelvix.address)
    page = sign_in(context.new_page(), orla)
    page.add_init_script(
        "for (const [of, name] of [[Navigator, 'serviceWorker'], [Navigator, 'locks'], [Navigator, 'clipboard']]) delete of.prototype[name];"
        "delete Crypto.prototype.randomUUID"
    )
    page.goto("/quick/")
    assert page.evaluate("[navigator.locks, navigator.clipboard, crypto.randomUUID].every((one) => one === undefined)")
    box, keep = page.get_by_label("Text to save"), page.get_by_role("button", name="Save")
    context.set_offline(True)
    box.fill("waits")
    keep.click()
    expect(page.get_by_text("Kelvix can’t be reached now")).to_be_visible()
    box.fill("typed meanwhile")
    page.get_by_role("button", name="Edit").click()
    expect(box).to_have_value("waits\ntyped meanwhile")
    expect(page.get_by_text("Kelvix can’t be reached now")).to_have_count(0)
    context.set_offline(False)
    keep.click()
    expect(page.get_by_text("Added.")).to_be_visible()
    assert names(orla, tasks) == ["waits"]
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("/captures")
    page.get_by_label("Name, for example My phone").fill("My phone")
    page.get_by_role("button", name="Create address").click()
    page.get_by_role("button", name="Copy address").click()
    expect(page.get_by_text("Copied.")).to_be_visible()
    context.close()


def test_on_a_phone_without_a_network_it_waits_and_is_sent_once(chromium: Browser, orla: Person, tasks):
    context = chromium.new_context(viewport={"width": 390, "height": 760}, base_url=orla.kelvix.address)
    page = sign_in(context.new_page(), orla)
    page.goto("/quick/")
    box = page.get_by_label("Text to save")
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    box.fill("with a network")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Added.")).to_be_visible()
    context.set_offline(True)
    page.reload()
    expect(page.get_by_role("heading", name="Quick input")).to_be_visible()
    for n in range(2):
        box.fill(f"without one {n}")
        page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Kelvix can’t be reached now")).to_be_visible()
    expect(page.get_by_label("Not sent yet").get_by_role("listitem")).to_have_count(2)
    page.reload()
    expect(page.get_by_label("Not sent yet").get_by_role("listitem")).to_have_count(2)
    assert names(orla, tasks) == ["with a network"]
    other = context.new_page()  # a second window has the same queue, and neither forgets what the other put there
    other.goto("/quick/")
    other.get_by_label("Text to save").fill("from another window")
    other.get_by_role("button", name="Save").click()
    expect(page.get_by_label("Not sent yet").get_by_role("listitem")).to_have_count(3)
    box.fill("and from the first")
    page.get_by_role("button", name="Save").click()
    expect(other.get_by_label("Not sent yet").get_by_role("listitem")).to_have_count(4)
    other.close()
    context.set_offline(False)
    until(lambda: len(names(orla, tasks)) == 5)
    page.reload()
    expect(page.get_by_role("heading", name="Quick input")).to_be_visible()
    expect(page.get_by_label("Not sent yet")).to_have_count(0)
    last = ["from another window", "and from the first"]
    assert names(orla, tasks) == ["with a network", "without one 0", "without one 1", *last]
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), "nothing is wider than a phone"
    context.close()


def test_a_bookmark_button_hands_over_the_page_that_one_reads(page: Page, orla: Person, tasks):
    page.get_by_role("link", name="Captures").click()
    button = page.get_by_role("link", name="Save this page")
    code = button.get_attribute("href").removeprefix("javascript:")
    reading = page.context.new_page()
    reading.goto(f"{orla.kelvix.settings.practice_address}/sign-in")
    reading.evaluate("getSelection().selectAllChildren(document.querySelector('main'))")
    with reading.expect_popup() as opened:
        reading.evaluate(code)
    small = opened.value
    expect(small.get_by_label("Text to save")).to_have_value(re.compile(r"^.*http://localhost:\d+/sign-in\n> "))
    small.get_by_role("button", name="Save").click()
    expect(small.get_by_text("Added.")).to_be_visible()
    [record] = orla.records(tasks[0]["id"])
    assert record["values"][tasks[1]["Page"]].endswith("/sign-in") and record["values"]["0"].startswith("> ")


@pytest.mark.parametrize(
    ("shared", "text"),
    [
        ({"title": "Hide glue", "url": "https://w.example/g"}, "Hide glue https://w.example/g"),
        ({"title": "Hide glue", "selection": "https://w.example/g"}, "Hide glue https://w.example/g"),
        ({"selection": "Warm, not hot\nhttps://w.example/g"}, "Warm, not hot https://w.example/g"),
        ({"title": "Hide glue", "selection": "Warm\nnot hot\n\nhttps://w.example/g"}, "Hide glue https://w.example/g\n> Warm\n> not hot"),
        ({"selection": "Warm\nnot hot"}, "Warm\nnot hot"),
    ],
)  # fmt: skip
def test_what_a_phone_shares_is_a_line_with_its_address(page: Page, tasks, shared, text):
    """Web Share Target: title, text and url; common practice of apps: the address at the end of the text, and no url."""
    page.goto("/quick/?" + urlencode(shared))
    expect(page.get_by_label("Text to save")).to_have_value(text)


def test_an_address_is_made_and_taken_away(page: Page, orla: Person, tasks):
    page.goto("/captures")
    page.get_by_label("Name, for example My phone").fill("My phone")
    page.get_by_role("button", name="Create address").click()
    row = page.get_by_role("row", name=re.compile("My phone"))
    expect(row.get_by_role("button", name="Copy address")).to_be_visible()
    [kept] = orla.api("GET", "/capture/addresses")
    assert orla.web.post(kept["address"], content=b"by phone", headers={"origin": ""}).status_code == 201
    page.reload()
    expect(row.get_by_text("1, last")).to_be_visible()
    row.get_by_role("button", name="Remove My phone").click()
    row.get_by_role("button", name="Remove My phone permanently").click()
    expect(row).to_have_count(0)
    assert orla.web.post(kept["address"], content=b"again").status_code == 404
