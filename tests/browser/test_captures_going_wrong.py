"""What commonly goes wrong where files, saved articles and quick input are captured, and that Kelvix says or does something about
it. Files and articles go through the same screens: what holds for one must hold for the other, in its own words."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import Page, expect

from kelvix.engine import attention
from reference.test_articles import PAGE
from support import Person, until

FIELDS = ({"name": "Name", "type": "text"}, {"name": "Author", "type": "text"}, {"name": "Where", "type": "link"},
          {"name": "Tags", "type": "labels", "grows": True})  # fmt: skip


@dataclass
class Source:
    """An app with two containers, of which one is shared, and a workflow that adds a record for each item of it."""

    orla: Person
    app: str
    name: str
    container_word: str
    containers_word: str
    item_word: str
    items_word: str
    values: dict[str, str]

    def container(self, name: str = "Surveys") -> int:
        return self.orla.container(self.app, name)

    def link(self, container: int) -> str:
        return f"{self.orla.kelvix.settings.practice_address}/{self.app}/{self.containers_word}/{container}"

    def item_link(self, title: str) -> str:
        rows = self.orla.kelvix.practice.items(self.container(), 50)
        row = next(r for r in rows if title in r["body"])
        return f"{self.orla.kelvix.settings.practice_address}/{self.app}/{self.items_word}/{row['id']}"

    def bring(self, *titles: str) -> None:
        """New items, made on the pages of the practice app as its user would."""
        if self.app == "files":
            self.orla.put_files("Surveys", {title: title.encode() for title in titles})
            return
        with self.orla.practice_page() as page:
            for title in titles:
                form = {"address": f"https://wick.example/{title}", "title": title, "tags": "wood, glue, hide", "page": PAGE}
                assert page.post(f"/reading/lists/{self.container()}", data=form).status_code == 303

    def document(self, connection: int, **fills: str) -> dict:
        """`fills`: carried keys by the names of fields."""
        self.database = self.orla.database("Things", *FIELDS)
        ids = {f["name"]: f["id"] for f in self.database["fields"]}
        when = {"verb": "when", "id": "w", "app": self.app, "connection": connection, "container": str(self.container()),
                "container_name": "Surveys"}  # fmt: skip
        fillings = [
            {"field": ids[n], "filling": [{"ref": {"line": "w", "value": v}}]} for n, v in (fills or self.values).items()
        ]
        return {"lines": [when, {"verb": "add", "id": "a", "database": self.database["id"], "fillings": fillings}]}

    def workflow(self, on: bool = True, **fills: str) -> int:
        self.connection = self.orla.connect("Surveys", app=self.app)
        made = self.orla.workflow("Things", self.document(self.connection, **fills))
        if on:
            self.orla.api("POST", f"/workflows/{made}/on")
        return made

    def names(self) -> list[str]:
        field = str(self.database["fields"][0]["id"])
        return sorted(r["values"][field] for r in self.orla.records(self.database["id"]))


@pytest.fixture(params=["files", "reading"])
def source(request: pytest.FixtureRequest, orla: Person) -> Source:
    if request.param == "files":
        return Source(orla, "files", "Files", "folder", "folders", "file", "files", {"Name": "name", "Where": "link"})
    values = {"Name": "title", "Author": "author", "Where": "bare_link", "Tags": "tags"}
    return Source(orla, "reading", "Reading", "list", "lists", "article", "articles", values)


def test_shared_nothing_shared_but_empty_and_refused_are_told_apart(page: Page, orla: Person, source: Source):
    source.container()
    nothing, empty = orla.connect(app=source.app), orla.connect("Surveys", app=source.app)
    page.goto(f"/connections/{nothing}")
    expect(page.get_by_role("status")).to_contain_text(f"no {source.containers_word} are shared")
    page.goto(f"/connections/{empty}")
    expect(page.get_by_role("status")).to_contain_text("are empty")
    orla.faults("refusing", app=source.app)
    try:
        page.get_by_role("button", name="Check connection").click()
        expect(page.get_by_role("status")).to_contain_text("refuses this connection")
    finally:
        orla.faults(app=source.app)


def test_a_pasted_link_is_taken_for_a_container_and_one_that_is_not_shared_says_how_to_widen(
    page: Page, orla: Person, source: Source
):
    flow = source.workflow(on=False)
    page.goto(f"/workflows/{flow}")
    page.get_by_role("grid").get_by_text(re.compile(r"^an? (file|article) is")).click()
    box = page.get_by_placeholder(f"Choose a {source.container_word}, or paste its link")
    box.fill(source.link(source.container("Another")))
    box.press("Enter")
    expect(page.get_by_text(f"This {source.container_word} is not shared with", exact=False)).to_be_visible()
    box.fill(source.link(source.container()))
    box.press("Enter")
    expect(page.get_by_role("grid").get_by_text(f"{source.name} › Surveys")).to_be_visible()


def test_what_came_while_it_was_off_is_offered(page: Page, orla: Person, source: Source):
    flow = source.workflow()
    page.goto(f"/workflows/{flow}")
    page.get_by_role("button", name="Turn off").click()
    expect(page.get_by_text("New items aren’t processed while this is off")).to_be_visible()
    source.bring("one", "two", "three")
    until(lambda: orla.api("GET", f"/workflows/{flow}/missed")["count"] == 3)
    page.get_by_role("button", name="Turn on", exact=True).click()
    page.get_by_role("button", name="Turn on, process 3").click()
    until(lambda: source.names() == ["one", "three", "two"])


def test_what_was_there_before_is_caught_up_on(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("one", "two", "three")
    page.goto(f"/workflows/{flow}/backcast")
    page.get_by_role("button", name="Choose past items to process").click()
    page.get_by_role("button", name="Select all").click()
    page.get_by_role("button", name="Process 3 items").click()
    expect(page.get_by_text("Done: 3 of 3")).to_be_visible(timeout=40_000)
    assert source.names() == ["one", "three", "two"]


def test_a_value_is_found_by_what_it_contains_and_a_condition_is_picked(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("Holm", "Marl")
    page.goto(f"/workflows/{flow}")
    page.get_by_role("button", name="As a list").click()
    search = page.get_by_label("Search carried values")
    search.fill("surveys")  # the folder's or list's name: none of the values is called so
    found = page.get_by_role("button", name="Folder" if source.app == "files" else "List", exact=True)
    expect(found).to_be_visible()
    expect(page.get_by_role("button", name="Identifier", exact=True)).to_have_count(0)
    search.fill("")
    page.get_by_role("button", name="As it looks").click()
    grid = page.get_by_role("grid")
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Only if")).click()
    shown = page.get_by_label(f"The {source.item_word} As it looks").get_by_role("button", name=re.compile("^(Marl|Holm)$"))
    shown.first.click()
    page.get_by_label("Compared with").fill("holm")
    expect(grid.get_by_text("continues")).to_have_count(1)
    expect(grid.get_by_text("skipped")).to_have_count(1)


def test_where_an_item_is_is_read_from_its_link_also_when_it_is_nowhere(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("early")
    orla.api("POST", f"/workflows/{flow}/on")
    source.bring("late")
    until(lambda: source.names() == ["late"])
    page.goto(f"/workflows/{flow}")
    page.get_by_role("button", name="Where is my item?").click()
    link = page.get_by_label("Item link")
    link.fill(source.item_link("early"))
    link.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("before the workflow was turned on")
    link.fill(source.item_link("late"))
    link.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("became “late” in Things")
    expect(page.get_by_role("link", name="Open record")).to_be_visible()


def test_it_comes_at_once_and_the_next_look_is_shown(page: Page, orla: Person, source: Source):
    flow = source.workflow()
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_text("as they arrive")).to_be_visible()
    expect(page.get_by_text(re.compile(r"next check \d"))).to_be_visible()
    source.bring("pushed")
    until(lambda: source.names() == ["pushed"], seconds=5)
    orla.faults(push="never", app=source.app)  # what pushes miss, the cursor finds: not by reading every item again
    try:
        source.bring("missed")
        page.get_by_role("button", name="Check now").click()
        until(lambda: source.names() == ["missed", "pushed"])
    finally:
        orla.faults(app=source.app)


def test_two_fields_the_wrong_way_round_are_said_with_the_sample(page: Page, orla: Person, source: Source):
    name, link = source.values["Name"], source.values["Where"]
    flow = source.workflow(on=False, Name=link, Where=name)
    source.bring("Holm")
    page.goto(f"/workflows/{flow}")
    page.get_by_role("grid").get_by_text("a record to Things").click()
    expect(page.get_by_text("not a link", exact=False).first).to_be_visible()


def test_a_field_that_is_renamed_is_filled_all_the_same(page: Page, orla: Person, source: Source):
    flow = source.workflow()
    field = source.database["fields"][0]["id"]
    orla.api("PATCH", f"/databases/{source.database['id']}/fields/{field}", json={"name": "Title of it"})
    source.bring("after")
    until(lambda: source.names() == ["after"])
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_text(re.compile(r"\d problem|field not found"))).to_have_count(0)


def test_rehearsing_writes_nothing_and_a_try_is_undone(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("Holm")
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_role("grid").get_by_text(re.compile("fields? fit")).first).to_be_visible()
    assert source.names() == [], "only looked at"
    page.get_by_role("button", name=re.compile("^Try ")).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Run try").click()
    until(lambda: source.names() == ["Holm"])
    dialog.get_by_role("button", name=re.compile("^Undo")).click()
    until(lambda: source.names() == [])


def test_limits_of_the_app_lose_nothing(page: Page, orla: Person, source: Source):
    flow = source.workflow()
    orla.faults("limited", app=source.app)
    try:
        source.bring("one.txt", "two.txt")  # what a file says, and what a page says, takes calls of its own
        until(lambda: source.names() == ["one.txt", "two.txt"], seconds=60)
    finally:
        orla.faults(app=source.app)
    page.goto(f"/workflows/{flow}/runs")
    expect(page.get_by_text("failed")).to_have_count(0)


def test_what_was_tried_and_never_turned_on_is_said_loudly(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("Holm")
    page.goto(f"/workflows/{flow}")
    page.get_by_role("button", name=re.compile("^Try ")).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Run try").click()
    until(lambda: source.names() == ["Holm"])
    dialog.get_by_role("button", name="Close").click()
    expect(page.get_by_text("Off, tried")).to_be_visible()
    page.goto("/workflows")
    expect(page.get_by_role("row", name="Things").get_by_text("Off, tried")).to_be_visible()
    page.goto("/needs")
    expect(page.get_by_text("Tried, but never turned on.")).to_be_visible()


def test_runs_a_month_are_told_before_it_is_turned_on_from_when_items_came(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("one", "two", "three")
    for days, row in enumerate(orla.kelvix.practice.items(source.container(), 10)):
        came = datetime.now(UTC) - timedelta(days=1 + 2 * days)  # the oldest five days ago
        orla.kelvix.practice.server.transact(
            lambda t, came=came, item=row["id"]: t.execute("UPDATE item SET at=%s WHERE id=%s", (came, item))
        )
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_text("about 18 runs a month, based on the latest 3 items")).to_be_visible()
    page.goto("/workflows")
    expect(page.get_by_role("row", name="Things").get_by_text("about 18")).to_be_visible()
    page.goto(f"/workflows/{flow}/backcast")
    page.get_by_role("button", name="Run backcast").click()
    expect(page.get_by_text("about 3 a month")).to_be_visible()  # it has seen all there is


def test_a_source_that_falls_silent_is_noticed_with_the_likely_cause(page: Page, orla: Person, source: Source):
    flow = source.workflow()
    titles = [f"item {number}" for number in range(10)]
    source.bring(*titles)
    until(lambda: source.names() == titles)

    now = datetime.now(UTC)

    def long_ago(t):
        for number, row in enumerate(t.rows("SELECT id FROM event WHERE workflow_id=%s ORDER BY id DESC", (flow,))):
            t.execute("UPDATE event SET at=%s WHERE id=%s", (now - timedelta(hours=30 + 2 * number), row["id"]))
        t.execute("UPDATE workflow SET turned_on_at=NOW(3) - INTERVAL 9 DAY WHERE id=%s", (flow,))

    orla.space.transact(long_ago)
    attention.watch_silence(orla.kelvix.engine, orla.space)
    page.goto("/workflows")
    expect(page.get_by_role("row", name="Things").get_by_text("On, no recent items")).to_be_visible()
    page.goto(f"/workflows/{flow}")
    expect(page.get_by_text("Usually one arrives every 2 hours")).to_be_visible()
    page.goto("/needs")
    expect(page.get_by_text("“Surveys” has newer items Kelvix wasn’t notified about.", exact=False)).to_be_visible()


@pytest.mark.parametrize("source", ["reading"], indirect=True)
def test_a_database_made_from_a_sample_takes_its_tags(page: Page, orla: Person, source: Source):
    flow = source.workflow(on=False)
    source.bring("Hair sheep")
    page.goto(f"/workflows/{flow}")
    page.get_by_role("grid").get_by_text("a record to Things").click()
    page.get_by_role("button", name="Create another database from the sample").click()
    page.get_by_label("Database name").fill("Notes")
    row = page.get_by_role("dialog").get_by_role("row", name=re.compile("^Saved"))
    expect(row).to_contain_text(re.compile(r"\d{1,2} \w{3} \d{4}, \d{2}:\d{2}"))  # as a person reads it
    page.get_by_role("checkbox", name="Tags").check()
    page.get_by_role("button", name="Create").click()
    expect(page.get_by_role("grid").get_by_text(re.compile(r"fields fit"))).to_be_visible()
    expect(page.get_by_text(re.compile(r"\d problem"))).to_have_count(0)


@pytest.mark.parametrize("source", ["reading"], indirect=True)  # files have no tags
def test_an_item_under_three_tags_is_one(page: Page, orla: Person, source: Source):
    flow = source.workflow()
    source.bring("Hair sheep")
    until(lambda: source.names() == ["Hair sheep"])
    page.goto(f"/databases/{source.database['id']}")
    expect(page.get_by_text("1 record", exact=True)).to_be_visible()
    expect(page.get_by_text("wood, glue, hide")).to_be_visible()
    assert len(orla.runs(flow)) == 1


def test_each_kind_of_link_says_what_its_reader_gets(page: Page, orla: Person):
    """The living file, as it is now; or a copy, as it is downloaded."""
    files = Source(orla, "files", "Files", "folder", "folders", "file", "files", {"Name": "name", "Where": "link"})
    flow = files.workflow(on=False)
    files.bring("Holm.txt")
    page.goto(f"/workflows/{flow}")
    page.get_by_role("button", name="As a list").click()
    for words in ("Link that opens the file", "Link that downloads a copy"):
        expect(page.get_by_text(words).first).to_be_visible()
    orla.api("POST", f"/workflows/{flow}/on")
    files.bring("Marl.txt")
    [row] = until(lambda: orla.records(files.database["id"]))
    link = row["values"][str(files.database["fields"][2]["id"])]
    with orla.practice_page() as there:
        assert there.post(f"{link}/version", files={"file": ("x", b"no longer what it was")}).status_code == 303
    reading = page.context.new_page()
    reading.goto(link)
    reading.get_by_role("button", name=re.compile(re.escape(f"orla-{orla.owner.id}-"))).click()
    reading.goto(link)
    expect(reading.get_by_role("heading", name="Marl.txt")).to_be_visible()
    with reading.expect_download() as copied:
        reading.evaluate("to => { location.href = to }", f"{link}/copy")
    assert copied.value.suggested_filename == "Marl.txt"


def test_an_article_saved_in_the_practice_app_is_a_record_with_what_its_page_says(page: Page, orla: Person):
    values = {"Name": "title", "Author": "author", "Where": "bare_link", "Tags": "tags"}
    reading = Source(orla, "reading", "Reading", "list", "lists", "article", "articles", values)
    reading.workflow()
    page.goto("/practice")
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Reading").click()
    there = opened.value
    there.get_by_role("button", name=re.compile(re.escape(f"orla-{orla.owner.id}-"))).click()
    there.get_by_role("link", name="Surveys").click()
    there.get_by_label("Address").fill("https://wick.example/hair?utm_source=letter")
    there.get_by_label("Tags").fill("leather, bellows")
    there.get_by_label("The page’s HTML").fill(PAGE)
    there.get_by_role("button", name="Save").click()
    [record] = until(lambda: orla.records(reading.database["id"]))
    page.goto(f"/databases/{reading.database['id']}/{record['id']}")
    side = page.get_by_label("Record")
    expect(side.get_by_role("heading", name="Hair sheep leather")).to_be_visible()
    for words in ("Nell Sparrow", "https://wick.example/hair", "leather, bellows", "captured"):
        expect(side.get_by_text(words, exact=words.startswith("https")).first).to_be_visible()


# Files in records by hand


def test_a_file_is_put_into_a_record_and_given_back(page: Page, orla: Person):
    made = orla.database("Papers", {"name": "Name", "type": "text"}, {"name": "Paper", "type": "file"})
    name = str(made["fields"][0]["id"])
    record = orla.api("POST", f"/databases/{made['id']}/records", json={"values": {name: "Holm"}})["record"]
    page.goto(f"/databases/{made['id']}/{record['id']}")
    side = page.get_by_label("Record")
    side.get_by_role("button", name=re.compile("^Edit Paper")).click()
    with page.expect_file_chooser() as asked:
        side.get_by_role("button", name="Choose file").click()
    asked.value.set_files({"name": "plan.txt", "mimeType": "text/plain", "buffer": b"by hand"})
    with page.expect_download() as copied:
        side.get_by_role("link", name="plan.txt").click()
    assert copied.value.path().read_bytes() == b"by hand"
    side.get_by_role("button", name="Edit Paper").click()
    side.get_by_role("button", name="Remove file", exact=True).click()
    expect(side.get_by_role("link", name="plan.txt")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(side.get_by_role("link", name="plan.txt")).to_be_visible()


# Quick input


@pytest.fixture
def tasks(orla: Person):
    fields = ({"name": "Name", "type": "text"}, {"name": "Due", "type": "date"}, {"name": "Hours", "type": "number"})
    made = orla.database("Tasks", *fields)
    [at] = orla.api("POST", "/capture/addresses", json={"name": "My phone", "database": made["id"]})
    return made, {f["name"]: str(f["id"]) for f in made["fields"]}, at["address"]


def test_text_with_line_breaks_and_quotation_marks_arrives_unharmed(page: Page, orla: Person, tasks):
    made, ids, at = tasks
    text = 'He said "no", and \\ then {x}\nsecond “line”\n\tthird: <b>'
    assert orla.web.post(at, json={"text": text}, headers={"origin": ""}).status_code == 201
    [record] = orla.records(made["id"])
    assert record["values"][ids["Name"]] == text.splitlines()[0] and record["values"]["0"] == text.partition("\n")[2]
    page.goto(f"/databases/{made['id']}/{record['id']}")
    expect(page.get_by_label("Record").get_by_text("second “line”")).to_be_visible()


def test_a_captured_record_is_filled_when_its_workflow_starts(page: Page, orla: Person, tasks):
    made, ids, at = tasks
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "event": "added", "database": made["id"]}}
    only = {"verb": "only_if", "id": "o", "mode": "all",
            "conditions": [{"ref": {"line": "w", "value": f"f_{ids['Hours']}"}, "operator": "more", "words": ["0"]}]}  # fmt: skip
    other = orla.database("Long ones", {"name": "Name", "type": "text"})
    filling = [{"ref": {"line": "w", "value": f"f_{ids['Name']}"}}]
    add = {
        "verb": "add",
        "id": "a",
        "database": other["id"],
        "fillings": [{"field": other["fields"][0]["id"], "filling": filling}],
    }
    flow = orla.workflow("Long ones", {"lines": [when, only, add]})
    orla.api("POST", f"/workflows/{flow}/on")
    orla.web.post(at, content=b"Sharpen the reed knives 4 h", headers={"content-type": "text/plain", "origin": ""})
    [run] = until(lambda: [r for r in orla.runs(flow) if r["state"] in ("done", "passed_by", "failed")])
    assert run["state"] == "done", "its hours were there at once"
    page.goto(f"/runs/{run['id']}")
    expect(page.get_by_text("Sharpen the reed knives").first).to_be_visible()


def test_a_renamed_field_is_known_by_its_new_name_and_what_does_not_fit_is_said(page: Page, orla: Person, tasks):
    made, ids, _ = tasks
    orla.api("PATCH", f"/databases/{made['id']}/fields/{ids['Hours']}", json={"name": "Effort"})
    page.reload()
    box = page.get_by_label(re.compile("^Capture to"))
    box.fill("Glue the trunk, effort: 5")
    said = page.get_by_label("Understood")
    expect(said).to_contain_text("Effort 5")
    box.fill("Glue the trunk, effort: many")
    expect(said).to_contain_text("Effort")
    expect(said.get_by_text("is not a number", exact=False)).to_be_visible()


def test_the_token_of_an_address_is_neither_shown_nor_listed_to_others(page: Page, orla: Person, tasks):
    _, _, at = tasks
    token = at.rpartition("/")[2]
    page.goto("/captures")
    expect(page.get_by_role("row", name=re.compile("My phone"))).to_be_visible()
    assert token not in page.content()
    stored = orla.space.rows("SELECT token, token_digest FROM capture_address WHERE workspace_id=%s", (orla.space.id,))
    assert token.encode() not in stored[0]["token"] + stored[0]["token_digest"]


def test_a_list_of_links_is_brought_in_from_the_screen(page: Page, orla: Person):
    made = orla.database("Notes", {"name": "Name", "type": "text"}, {"name": "Address", "type": "link"})
    page.goto("/captures")
    page.get_by_label("Import links into").click()
    page.get_by_role("option", name="Notes").click()
    feed = b'{"version": "https://jsonfeed.org/version/1.1", "items": [{"url": "https://w.example/a", "title": "Glue"}]}'
    for said in ("1 added to Notes.", "0 added to Notes; 1 already existed."):
        with page.expect_file_chooser() as asked:
            page.get_by_role("button", name="Choose file to import into Notes").click()
        asked.value.set_files({"name": "feed.json", "mimeType": "application/json", "buffer": feed})
        expect(page.get_by_text(said)).to_be_visible()
    assert len(orla.records(made["id"])) == 1
