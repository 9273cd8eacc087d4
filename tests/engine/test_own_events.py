"""Workflows that our own records, the time and people start: each event once, none lost, no going round in circles."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest

from kelvix.engine.subscriptions import records
from kelvix.engine.versions import Versions
from support import until


@pytest.fixture
def tables(orla):
    """Two databases, tasks and what is noted of them; ways to make workflows and to look."""
    stages = {"name": "Stage", "type": "choice", "choices": ["Open", "Done"]}
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"}, stages, {"name": "Who", "type": "text"})
    notes = orla.database("Notes", {"name": "Name", "type": "text"})
    name, stage, who = (f["id"] for f in tasks["fields"][:3])
    noted = notes["fields"][0]["id"]

    class Tables:
        database, fields = tasks["id"], (name, stage, who)

        @staticmethod
        def flow(own, *lines, on=True):
            when = {"verb": "when", "id": "w", "own": own}
            note = {"verb": "add", "id": "a", "database": notes["id"],
                    "fillings": [{"field": noted, "filling": [{"ref": {"line": "w", "value": f"f_{name}"}}]}]}  # fmt: skip
            workflow = orla.workflow("Own", {"lines": [when, *(lines or [note])]})
            if on:
                orla.api("POST", f"/workflows/{workflow}/on")
            return workflow

        @staticmethod
        def event(kind, **more):
            return {"kind": "record", "database": tasks["id"], "event": kind} | more

        @staticmethod
        def add(title, **more):
            values = {str(name): title} | {str(k): v for k, v in more.get("values", {}).items()}
            return orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": values})["record"]

        @staticmethod
        def change(record, values):
            kept = orla.api("GET", f"/databases/{tasks['id']}/records/{record['id']}")["record"]
            return orla.api("PATCH", f"/databases/{tasks['id']}/records/{record['id']}",
                            json={"values": {str(k): v for k, v in values.items()}}, headers={"if-match": str(kept["version"])})  # fmt: skip

        @staticmethod
        def noted():
            return sorted(r["values"][str(noted)] for r in orla.records(notes["id"]))

        @staticmethod
        def settled(workflow):
            """All that was changed so far was looked at."""

            def read():
                row = orla.space.row("SELECT read_to FROM consumer WHERE workflow_id=%s", (workflow,))
                last = orla.space.row("SELECT n FROM counter WHERE workspace_id=%s AND name='change'", (orla.space.id,))
                return row and last and row["read_to"] >= last["n"]

            until(read)

    return orla, Tables


def test_a_record_that_is_added_starts_a_workflow_once(tables):
    orla, of = tables
    of.add("Before")
    workflow = of.flow(of.event("added"))
    of.add("Reeds")
    of.change(of.add("Leather"), {of.fields[2]: "Ivo"})
    assert until(lambda: len(of.noted()) == 2 and of.noted()) == ["Leather", "Reeds"], "what was there before is left"
    of.settled(workflow)
    assert of.noted() == ["Leather", "Reeds"]
    run = next(r for r in orla.runs(workflow) if r["title"] == "Reeds")
    where = orla.api("POST", f"/workflows/{workflow}/where", json={"item": run["item_id"]})
    assert where["fate"] == "came_through" and "when it was changed" in where["sentence"]


def test_a_field_that_reaches_a_value_from_another(tables):
    _, of = tables
    workflow = of.flow(of.event("reached", field=of.fields[1], was="Open", becomes="Done"))
    record = of.add("Reeds", values={of.fields[1]: "1"})
    of.change(record, {of.fields[2]: "Ivo"})
    of.change(record, {of.fields[1]: "2"})
    of.change(of.add("Leather"), {of.fields[1]: "2"})
    until(lambda: of.noted() == ["Reeds"])
    of.settled(workflow)
    assert of.noted() == ["Reeds"]


def test_samples_are_records_to_which_it_happened_as_they_were_then(tables):
    orla, of = tables
    _, stage, who = of.fields
    reached = of.flow(of.event("reached", field=stage, becomes="Done"), on=False)

    def samples(workflow):
        document = orla.api("GET", f"/workflows/{workflow}")["document"]
        orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": document})
        return [
            (s["title"], s["values"].get(f"was_{stage}"), s["values"][f"f_{stage}"])
            for s in orla.api("GET", f"/workflows/{workflow}/samples")
        ]

    of.add("Added so", values={stage: "2"})
    assert samples(reached) == [], "what never reached the value is no sample of that"
    record = of.add("Reeds", values={stage: "1"})
    of.change(record, {stage: "2"})
    of.change(record, {stage: "1"})
    of.change(record, {who: "Ivo"})
    assert samples(reached) == [("Reeds", "Open", "Done")]
    changed = of.flow(of.event("changed", fields=[who]), on=False)
    assert samples(changed) == [("Reeds", "Open", "Open")]
    assert {title for title, *_ in samples(of.flow(of.event("added"), on=False))} == {"Added so", "Reeds"}


def test_it_waits_until_the_record_is_filled_and_quiet(tables):
    orla, of = tables
    workflow = of.flow(of.event("added", quiet=1, filled=[of.fields[2]]))
    record = of.add("Reeds")
    of.settled(workflow)
    until(lambda: orla.space.row("SELECT 1 FROM settling WHERE workflow_id=%s AND due_at IS NULL", (workflow,)))
    assert of.noted() == [], "quiet, but not filled"
    of.change(record, {of.fields[2]: "Ivo"})
    of.settled(workflow)
    for n in range(3):  # while somebody goes on typing
        of.change(record, {of.fields[0]: f"Reeds {n}"})
        of.settled(workflow)
        assert of.noted() == []
    until(lambda: of.noted() == ["Reeds 2"])
    assert not orla.space.rows("SELECT 1 FROM settling WHERE workflow_id=%s", (workflow,))


def test_what_settles_is_kept_while_the_workflow_is_off(tables):
    orla, of = tables
    workflow, other = of.flow(of.event("added", quiet=600)), of.flow(of.event("added", quiet=1))
    of.add("Reeds")
    of.settled(workflow)
    until(lambda: of.noted() == ["Reeds"])  # by the other
    orla.api("POST", f"/workflows/{workflow}/off")
    orla.space.transact(lambda t: t.execute("UPDATE settling SET due_at=NOW(3) WHERE workflow_id=%s", (workflow,)))
    of.add("Leather")
    until(lambda: of.noted() == ["Leather", "Reeds"])  # by the other: what is settled was looked at since
    orla.api("POST", f"/workflows/{other}/off")
    orla.api("POST", f"/workflows/{workflow}/on")
    until(lambda: of.noted() == ["Leather", "Reeds", "Reeds"])
    assert not orla.space.rows("SELECT 1 FROM settling WHERE workflow_id=%s", (workflow,))


def test_a_workflow_does_not_set_itself_off_nor_by_way_of_another(tables):
    orla, of = tables
    name, _, who = of.fields
    update = {
        "verb": "update",
        "id": "u",
        "of": "w",
        "fillings": [{"field": who, "filling": [{"ref": {"line": "w", "value": f"f_{name}"}}]}],
    }
    again = {
        "verb": "update",
        "id": "u",
        "of": "w",
        "fillings": [{"field": name, "filling": [{"ref": {"line": "w", "value": f"f_{who}"}}, {"text": "!"}]}],
    }
    first = of.flow(of.event("changed", fields=[name]), update)
    second = of.flow(of.event("changed", fields=[who]), again)
    record = of.add("Reeds")
    of.change(record, {name: "Leather"})
    until(lambda: len(orla.runs(second, "done")) == 1)
    of.settled(first), of.settled(second)
    titles = [r["values"][str(name)] for r in orla.records(of.database)]
    assert titles == ["Leather!"] and len(orla.runs(first)) == 1 and len(orla.runs(second)) == 1
    listens = orla.api("GET", f"/workflows/{first}")["listens"]
    assert listens["itself"] == 1, "and it is said"
    of.change(record, {name: "Bellows"})
    until(lambda: len(orla.runs(first, "done")) == 2)


def test_many_who_write_at_once_and_many_who_follow_lose_nothing(tables):
    orla, of = tables
    workflow = of.flow(of.event("added"))

    def follow(_):
        for _ in range(20):
            records.follow(orla.kelvix.engine, Versions(), orla.space.server)

    with ThreadPoolExecutor(8) as pool:
        follows = [pool.submit(follow, n) for n in range(2)]
        list(pool.map(lambda n: of.add(f"Task {n:02}"), range(40)))
        for f in follows:
            f.result()
    assert until(lambda: len(of.noted()) >= 40 and of.noted()) == [f"Task {n:02}" for n in range(40)]
    of.settled(workflow)
    assert len(orla.runs(workflow)) == 40


def test_what_happens_while_it_is_off_is_left(tables):
    orla, of = tables
    workflow = of.flow(of.event("added"))
    orla.api("POST", f"/workflows/{workflow}/off")
    of.add("Missed")
    orla.api("POST", f"/workflows/{workflow}/on")
    of.add("Reeds")
    until(lambda: of.noted() == ["Reeds"])


def test_a_database_that_was_deleted_holds_nobody_up(tables):
    orla, of = tables
    workflow = of.flow(of.event("added"))
    orla.api("DELETE", f"/databases/{of.database}?anyway=true")
    other = orla.database("Others", {"name": "Name", "type": "text"})
    orla.api("POST", f"/databases/{other['id']}/records", json={"values": {str(other["fields"][0]["id"]): "x"}})
    of.settled(workflow)
    assert of.noted() == [] and orla.runs(workflow) == []


def test_a_button_is_pressed_for_chosen_records_once(tables):
    orla, of = tables
    workflow = of.flow(of.event("button", button="Note it"))
    records = [of.add(t)["id"] for t in ("Reeds", "Leather", "Bellows")]
    [button] = orla.api("GET", f"/databases/{of.database}/buttons")
    assert button == {"workflow": workflow, "name": "Own", "button": "Note it", "of": "record"}
    for _ in range(2):  # sent twice, as a window may that lost the answer
        answer = orla.api(
            "POST", f"/workflows/{workflow}/press", json={"records": records[:2]}, headers={"idempotency-key": "k"}
        )
    assert answer == {"started": 0}
    until(lambda: of.noted() == ["Leather", "Reeds"])
    assert orla.api("POST", f"/workflows/{workflow}/press", json={"records": records[:1]})["started"] == 1
    until(lambda: of.noted() == ["Leather", "Reeds", "Reeds"])
    orla.api("POST", f"/workflows/{workflow}/off")
    assert "is off" in orla.api("POST", f"/workflows/{workflow}/press", 409, json={"records": records})["detail"]


def test_a_time_that_comes_round_is_one_event_and_missed_ones_are_counted(tables):
    orla, of = tables
    own = {"kind": "schedule", "rule": "FREQ=DAILY", "start": "2026-01-01T09:00"}
    note = {"verb": "add", "id": "a", "database": of.database,
            "fillings": [{"field": of.fields[0], "filling": [{"ref": {"line": "w", "value": "day"}}]},
                         {"field": of.fields[2], "filling": [{"ref": {"line": "w", "value": "missed"}}]}]}  # fmt: skip
    workflow = of.flow(own, note)
    listens = orla.api("GET", f"/workflows/{workflow}")["listens"]
    assert listens["kind"] == "schedule" and datetime.fromisoformat(listens["next_at"]) > datetime.now(UTC)
    three_days_ago = datetime.now(UTC) - timedelta(days=3, hours=1)
    orla.space.transact(lambda t: t.execute(
        "UPDATE listening SET last_at=%s, next_at=%s WHERE workflow_id=%s", (three_days_ago, three_days_ago, workflow)))  # fmt: skip
    [run] = until(lambda: orla.runs(workflow, "done"))
    [record] = orla.records(of.database)
    assert record["values"][str(of.fields[2])] in ("2", "3") and run["title"]
    following_time = orla.api("GET", f"/workflows/{workflow}")["listens"]["next_at"]
    assert datetime.fromisoformat(following_time) > datetime.now(UTC) and len(orla.runs(workflow)) == 1


def test_samples_of_what_happens_here(tables):
    orla, of = tables
    for title in ("Reeds", "Leather"):
        of.add(title)
    workflow = of.flow(of.event("changed"), on=False)
    when = orla.api("GET", f"/workflows/{workflow}")["document"]["lines"][0]
    body = {"document": {"lines": [when]}}
    found = orla.api("POST", f"/workflows/{workflow}/samples/fetch", json=body)
    assert sorted(s["title"] for s in found) == ["Leather", "Reeds"]
    edited = orla.api(
        "PUT",
        f"/workflows/{workflow}/samples/{found[0]['id']}",
        json={"values": found[0]["values"] | {f"f_{of.fields[2]}": "Ivo"}},
    )
    assert next(s for s in edited if s["id"] == found[0]["id"])["values"][f"f_{of.fields[2]}"] == "Ivo"
    times = {"lines": [{"verb": "when", "id": "w", "own": {"kind": "schedule", "cron": "0 8 * * MON"}}]}
    assert len(orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": times, "count": 3})) >= 3
    ahead = orla.api("POST", "/schedule", json={"kind": "schedule", "cron": "0 8 * * MON"})
    assert len(ahead["times"]) == 5 and ahead["a_month"] in (4, 5) and ahead["problem"] == ""
    assert "Bad minute" in orla.api("POST", "/schedule", json={"kind": "schedule", "cron": "61 8 * * MON"})["problem"]
    assert json.dumps(times)


def test_a_button_on_a_database_starts_it_for_no_record(orla):
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    log = orla.database("Log", {"name": "Name", "type": "text"})
    told = log["fields"][0]["id"]
    own = {"kind": "record", "database": tasks["id"], "event": "database_button", "button": "Count them"}
    by = [{"ref": {"line": "w", "value": "by"}}]
    add = {"verb": "add", "id": "a", "database": log["id"], "fillings": [{"field": told, "filling": by}]}
    workflow = orla.workflow("Counts", {"lines": [{"verb": "when", "id": "w", "own": own}, add]})
    orla.api("POST", f"/workflows/{workflow}/on")
    [button] = orla.api("GET", f"/databases/{tasks['id']}/buttons")
    assert (button["of"], button["button"]) == ("database", "Count them")
    for _ in range(2):
        made = orla.api("POST", f"/workflows/{workflow}/press", 202, json={"records": []}, headers={"idempotency-key": "once"})
    assert made["started"] == 0
    until(lambda: [r["values"][str(told)] for r in orla.records(log["id"])] == ["Orla"])
    orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {str(tasks["fields"][0]["id"]): "x"}})
    assert len(orla.runs(workflow)) == 1, "what happens to records does not start it"


def test_what_was_taken_in_can_be_picked_to_ask_where_it_is(orla):
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    name = str(tasks["fields"][0]["id"])
    own = {"kind": "record", "database": tasks["id"], "event": "added"}
    stop = {"verb": "stop", "id": "s", "how": "done", "saying": []}
    add = {"verb": "add", "id": "a", "database": tasks["id"], "fillings": [{"field": name, "filling": [{"text": "more"}]}]}
    workflow = orla.workflow("Own", {"lines": [{"verb": "when", "id": "w", "own": own}, stop, add]})
    orla.api("POST", f"/workflows/{workflow}/on")
    for title in ("Reeds", "Leather"):
        orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {name: title}})
    items = until(lambda: len(i := orla.api("GET", f"/workflows/{workflow}/items")) == 2 and i)
    assert {i["title"] for i in items} == {"Reeds", "Leather"}
    until(lambda: len(orla.runs(workflow, "done")) == 2)
    assert orla.api("POST", f"/workflows/{workflow}/where", json={"item": items[0]["id"]})["fate"] == "came_through"
