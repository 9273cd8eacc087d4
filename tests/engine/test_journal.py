"""One subscription for each place of an account, however many workflows listen to it: each reads its journal at a place of its
own, and none waits for another."""

from __future__ import annotations

import json
import time
from datetime import UTC, datetime

import pytest

from kelvix.connectors.listed import ListedCollection
from kelvix.core.collection import PermanentError
from kelvix.engine import switch
from kelvix.engine.subscriptions import feeding, polling, records
from kelvix.engine.subscriptions.intake import Intake
from kelvix.engine.upkeep import prune
from kelvix.engine.versions import Versions
from kelvix.formats import webhook_signature
from kelvix.store import changes, connections, consumers, journal, subscriptions
from packages.logbook import Logbook
from support import FIELDS, FILLS, document, locked, turn_on, until


class Listeners:
    """Several workflows that listen to one folder, each with a database of its own."""

    def __init__(self, orla, number, on=True, **more):
        self.orla, self.connection = orla, orla.connect("Enquiries")
        self.tables = [orla.database(f"Enquiries {n}", *FIELDS) for n in range(number)]
        self.flows = [
            orla.workflow(f"From the post {n}", document(self.connection, orla.folders["Enquiries"], t, FILLS) | more)
            for n, t in enumerate(self.tables)
        ]
        for flow in self.flows if on else ():
            self.turn(flow, "on")

    def turn(self, flow, state, **body):
        self.orla.api("POST", f"/workflows/{flow}/{state}", **body)

    def titles(self, n):
        return sorted(r["values"][str(self.tables[n]["fields"][0]["id"])] for r in self.orla.records(self.tables[n]["id"]))

    def all_have(self, *titles, besides=()):
        until(lambda: all(self.titles(n) == sorted(titles) for n in range(len(self.flows)) if n not in besides))

    def consumer(self, n):
        return self.orla.space.read(lambda t: consumers.of_workflow(t, self.orla.space.id, self.flows[n]))

    def subscription(self, n=0):
        return self.orla.space.read(lambda t: subscriptions.of_workflow(t, self.orla.space.id, self.flows[n]))

    def count(self, table="subscription"):
        return self.orla.space.row(f"SELECT COUNT(*) AS n FROM {table} WHERE workspace_id=%s", (self.orla.space.id,))["n"]

    def check(self):
        polling.check(self.orla.kelvix.engine, self.subscription())

    def runs_of_each_are(self, number):
        assert [len(self.orla.runs(flow)) for flow in self.flows] == [number] * len(self.flows)


def test_many_workflows_of_one_folder_are_one_subscription_one_push_and_one_poll(orla, monkeypatch):
    many = Listeners(orla, 5)
    assert many.count() == 1 and len(orla.kelvix.practice.subscribers(orla.folders["Enquiries"])) == 1
    orla.deliver("Pushed")
    many.all_have("Pushed")
    orla.faults(push="never")
    try:
        orla.deliver("Polled")
        asked = []
        honest = ListedCollection.changes
        monkeypatch.setattr(ListedCollection, "changes", lambda self, cursor: asked.append(cursor) or honest(self, cursor))
        many.check()
        assert len(asked) == 1
        many.all_have("Pushed", "Polled")
    finally:
        orla.faults()
    many.runs_of_each_are(2)
    assert many.count("source_change") == 2


@pytest.mark.parametrize("push", ["once", "never"])
def test_one_that_is_locked_holds_up_no_other(orla, push):
    many = Listeners(orla, 3)
    orla.faults(push=push)
    try:
        with locked(orla.kelvix, many.consumer(1)):
            orla.deliver("Held up")
            if push == "never":
                many.check()
            many.all_have("Held up", besides=[1])
            assert many.titles(1) == [] and many.consumer(1).read_to == 0
            orla.deliver("Another")
            if push == "never":
                many.check()
            many.all_have("Held up", "Another", besides=[1])
        many.all_have("Held up", "Another")
    finally:
        orla.faults()
    many.runs_of_each_are(2)


def test_one_that_cannot_read_on_holds_up_no_other(orla, monkeypatch):
    many = Listeners(orla, 2)
    orla.faults(push="never")
    try:
        orla.deliver("Broken for one")
        honest = feeding.read

        def broken(one, t):
            if one.consumer == many.consumer(0).id:
                raise ValueError("of its own")
            return honest(one, t)

        with monkeypatch.context() as patch, locked(orla.kelvix, many.consumer(0)):  # so that the worker does not read for it
            patch.setattr(feeding, "read", broken)
            many.check()
            many.all_have("Broken for one", besides=[0])
            assert many.titles(0) == []
        many.all_have("Broken for one")
    finally:
        orla.faults()
    many.runs_of_each_are(1)


def test_one_is_paused_one_is_new_and_one_is_off_and_catches_up(orla):
    many = Listeners(orla, 4, on=False)
    for flow in many.flows[:3]:
        many.turn(flow, "on")
    orla.deliver("First")
    until(lambda: [many.titles(n) for n in range(3)] == [["First"]] * 3)
    switch.pause(orla.kelvix.engine, orla.space, many.flows[1], "five runs failed")
    many.turn(many.flows[2], "off")
    for subject in ("Second", "Third"):
        orla.deliver(subject)
    until(lambda: many.titles(0) == ["First", "Second", "Third"])
    until(lambda: (orla.api("GET", f"/workflows/{many.flows[1]}")["held"] or {}).get("count") == 2)
    assert orla.api("GET", f"/workflows/{many.flows[2]}/missed")["count"] == 2
    many.turn(many.flows[3], "on")
    orla.deliver("Fourth")
    until(lambda: many.titles(3) == ["Fourth"])
    many.turn(many.flows[1], "on")
    many.turn(many.flows[2], "on", json={"carry_missed": True})
    until(lambda: many.titles(1) == many.titles(2) == ["First", "Fourth", "Second", "Third"])
    orla.deliver("Fifth")
    until(lambda: many.titles(3) == ["Fifth", "Fourth"])
    assert [len(orla.runs(flow)) for flow in many.flows] == [5, 5, 5, 2]


def test_what_is_held_is_dropped_by_a_person_and_what_came_while_off_is_left_on_wish(orla):
    many = Listeners(orla, 2)
    switch.pause(orla.kelvix.engine, orla.space, many.flows[0], "five runs failed")
    many.turn(many.flows[1], "off")
    orla.deliver("Left")
    until(lambda: (orla.api("GET", f"/workflows/{many.flows[0]}")["held"] or {}).get("count") == 1)
    where = orla.api("POST", f"/workflows/{many.flows[0]}/where", json={"item": str(_newest(orla))})
    assert where["fate"] == "on_its_way" and "held: the workflow is paused" in where["sentence"]
    orla.api("DELETE", f"/workflows/{many.flows[0]}/held", 204)
    assert orla.api("GET", f"/workflows/{many.flows[0]}")["held"] is None
    many.turn(many.flows[0], "on"), many.turn(many.flows[1], "on")
    orla.deliver("Taken")
    many.all_have("Taken")
    many.runs_of_each_are(1)


def _newest(orla):
    return orla.kelvix.practice.items(orla.folders["Enquiries"], 1)[0]["id"]


def test_nobody_is_asked_for_what_nobody_listens_to_and_the_gap_is_known(orla):
    """While all are off, the app is not asked and does not push; one that comes back finds what came, also after another began to
    listen anew in between."""
    many = Listeners(orla, 2)
    for flow in many.flows:
        many.turn(flow, "off")
    assert many.subscription().state == "off" and not orla.kelvix.practice.subscribers(orla.folders["Enquiries"])
    orla.deliver("In the gap")
    assert orla.api("GET", f"/workflows/{many.flows[0]}/missed")["count"] == 1
    many.turn(many.flows[1], "on")
    orla.deliver("After it")
    until(lambda: many.titles(1) == ["After it"])
    assert orla.api("GET", f"/workflows/{many.flows[0]}/missed")["count"] == 2
    many.turn(many.flows[0], "on", json={"carry_missed": True})
    until(lambda: many.titles(0) == ["After it", "In the gap"])
    assert len(orla.kelvix.practice.subscribers(orla.folders["Enquiries"])) == 1
    assert [len(orla.runs(flow)) for flow in many.flows] == [2, 1]


def test_one_that_listens_to_another_folder_still_carries_what_was_taken_in(orla):
    connection, table = orla.connect("Enquiries", "Suppliers"), orla.database("Enquiries", *FIELDS)
    flow = orla.workflow("Moves", document(connection, orla.folders["Enquiries"], table, FILLS))
    orla.api("POST", f"/workflows/{flow}/on")
    switch.pause(orla.kelvix.engine, orla.space, flow, "five runs failed")
    orla.deliver("Of the old folder")
    until(lambda: (orla.api("GET", f"/workflows/{flow}")["held"] or {}).get("count") == 1)
    kept = orla.api("GET", f"/workflows/{flow}")
    kept["document"]["lines"][0] |= {"container": str(orla.folders["Suppliers"]), "container_name": "Suppliers"}
    draft = {"name": "Moves", "document": kept["document"]}
    orla.api("PUT", f"/workflows/{flow}", json=draft, headers={"if-match": str(kept["draft_version"])})
    orla.api("POST", f"/workflows/{flow}/on")
    orla.deliver("Of the new folder", folder="Suppliers")
    name = str(table["fields"][0]["id"])
    until(lambda: sorted(r["values"][name] for r in orla.records(table["id"])) == ["Of the new folder", "Of the old folder"])
    assert [s["state"] for s in orla.space.rows("SELECT state FROM subscription WHERE workspace_id=%s ORDER BY id", (orla.space.id,))] == ["off", "on"]  # fmt: skip


def test_what_is_held_is_told_of_and_a_journal_that_is_not_there_troubles_nobody(orla, monkeypatch):
    many = Listeners(orla, 2)
    switch.pause(orla.kelvix.engine, orla.space, many.flows[1], "five runs failed")
    orla.faults(push="never")
    try:
        orla.deliver("Told")
        of, told = many.subscription(), []
        secret = orla.space.read(lambda t: subscriptions.push_secret(t, orla.kelvix.engine.vault, orla.space.id, of.id))
        body, stamp = json.dumps({"container": of.place, "item": str(_newest(orla))}).encode(), int(time.time())
        signature = webhook_signature.sign(secret, "m", stamp, body)
        dispatch = orla.kelvix.engine.dispatch
        dispatch.announce(10**12, "journal:1"), dispatch.announce(orla.space.id, "journal:x", f"journal:{10**12}")
        with monkeypatch.context() as patch:
            patch.setattr(dispatch, "announce", lambda *topics: told.append(topics))
            assert Intake(orla.kelvix.engine).push(orla.space.id, of.id, "m", str(stamp), signature, body) == 202
        assert told == [(orla.space.id, f"journal:{of.id}", f"workflow:{many.flows[1]}")]
        many.all_have("Told", besides=[1])
    finally:
        orla.faults()


def test_those_that_keep_an_order_read_the_same_journal(orla):
    many = Listeners(orla, 2, on=False)
    kept = orla.api("GET", f"/workflows/{many.flows[1]}")
    kept["document"]["lines"][0]["order"] = "all"
    draft = {"name": "In order", "document": kept["document"]}
    orla.api("PUT", f"/workflows/{many.flows[1]}", json=draft, headers={"if-match": str(kept["draft_version"])})
    for flow in many.flows:
        many.turn(flow, "on")
    subjects = [f"Letter {n}" for n in range(8)]
    for subject in subjects:
        orla.deliver(subject)
    many.all_have(*subjects)
    # One push may overtake another on its way here: the order that is kept is the one in which changes came in.
    came_in = orla.space.rows(
        "SELECT item_id FROM source_change WHERE subscription_id=%s ORDER BY n", (many.subscription().id,)
    )
    made = orla.space.rows("SELECT item_id FROM event WHERE workflow_id=%s ORDER BY id", (many.flows[1],))
    assert [r["item_id"] for r in made] == [r["item_id"] for r in came_in] and len(came_in) == len(subjects)
    many.runs_of_each_are(len(subjects))


def test_to_and_fro_and_to_and_fro_are_four_changes(orla):
    """A value that goes from A to B and back, and again, is four changes to each who follows."""
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    log = orla.database("Log", {"name": "Name", "type": "text"})
    name = str(tasks["fields"][0]["id"])
    fillings = [{"field": log["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": f"f_{name}"}}]}]
    add = {"verb": "add", "id": "a", "database": log["id"], "fillings": fillings}
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "event": "changed", "database": tasks["id"]}}
    flows = [orla.workflow(f"Log {n}", {"lines": [when, add]}) for n in range(2)]
    record = orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {name: "A"}})["record"]
    for flow in flows:
        orla.api("POST", f"/workflows/{flow}/on")
    version = record["version"]
    for value in "BABA":
        where = f"/databases/{tasks['id']}/records/{record['id']}"
        changed = orla.api("PATCH", where, json={"values": {name: value}}, headers={"if-match": str(version)})
        version = changed["record"]["version"]
    field = str(log["fields"][0]["id"])
    until(lambda: sorted(r["values"][field] for r in orla.records(log["id"])) == sorted("BABA" * 2))
    for flow in flows:
        made = orla.space.rows("SELECT item FROM event WHERE workflow_id=%s ORDER BY id", (flow,))
        assert [json.loads(r["item"])["values"][f"f_{name}"] for r in made] == list("BABA")


def test_an_item_that_comes_and_goes_and_comes_and_goes_is_each_change_once(orla):
    many = Listeners(orla, 1)
    orla.deliver("Moves")
    many.all_have("Moves")
    item = _newest(orla)
    for folder in ("Suppliers", "Enquiries", "Suppliers", "Enquiries"):
        orla.kelvix.practice.change(item, "moved", lambda body: body, orla.folders[folder], None)
    many.check(), many.check()
    told = orla.space.rows("SELECT told, revision FROM source_change WHERE workspace_id=%s ORDER BY n", (orla.space.id,))
    assert [r["told"] for r in told] == ["new", "moved", "new", "moved", "new"]
    assert len({(r["told"], r["revision"]) for r in told}) == 5
    until(lambda: many.consumer(0).read_to == 5)
    many.runs_of_each_are(1)  # who listens to arrivals takes it once


def test_a_second_account_in_which_items_have_the_same_identities(orla, monkeypatch, tmp_path):
    """Entries of a book are known by their line: those of another account's book of the same name are others."""
    engine, space = orla.kelvix.engine, orla.space
    monkeypatch.setitem(engine.apps, "logbook", Logbook(""))
    table = orla.database("Entries", {"name": "Name", "type": "text"})
    add = {"verb": "add", "id": "a", "database": table["id"],
           "fillings": [{"field": table["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": "what"}}]}]}  # fmt: skip
    made = []
    for name in ("first", "second"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "pipes.jsonl").write_text("")
        made.append(_connection(engine, space, str(tmp_path / name)))
    flow = orla.workflow("Entries", {"lines": [_when(made[0]), add]})

    def write(name, *entries):
        with (tmp_path / name / "pipes.jsonl").open("a") as book:
            book.writelines(json.dumps({"what": e, "hertz": "1", "at": datetime.now(UTC).isoformat()}) + "\n" for e in entries)

    def listen(connection):
        kept = orla.api("GET", f"/workflows/{flow}")
        draft = {"name": "Entries", "document": {"lines": [_when(connection), add]}}
        orla.api("PUT", f"/workflows/{flow}", json=draft, headers={"if-match": str(kept["draft_version"])})
        switch.turn_on(engine, space, flow)

    def events():
        return [r["item_id"] for r in space.rows("SELECT item_id FROM event WHERE workflow_id=%s ORDER BY id", (flow,))]

    def check():
        polling.check(engine, space.read(lambda t: subscriptions.of_workflow(t, space.id, flow)))

    listen(made[0])
    write("first", "A", "B")
    check(), check()
    assert events() == ["1", "2"]
    listen(made[1])
    write("second", "A", "B", "C")
    check(), check()
    assert events() == ["1", "2", "1", "2", "3"], "equal identities of another account are other items"
    listen(made[0])
    write("first", "C")
    check(), check()
    assert events() == ["1", "2", "1", "2", "3", "3"]
    accounts = space.rows("SELECT account FROM subscription WHERE workspace_id=%s", (space.id,))
    assert len({r["account"] for r in accounts}) == 2


def _connection(engine, space, folder):
    return connections.save(space, engine.vault, None, "logbook", "Books", folder, folder, None)


def _when(connection):
    return {"verb": "when", "id": "w", "app": "logbook", "connection": connection, "event": "arrives",
            "container": "pipes", "container_name": "pipes"}  # fmt: skip


def test_two_subscriptions_of_a_place_become_one_when_they_have_read_to_the_same(orla):
    """As after an update: each workflow had a subscription of its own, one of them behind."""
    many = Listeners(orla, 2)
    orla.faults(push="never")
    space = orla.space
    try:
        of = many.subscription()
        apart = space.transact(
            lambda t: t.insert(
                "INSERT INTO subscription (workspace_id, place, branch, connection_id, state, cursor_at, next_check_at) "
                "SELECT workspace_id, place, 99, connection_id, 'on', cursor_at, NOW(3) + INTERVAL 1 HOUR FROM subscription "
                "WHERE id=%s", (of.id,)
            )
        )  # fmt: skip
        one = many.consumer(1)
        space.transact(lambda t: t.execute("UPDATE consumer SET subscription_id=%s, read_to=0 WHERE id=%s", (apart, one.id)))
        orla.deliver("Read by one")
        many.check()
        many.all_have("Read by one", besides=[1])
        assert many.titles(1) == [] and many.count() == 2, "it has not read as far"
        orla.deliver("Read by none")
        polling.check(orla.kelvix.engine, many.subscription(1))
        many.all_have("Read by one", "Read by none", besides=[0])
        assert many.count() == 2
        many.check()
        many.all_have("Read by one", "Read by none")
        many.check()
        assert many.count() == 1 and many.subscription(1).id == of.id and many.consumer(1).read_to == many.subscription().n
        orla.deliver("After they met")
        many.check()
        many.all_have("Read by one", "Read by none", "After they met")
        many.runs_of_each_are(3)
    finally:
        orla.faults()


def test_another_connection_to_the_same_account_is_a_way_too(orla, monkeypatch):
    """What one connection is refused, another of the same account, that a listener chose, may read."""
    many = Listeners(orla, 1)
    other, table = orla.connect("Enquiries"), orla.database("Others", *FIELDS)
    assert other != many.connection
    flow = orla.workflow("By the other", document(other, orla.folders["Enquiries"], table, FILLS))
    orla.api("POST", f"/workflows/{flow}/on")
    assert many.count() == 1
    orla.faults(push="never")
    try:
        orla.revoke(many.connection)
        orla.deliver("By another way")
        many.check()
        assert many.subscription().connection_id == other
        many.check()
        name = str(table["fields"][0]["id"])
        until(lambda: [r["values"][name] for r in orla.records(table["id"])] == ["By another way"])
        assert orla.api("GET", f"/workflows/{many.flows[0]}")["held"]["count"] == 1, "its own connection is refused"
        orla.revoke(other)
        for _ in range(3):
            many.check()
        later = "SELECT next_check_at > NOW(3) + INTERVAL 1 MINUTE AS later FROM subscription WHERE workspace_id=%s"
        assert orla.space.row(later, (orla.space.id,))["later"], "where no way is left, it is not asked again and again"
    finally:
        orla.faults()


def test_a_journal_that_nobody_reads_on_takes_no_more_and_one_that_all_have_read_is_let_go(orla, monkeypatch):
    many = Listeners(orla, 2)
    orla.faults(push="never")
    monkeypatch.setattr(journal, "MAX_UNREAD", 3)
    try:
        switch.pause(orla.kelvix.engine, orla.space, many.flows[1], "five runs failed")
        for n in range(3):
            orla.deliver(f"Letter {n}")
        many.check()
        orla.deliver("Stays with the app")
        many.check()
        assert many.subscription().problem.startswith("3 changes are waiting for a workflow") and many.subscription().is_full
        many.all_have("Letter 0", "Letter 1", "Letter 2", besides=[1])
        many.turn(many.flows[1], "on")
        until(lambda: many.consumer(1).read_to == 3)
        many.check()
        many.all_have("Letter 0", "Letter 1", "Letter 2", "Stays with the app")
        assert many.subscription().problem is None
        old = "UPDATE source_change SET at=at - INTERVAL 2 DAY WHERE workspace_id=%s"
        orla.space.transact(lambda t: t.execute(old, (orla.space.id,)))
        until(lambda: many.consumer(0).read_to == many.consumer(1).read_to == 4)
        prune(orla.kelvix.engine, orla.space.id)
        assert many.count("source_change") == 0
        many.check()
        many.runs_of_each_are(4)
    finally:
        orla.faults()


def test_what_one_that_is_off_has_not_read_is_kept_for_a_month(orla):
    many = Listeners(orla, 2)
    many.turn(many.flows[1], "off")
    orla.deliver("For a month")
    until(lambda: many.consumer(0).read_to == 1)
    for days, left in ((20, 1), (20, 0)):
        old = "UPDATE source_change SET at=at - INTERVAL %s DAY WHERE workspace_id=%s"
        orla.space.transact(lambda t, days=days, old=old: t.execute(old, (days, orla.space.id)))
        prune(orla.kelvix.engine, orla.space.id)
        assert many.count("source_change") == left


def test_the_log_of_changes_is_read_once_for_all_that_stand_at_one_place(orla, monkeypatch):
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    name = str(tasks["fields"][0]["id"])
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "event": "added", "database": tasks["id"]}}
    log = orla.database("Log", {"name": "Name", "type": "text"})
    fillings = [{"field": log["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": f"f_{name}"}}]}]
    add = {"verb": "add", "id": "a", "database": log["id"], "fillings": fillings}
    flows = [orla.workflow(f"Follow {n}", {"lines": [when, add]}) for n in range(6)]
    for flow in flows:
        orla.api("POST", f"/workflows/{flow}/on")
    orla.kelvix.installation.stop_child("worker")
    try:
        for n in range(3):
            orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {name: f"Task {n}"}})
        asked, honest = [], changes.after
        monkeypatch.setattr(
            changes, "after", lambda t, workspace_id, seq, limit: asked.append(seq) or honest(t, workspace_id, seq, limit)
        )
        with locked(orla.kelvix, orla.space.read(lambda t: consumers.of_workflow(t, orla.space.id, flows[0]))):
            assert records.follow(orla.kelvix.engine, Versions(), orla.space.server) == 15
        assert len(asked) == 1
        assert records.follow(orla.kelvix.engine, Versions(), orla.space.server) == 3
    finally:
        orla.kelvix.installation.start("worker")


def test_turning_on_says_why_where_the_app_refuses(orla):
    on = turn_on(orla)
    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.revoke(on.connection)
    with pytest.raises(PermanentError):
        switch.turn_on(orla.kelvix.engine, orla.space, on.workflow)
    assert on.detail()["state"] == "off"
