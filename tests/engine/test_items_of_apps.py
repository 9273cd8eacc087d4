"""What lines do to items of an app: the same as to records of ours, each write once, and undone where the app lets it."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import pytest

from kelvix.core.query import Query
from support import document, until

ITEM = {"subject": "Voice the Trumpet", "sender.name": "Ada Pell", "sender.address": "ada@stbride.example", "text": "Softer."}


class Tasks:
    """A list of practice Tasks, seen as a database, and the lines that work on it."""

    def __init__(self, orla, name="Workshop"):
        self.orla, mail = orla, orla.connect("Enquiries")
        self.connection, self.list = orla.connect(name, app="tasks", send=True), str(orla.container("tasks", name))
        self.place = orla.api("POST", "/places", json={"connection": self.connection, "place": self.list})
        self.id = self.place["id"]
        self.when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
        self.source = orla.source(self.connection, self.list)

    def fill(self, field, *, text=None, value=None):
        return {"field": field, "filling": [{"text": text} if value is None else {"ref": {"line": "w", "value": value}}]}

    def add(self, *fillings, id="a"):
        return {"verb": "add", "id": id, "database": self.id, "fillings": list(fillings)}

    def keep(self, *fillings, several="stop"):
        by = {"by": ["title"], "several": several}
        return {"verb": "add_or_update", "id": "k", "database": self.id, "fillings": list(fillings), **by}

    def find(self, field="title", value="subject", **more):
        sought = [self.fill(field, value=value) | {"operator": "is"}]
        return {"verb": "find", "id": "f", "database": self.id, "sought": sought, **more}

    def flow(self, *lines):
        return self.orla.workflow("Of a list", {"lines": [self.when, *lines]})

    def all(self):
        return {item.title: item for item in self.source.query(Query(limit=100)).items}

    def put(self, title, **more):
        """Add a task on the page of practice Tasks, as its user would: its id."""
        with self.orla.practice_page() as page:
            assert page.post(f"/tasks/lists/{self.list}", data={"title": title}).status_code == 303
            id = max(int(i.id) for i in self.all().values())
            if more:
                assert page.post(f"/tasks/tasks/{id}", data={"title": title, **more}).status_code == 303
        return str(id)


@pytest.fixture
def tasks(orla):
    return Tasks(orla)


def of_line(run, line):
    return next(ln for ln in run["lines"] if ln["line"] == line)


def test_a_mail_becomes_a_task_with_all_its_fields(tasks, by_hand):
    t = tasks
    fills = [t.fill("title", value="subject"), t.fill("notes", value="text"), t.fill("due", text="27 November 2026")]
    fills += [t.fill("person", value="sender.address"), t.fill("labels", text="reeds, leather"), t.fill("done", text="yes")]
    log = t.orla.database("Log", {"name": "Task", "type": "text"}, {"name": "Link", "type": "link"})
    refs = [{"line": "a", "value": "title"}, {"line": "a", "value": "link"}]
    noted = [{"field": f["id"], "filling": [{"ref": ref}]} for f, ref in zip(log["fields"], refs, strict=False)]
    flow = t.flow(t.add(*fills), {"verb": "add", "id": "b", "database": log["id"], "fillings": noted})
    run = by_hand.carry(by_hand.begin(flow, ITEM))
    assert run["state"] == "done", run["problem"]
    item = t.all()["Voice the Trumpet"]
    values = {key: str(value) for key, value in item.values.items()}
    assert (values["notes"], values["due"], values["done"]) == ("Softer.", "2026-11-27", "True")
    assert item.values["labels"] == ("reeds", "leather") and "ada@stbride.example" in item.values["person"].wire()
    [record] = t.orla.records(log["id"])
    assert [record["values"][str(f["id"])] for f in log["fields"][:2]] == ["Voice the Trumpet", item.link]
    done = of_line(run, "a")
    assert (done["outcome"], done["output"]["record"], done["output"]["link"]) == ("added", item.id, item.link)


def test_what_was_added_is_undone_unless_it_was_changed_since(tasks, by_hand):
    t = tasks
    flow = t.flow(t.add(t.fill("title", value="subject")))
    first, second = (by_hand.carry(by_hand.begin(flow, ITEM | {"subject": name})) for name in ("Stays", "Goes"))
    with t.orla.practice_page() as page:
        page.post(f"/tasks/tasks/{t.all()['Stays'].id}", data={"title": "Stays", "notes": "mine"})
    assert t.orla.api("POST", f"/runs/{second['id']}/undo")["undone"] == 1
    kept = t.orla.api("POST", f"/runs/{first['id']}/undo")
    assert kept["undone"] == 0 and "changed since then" in kept["kept"][0]
    assert set(t.all()) == {"Stays"}


def test_what_was_added_and_then_changed_by_the_same_run_is_undone_as_a_whole(tasks, by_hand):
    t = tasks
    back = {"verb": "update", "id": "u", "of": "a", "fillings": [t.fill("notes", text="Second")]}
    flow = t.flow(t.add(t.fill("title", value="subject"), t.fill("notes", text="First")), back)
    run, other = (by_hand.carry(by_hand.begin(flow, ITEM | {"subject": name})) for name in ("Whole", "Edited"))
    assert str(t.all()["Whole"].values["notes"]) == "Second"
    assert t.orla.api("POST", f"/runs/{run['id']}/undo")["undone"] == 2
    with t.orla.practice_page() as page:
        page.post(f"/tasks/tasks/{t.all()['Edited'].id}", data={"title": "Edited", "notes": "mine"})
    kept = t.orla.api("POST", f"/runs/{other['id']}/undo")
    assert kept["undone"] == 0 and len(kept["kept"]) == 2 and set(t.all()) == {"Edited"}


def test_a_task_is_found_changed_and_given_back(tasks, by_hand):
    t = tasks
    id = t.put("Voice the Trumpet", notes="Old", labels="brass")
    update = {"verb": "update", "id": "u", "of": "f", "fillings": [t.fill("notes", text="New"), t.fill("done", text="yes")]}
    flow = t.flow(t.find(), update)
    run = by_hand.carry(by_hand.begin(flow, ITEM))
    now = t.source.one(id)
    assert (now.values["notes"], now.values["done"], now.values["labels"]) == ("New", True, ("brass",))
    assert of_line(run, "f")["output"]["count"] == 1 and of_line(run, "u")["outcome"] == "updated"
    again = by_hand.carry(by_hand.begin(flow, ITEM))
    assert of_line(again, "u")["outcome"] == "unchanged" and t.source.one(id).version == now.version
    assert t.orla.api("POST", f"/runs/{run['id']}/undo")["undone"] == 1
    back = t.source.one(id)
    assert (back.values["notes"], back.values["done"]) == ("Old", False)


def test_a_task_is_deleted_and_brought_back_under_its_own_number(tasks, by_hand):
    t = tasks
    id = t.put("Voice the Trumpet")
    flow = t.flow(t.find(), {"verb": "delete", "id": "d", "of": "f"})
    run = by_hand.carry(by_hand.begin(flow, ITEM))
    assert of_line(run, "d")["outcome"] == "deleted" and t.all() == {}
    assert t.orla.api("POST", f"/runs/{run['id']}/undo")["undone"] == 1
    assert t.all()["Voice the Trumpet"].id == id


def test_what_is_there_is_updated_and_what_is_not_is_added(tasks, by_hand):
    t = tasks
    flow = t.flow(t.keep(t.fill("title", value="subject"), t.fill("notes", value="text")))
    runs = [by_hand.carry(by_hand.begin(flow, ITEM | {"text": text})) for text in ("One.", "Two.", "Two.")]
    assert [of_line(run, "k")["outcome"] for run in runs] == ["added", "updated", "unchanged"]
    assert [str(i.values["notes"]) for i in t.all().values()] == ["Two."]
    with t.orla.practice_page() as page:
        page.post(f"/tasks/lists/{t.list}", data={"title": "Voice the Trumpet"})
    stopped = by_hand.carry(by_hand.begin(flow, ITEM))
    assert stopped["state"] == "failed" and "2 tasks match" in stopped["problem"]


def test_two_runs_at_once_add_one(tasks, by_hand):
    t, together = tasks, Barrier(2)
    flow = t.flow(t.keep(t.fill("title", value="subject"), t.fill("notes", value="text")))
    runs = [by_hand.begin(flow, ITEM | {"text": text}) for text in ("One.", "Two.")]

    def carry(run):
        together.wait(20)
        by_hand.carry(run)
        return until(lambda: (r := t.orla.api("GET", f"/runs/{run}")["run"])["state"] in ("done", "failed") and r)

    with ThreadPoolExecutor(2) as threads:
        done = list(threads.map(carry, runs))
    assert sorted(of_line(run, "k")["outcome"] for run in done) == ["added", "updated"]
    assert len(t.all()) == 1


def test_a_lost_answer_adds_nothing_twice(tasks, by_hand):
    t = tasks
    flow = t.flow(t.add(t.fill("title", value="subject")))
    run = by_hand.begin(flow, ITEM)
    t.source.schema()  # is remembered, so that a run's first call is its write
    t.orla.faults("unanswered", app="tasks")
    try:
        assert by_hand.carry(run)["state"] == "waiting"
        assert len(t.orla.kelvix.practice.items(int(t.list), 10)) == 1
    finally:
        t.orla.faults(app="tasks")
    until(lambda: t.orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    assert len(t.all()) == 1


def test_a_conflict_is_read_again_and_nobodys_edit_is_lost(tasks, by_hand):
    t = tasks
    id = t.put("Voice the Trumpet", notes="Old")
    update = {"verb": "update", "id": "u", "of": "f", "fillings": [t.fill("done", text="yes")]}
    run = by_hand.begin(t.flow(t.find(), update), ITEM)

    def edit(number):
        with t.orla.practice_page() as page:
            page.post(f"/tasks/tasks/{id}", data={"title": "Voice the Trumpet", "notes": "Edited meanwhile"})

    by_hand.carry(run, edit)
    until(lambda: t.orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    now = t.source.one(id)
    assert (now.values["notes"], now.values["done"]) == ("Edited meanwhile", True)


def test_a_connection_that_may_not_write_is_said_before_it_is_turned_on(orla):
    t = Tasks(orla)
    reads = orla.connect("Only read", app="tasks")
    place = orla.api("POST", "/places", json={"connection": reads, "place": str(orla.container("tasks", "Only read"))})
    flow = t.flow(t.add(t.fill("title", value="subject")) | {"database": place["id"]})
    answer = orla.api("POST", f"/workflows/{flow}/on", expect=409)
    assert "can only read in Tasks" in str(answer)


def test_a_rehearsal_finds_in_the_app_and_writes_nothing(tasks):
    t = tasks
    t.put("Voice the Trumpet", notes="Old")
    flow = t.flow(t.keep(t.fill("title", value="subject"), t.fill("notes", value="text"), t.fill("number", text="3")))
    kept = t.orla.api("GET", f"/workflows/{flow}")
    t.orla.deliver("Voice the Trumpet", text="Softer.")
    [sample] = until(lambda: t.orla.api("POST", f"/workflows/{flow}/samples/fetch", json={"document": kept["document"]}))

    def rehearsed(document):
        return t.orla.api("POST", f"/workflows/{flow}/rehearse", json={"document": document})

    found = rehearsed(kept["document"])
    assert any("read-only" in f["sentence"] for f in found["findings"])
    kept["document"]["lines"][1]["fillings"].pop()
    cell = until(lambda: (c := rehearsed(kept["document"])["cells"][str(sample["id"])][1])["state"] == "fits" and c)
    assert cell["note"].startswith("1 field changes")
    assert str(t.all()["Voice the Trumpet"].values["notes"]) == "Old"


def test_a_workflow_that_writes_where_it_listens_does_not_start_itself(tasks):
    """One that adds a task for each task that is added, and one that changes each task that is changed."""
    t = tasks
    when = {"verb": "when", "id": "w", "app": "tasks", "connection": t.connection, "container": t.list, "event": "any_change"}
    found = t.find(value="title")
    marks = {"verb": "update", "id": "u", "of": "f", "fillings": [t.fill("notes", value="changed")]}
    follows = t.add({"field": "title", "filling": [{"text": "After "}, {"ref": {"line": "w", "value": "title"}}]})
    flow = t.orla.workflow("To itself", {"lines": [when, found, marks, follows]})
    t.orla.api("POST", f"/workflows/{flow}/on")
    t.put("First")
    until(lambda: "After First" in t.all() and t.orla.runs(flow, "done"))
    t.put("Second")
    until(lambda: "After Second" in t.all() and len(t.orla.runs(flow, "done")) == 2)
    assert set(t.all()) == {"First", "After First", "Second", "After Second"}
    assert len(t.orla.runs(flow)) == 2


def test_what_started_the_run_can_be_changed(tasks):
    t = tasks
    when = {"verb": "when", "id": "w", "app": "tasks", "connection": t.connection, "container": t.list, "event": "arrives"}
    takes = {"verb": "update", "id": "u", "of": "w", "fillings": [t.fill("labels", text="seen")]}
    flow = t.orla.workflow("Seen", {"lines": [when, takes]})
    t.orla.api("POST", f"/workflows/{flow}/on")
    t.put("First")
    until(lambda: t.all()["First"].values["labels"] == ("seen",))


class Issues:
    """A project of practice Issues, which knows no idempotency keys, and a workflow that adds to it."""

    def __init__(self, orla):
        self.orla, self.connection = orla, orla.connect("Works", app="issues", send=True)
        self.project = str(orla.container("issues", "Works"))
        place = orla.api("POST", "/places", json={"connection": self.connection, "place": self.project})
        mail = orla.connect("Enquiries")
        when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
        fills = [
            {"field": f, "filling": [{"ref": {"line": "w", "value": v}}]} for f, v in (("title", "subject"), ("text", "text"))
        ]
        self.flow = orla.workflow(
            "Faults", {"lines": [when, {"verb": "add", "id": "a", "database": place["id"], "fillings": fills}]}
        )

        orla.source(self.connection, self.project).schema()  # is remembered, so that a run's first call is its write

    def number(self):
        return len(self.orla.kelvix.practice.items(int(self.project), 50))

    def state(self, run):
        return self.orla.api("GET", f"/runs/{run}")["run"]["state"]

    def needs(self):
        return [n for n in self.orla.api("GET", "/needs") if n["kind"] == "doubt"]


def test_what_an_app_without_keys_did_not_answer_is_looked_for(orla, by_hand):
    one = Issues(orla)
    run = by_hand.begin(one.flow, ITEM)
    orla.faults("unanswered", app="issues")
    try:
        by_hand.carry(run)
        assert one.number() == 1
    finally:
        orla.faults(app="issues")
    until(lambda: one.state(run) == "done")
    assert one.number() == 1 and one.needs() == []


def test_where_several_are_alike_a_person_is_asked(orla, by_hand):
    one = Issues(orla)
    run = by_hand.begin(one.flow, ITEM)
    orla.faults("unanswered", app="issues")
    try:
        by_hand.carry(run)
        with orla.practice_page() as page:  # somebody adds the very same by hand
            page.post(f"/issues/projects/{one.project}", data={"title": ITEM["subject"]})
            id = orla.kelvix.practice.items(int(one.project), 1)[0]["id"]
            page.post(f"/issues/issues/{id}", data={"title": ITEM["subject"], "text": ITEM["text"], "kind": "1", "status": "1"})
    finally:
        orla.faults(app="issues")
    [asked] = until(one.needs)
    orla.api("POST", f"/needs/{asked['id']}", json={"answer": "arrived"})
    until(lambda: one.state(run) == "done")
    assert one.number() == 2


def test_one_is_got_by_its_link_or_its_number_and_from_no_other_place(tasks, by_hand):
    t = tasks
    id = t.put("Voice the Trumpet", notes="Old")
    link = t.source.one(id).link
    got = {"verb": "get", "id": "f", "database": t.id, "what": [{"ref": {"line": "w", "value": "text"}}]}
    update = {"verb": "update", "id": "u", "of": "f", "fillings": [t.fill("done", text="yes")]}
    flow = t.flow(got, update)

    def found(text):
        run = by_hand.carry(by_hand.begin(flow, ITEM | {"text": text}))
        assert run["state"] == "done", run["problem"]
        return of_line(run, "f")["output"]["record"]

    assert found(link) == found(id) == id and t.source.one(id).values["done"] is True
    t.orla.connect("Workshop", "Elsewhere", connection=t.connection, app="tasks", send=True)  # both are shared with it
    elsewhere = Tasks(t.orla, "Elsewhere").put("Another")
    assert [found(text) for text in (elsewhere, "9" * 15, "../../me", "https://wick.example/tasks/1")] == [None] * 4


def test_a_record_of_ours_is_got_by_its_link_or_its_number(orla, by_hand):
    notes, others = (orla.database(name, {"name": "Name", "type": "text"}) for name in ("Notes", "Others"))
    name = str(notes["fields"][0]["id"])
    record = orla.api("POST", f"/databases/{notes['id']}/records", json={"values": {name: "Reeds"}})["record"]
    mail = orla.connect("Enquiries")
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    got = {"verb": "get", "id": "f", "database": notes["id"], "what": [{"ref": {"line": "w", "value": "text"}}]}
    flow = orla.workflow("By link", {"lines": [when, got]})

    def found(text):
        return of_line(by_hand.carry(by_hand.begin(flow, ITEM | {"text": text})), "f")["output"]["record"]

    here = f"{orla.kelvix.address}/databases/{notes['id']}/{record['id']}"
    assert [found(text) for text in (here, f"{here}/page", str(record["id"]))] == [record["id"]] * 3
    there = f"{orla.kelvix.address}/databases/{others['id']}/{record['id']}"
    assert [found(text) for text in (there, "no link", str(record["id"] + 99))] == [None] * 3


def test_an_operation_of_an_app_is_done_once(tasks, by_hand):
    """Tasks knows keys: what was not answered is asked for again, and is done once."""
    t = tasks
    id = t.put("Voice the Trumpet")
    does = {"verb": "do", "id": "d", "of": "f", "operation": "subtask", "fillings": [t.fill("title", value="text")]}
    run = by_hand.begin(t.flow(t.find(), does), ITEM)
    try:
        by_hand.carry(run, lambda number: t.orla.faults("unanswered", app="tasks"))
    finally:
        t.orla.faults(app="tasks")
    assert len(json.loads(t.orla.kelvix.practice.item("tasks", int(id))["body"])["subtasks"]) == 1
    until(lambda: t.orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    subtasks = t.source.one(id).rows["subtasks"]
    assert [row["title"] for row in subtasks] == ["Softer."]
    done = of_line(t.orla.api("GET", f"/runs/{run}")["run"], "d")
    assert (done["outcome"], done["output"]["words"]) == ("did", "add a subtask")
    assert "can’t be undone" in t.orla.api("POST", f"/runs/{run}/undo")["kept"][0]


def test_an_operation_of_an_app_without_keys_is_asked_about(orla, by_hand):
    one = Issues(orla)
    with orla.practice_page() as page:
        page.post(f"/issues/projects/{one.project}", data={"title": ITEM["subject"]})
    [row] = orla.kelvix.practice.items(int(one.project), 5)
    kept = orla.api("GET", f"/workflows/{one.flow}")["document"]["lines"]
    got = {"verb": "get", "id": "f", "database": kept[1]["database"], "what": [{"text": str(row["id"])}]}
    comment = {"field": "text", "filling": [{"ref": {"line": "w", "value": "text"}}]}
    does = {"verb": "do", "id": "d", "of": "f", "operation": "comment", "fillings": [comment]}
    flow = orla.workflow("Comments", {"lines": [kept[0], got, does]})
    commented = by_hand.carry(by_hand.begin(flow, ITEM))
    assert commented["state"] == "done", commented["problem"]
    assert json.loads(orla.kelvix.practice.item("issues", row["id"])["body"])["comments"][0]["text"] == "Softer."

    def comments():
        return json.loads(orla.kelvix.practice.item("issues", row["id"])["body"])["comments"]

    run = by_hand.begin(flow, ITEM)
    try:
        by_hand.carry(run, lambda number: orla.faults("unanswered", app="issues"))
    finally:
        orla.faults(app="issues")
    [asked] = until(one.needs)
    assert len(comments()) == 2
    orla.api("POST", f"/needs/{asked['id']}", json={"answer": "arrived"})
    until(lambda: one.state(run) == "done")
    assert len(comments()) == 2


def test_an_app_that_refuses_nothing_is_read_before_an_undo(orla, by_hand):
    """Issues takes a write of what was changed since: so it is looked at first."""
    one = Issues(orla)
    first, second = (by_hand.carry(by_hand.begin(one.flow, ITEM | {"subject": name})) for name in ("Stays", "Goes"))
    id = of_line(first, "a")["output"]["record"]
    with orla.practice_page() as page:
        page.post(f"/issues/issues/{id}", data={"title": "Stays", "text": "mine", "kind": "1", "status": "2"})
    assert orla.api("POST", f"/runs/{second['id']}/undo")["undone"] == 1
    kept = orla.api("POST", f"/runs/{first['id']}/undo")
    assert kept["undone"] == 0 and "an issue in Works was changed since then" in kept["kept"][0]
    assert one.number() == 1


def test_a_label_that_is_new_since_the_list_was_read_is_found_and_carried(tasks, by_hand):
    t = tasks
    t.put("Voice the Trumpet", labels="brass, loud")
    log = t.orla.database("Log", {"name": "Name", "type": "text"}, {"name": "Labels", "type": "labels", "grows": True})
    labels = {"field": log["fields"][1]["id"], "filling": [{"ref": {"line": "f", "value": "f_labels"}}]}
    name = t.fill(log["fields"][0]["id"], value="subject")
    flow = t.flow(t.find(), {"verb": "add", "id": "b", "database": log["id"], "fillings": [name, labels]})
    run = by_hand.carry(by_hand.begin(flow, ITEM))
    assert run["state"] == "done", run["problem"]
    [field] = [f for f in t.orla.api("GET", f"/databases/{log['id']}")["fields"] if f["name"] == "Labels"]
    assert [c["name"] for c in field["choices"]] == ["brass", "loud"]
