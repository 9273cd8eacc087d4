"""What changed in an app: these fields, a value that is reached, what was moved or removed, with what it was before; also where
the app tells only that something changed."""

from __future__ import annotations

import pytest

from kelvix.store import consumers, subscriptions
from sides import Issues, Outside, Sheets, Tables, Tasks
from support import until

APPS = (Tasks, Issues, Sheets, Tables)


@pytest.fixture(params=APPS, ids=lambda side: side.__name__.lower())
def there(orla, request) -> Outside:
    return request.param(orla, "Here")


def listen(orla, there: Outside, event: str, tells: str | None = None, carries: bool = True, **watch) -> int:
    """A workflow that writes down what it is told, turned on; `tells`: of which it tells what was and what is."""
    names = [{"name": name, "type": "text"} for name in ("Title", "Before", "After")]
    told = orla.database(f"Told of {event}", *names)
    title, before, after = (f["id"] for f in told["fields"][:3])
    values = {title: there.title} | ({after: tells} if tells else {}) | ({before: f"was_{tells}"} if tells and carries else {})
    fillings = [{"field": f, "filling": [{"ref": {"line": "w", "value": key}}]} for f, key in values.items()]
    when = there.whens()[0] | {"event": event, "watch": watch}
    lines = [when, {"verb": "add", "id": "a", "database": told["id"], "fillings": fillings}]
    flow = orla.workflow(f"When {event}", {"lines": lines})
    orla.api("POST", f"/workflows/{flow}/on")
    orla.told = told["id"]
    return flow


def told(orla) -> list[list[str | None]]:
    """What was written down, the oldest first."""
    records = orla.api("GET", f"/databases/{orla.told}/records?limit=50")["records"]
    fields = orla.api("GET", f"/databases/{orla.told}")["fields"][:3]
    return [[r["values"].get(f["id"]) for f in fields] for r in reversed(records)]


def look(orla, flow: int) -> None:
    """Let an app that tells nobody be asked at once, until all that it told of was read by the workflow."""
    orla.api("POST", f"/workflows/{flow}/check-now")

    def is_read() -> bool:
        of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, flow))
        one = orla.space.read(lambda t: consumers.of_workflow(t, orla.space.id, flow))
        asked = of.last_check_at is not None and of.last_check_at > began and of.next_check_at > of.last_check_at
        return asked and one.read_to == of.looked_to == of.n

    began = orla.space.read(lambda t: t.row("SELECT NOW(3) AS at"))["at"]
    until(is_read)


def text_field(there: Outside) -> str:
    """A field for short text beside the title, or one that takes what is as good."""
    fields = there.fields()
    return (fields.get("text") or fields["long_text"]).id


def date_field(there: Outside) -> str:
    return there.fields()["date"].id


def example(there: Outside, day: int):
    field = there.fields()["date"]
    return field.take(f"2026-12-{day:02}", there.orla.space.zone, "DMY")


def test_a_change_of_these_fields_carries_what_was_before(orla, there):
    date, note = date_field(there), text_field(there)
    id = there.create({there.title: "Oil the blower", date: example(there, 1)})
    flow = listen(orla, there, "changed", date, fields=[date])
    there.edit(id, {note: "It squeaks."})
    look(orla, flow)
    assert told(orla) == []
    link = there.source.one(id).link
    where = orla.api("POST", f"/workflows/{flow}/where", json={"item": link})
    assert where["fate"] == "passed_by" and f"{there.fields()['date'].name} changed" not in where["sentence"], where
    assert "changed. That doesn’t start this workflow" in where["sentence"]
    there.edit(id, {date: example(there, 2)})
    look(orla, flow)
    until(lambda: len(told(orla)) == 1)
    [[title, before, after]] = told(orla)
    assert title == "Oil the blower"
    assert "1 Dec" in before and "2 Dec" in after, (before, after)
    there.create({there.title: "Something new", date: example(there, 3)})
    look(orla, flow)
    assert len(told(orla)) == 1


def test_a_value_is_reached_once(orla, there):
    date, note = date_field(there), text_field(there)
    id = there.create({there.title: "Oil the blower", date: example(there, 1)})
    flow = listen(orla, there, "reached", date, field=date, becomes="2026-12-02")
    for day in (2, 2, 3):
        there.edit(id, {date: example(there, day), note: f"Day {day}, {len(told(orla))}"})
        look(orla, flow)
    until(lambda: len(told(orla)) == 1)
    there.edit(id, {date: example(there, 2)})
    look(orla, flow)
    until(lambda: len(told(orla)) == 2)
    assert "1 Dec" in told(orla)[0][1] and "3 Dec" in told(orla)[1][1]


def test_what_was_removed_is_told_with_what_it_was(orla, there):
    date = date_field(there)
    id = there.create({there.title: "Oil the blower", date: example(there, 1)})
    there.create({there.title: "It stays", date: example(there, 1)})
    flow = listen(orla, there, "removed", date, carries=False)
    there.delete(id)
    of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, flow))
    orla.space.transact(lambda t: subscriptions.sweep_soon(t, of))
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: told(orla))
    [[title, _, after]] = told(orla)
    assert title == "Oil the blower" and "1 Dec" in after


def test_a_workflow_does_not_start_by_what_it_wrote_itself_but_by_what_others_did(orla, there):
    date, note = date_field(there), text_field(there)
    id = there.create({there.title: "Oil the blower", date: example(there, 1)})
    when = there.whens()[0] | {"event": "changed", "watch": {}}
    line = {"verb": "update", "id": "u", "of": "w", "database": there.id}
    filled = line | {"fillings": [{"field": note, "filling": [{"text": "Seen."}]}]}
    flow = orla.workflow("Answers", {"lines": [when, filled]})
    orla.api("POST", f"/workflows/{flow}/on")
    there.edit(id, {date: example(there, 2)})
    look(orla, flow)
    until(lambda: [r["state"] for r in orla.runs(flow)] == ["done"])
    look(orla, flow)
    look(orla, flow)
    assert len(orla.runs(flow)) == 1
    there.edit(id, {date: example(there, 3)})
    look(orla, flow)
    until(lambda: [r["state"] for r in orla.runs(flow)] == ["done"] * 2)
    assert there.source.one(id).values[note] == "Seen."


def test_what_is_still_being_written_is_waited_for(orla):
    tasks = Tasks(orla, "Here")
    date, note = date_field(tasks), text_field(tasks)
    flow = listen(orla, tasks, "arrives", date, carries=False, quiet=1, filled=[date])
    id = tasks.create({tasks.title: "Oil"})
    look(orla, flow)
    tasks.edit(id, {note: "The blower."})
    look(orla, flow)
    assert told(orla) == []  # its date is not filled yet
    link = tasks.source.one(id).link
    where = orla.api("POST", f"/workflows/{flow}/where", json={"item": link})
    assert where["fate"] == "on_its_way" and "Due to be filled" in where["sentence"], where
    tasks.edit(id, {date: example(tasks, 4)})
    tasks.edit(id, {tasks.title: "Oil the blower"})
    until(lambda: told(orla))
    assert [r[0] for r in told(orla)] == ["Oil the blower"]
    tasks.edit(id, {note: "Twice a year."})
    look(orla, flow)
    assert len(told(orla)) == 1


def test_what_is_moved_is_told_where_it_came_and_where_it_left(orla):
    here, away = Tasks(orla, "Here"), Tasks(orla, "Away")
    id = here.create({here.title: "Oil the blower"})
    left = listen(orla, here, "left")
    with_left = orla.told
    came = listen(orla, away, "came")
    with orla.practice_page() as page:
        page.post(f"/tasks/tasks/{id}/move", data={"to": away.place})
    look(orla, left)
    look(orla, came)
    until(lambda: [r[0] for r in told(orla)] == ["Oil the blower"])
    orla.told = with_left
    until(lambda: [r[0] for r in told(orla)] == ["Oil the blower"])
    away.create({here.title: "Made there"})
    look(orla, came)
    assert len(orla.runs(came)) == 1


def test_an_app_that_fails_while_it_is_looked_at_and_tells_twice_loses_and_doubles_nothing(orla):
    tasks = Tasks(orla, "Here")
    date = date_field(tasks)
    id = tasks.create({tasks.title: "Oil the blower", date: example(tasks, 1)})
    flow = listen(orla, tasks, "reached", date, field=date, becomes="2026-12-02")
    orla.faults("failing", push="twice", app="tasks")
    try:
        with orla.practice_page() as page:  # as its user: the page is not the API that fails
            page.post(f"/tasks/tasks/{id}", data={"title": "Oil the blower", "due": "2026-12-02"})
        of = until(lambda: (s := orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, flow))).n and s)
        assert of.n == 1 and told(orla) == [], "it is told once, and cannot be looked at yet"
    finally:
        orla.faults(app="tasks")
    orla.space.transact(lambda t: subscriptions.look_again(t, of, 0))
    until(lambda: told(orla))
    look(orla, flow)
    assert [r[0] for r in told(orla)] == ["Oil the blower"] and "1 Dec" in told(orla)[0][1]
