"""What was accepted is kept: while a workflow is paused by itself, or its workspace is at a limit, what arrives is held, shown with
its count, and goes on in order; only a person drops it."""

from __future__ import annotations

import time

import httpx2 as httpx
import pytest

from kelvix.engine import switch
from kelvix.formats import webhook_signature
from kelvix.store import usage
from support import turn_on, until


@pytest.fixture
def door(orla):
    """A workflow with an address, that keeps a record for each request."""
    table = orla.database("Calls", {"name": "Name", "type": "text"})
    when = {"verb": "when", "id": "w", "own": {"kind": "address", "inputs": [{"key": "name", "name": "Name", "type": "text"}]}}
    add = {"verb": "add", "id": "a", "database": table["id"],
           "fillings": [{"field": table["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": "name"}}]}]}  # fmt: skip
    flow = orla.workflow("Calls", {"lines": [when, add]})
    made = orla.api("POST", f"/workflows/{flow}/address")
    orla.api("POST", f"/workflows/{flow}/on")

    class Door:
        person, id, database = orla, flow, table
        address, secret = made["address"], made["secret"]

        def call(self, name, **headers):
            return httpx.post(self.address, json={"name": name}, headers=headers, trust_env=False)

        def pause(self):
            switch.pause(orla.kelvix.engine, orla.space, flow, "five runs failed")

        def held(self):
            found = orla.api("GET", f"/workflows/{flow}")["held"]
            return found["count"] if found else 0

        def names(self):
            return [r["values"][str(table["fields"][0]["id"])] for r in orla.records(table["id"])][::-1]

    return Door()


def test_requests_to_a_paused_workflow_are_held_and_go_on_in_order(door):
    door.pause()
    said = [door.call(f"call {n}") for n in range(5)]
    assert {s.status_code for s in said} == {202} and all(s.json()["taken"] and "paused" in s.json()["held"] for s in said)
    assert door.held() == 5 and door.names() == []
    detail = door.person.api("GET", f"/workflows/{door.id}")
    assert detail["state"] == "paused" and "resumed" in detail["held"]["why"]
    [cause] = [c for c in door.person.api("GET", "/attention") if c["kind"] == "paused"]
    assert "5 items are held" in cause["sentence"]
    where = door.person.api("POST", f"/workflows/{door.id}/where", json={"item": said[2].json()["id"]})
    assert where["fate"] == "on_its_way" and "held: the workflow is paused" in where["sentence"]
    door.person.api("POST", f"/workflows/{door.id}/on")
    until(lambda: len(door.names()) == 5)
    assert sorted(door.names()) == [f"call {n}" for n in range(5)] and door.held() == 0
    assert (
        door.person.space.row("SELECT bytes FROM workspace_usage WHERE workspace_id=%s", (door.person.space.id,))["bytes"] == 0
    )


def test_the_same_request_is_held_once_and_never_carried_again(door):
    door.call("before", **{"idempotency-key": "a"})
    until(lambda: door.names() == ["before"])
    door.pause()
    answers = [
        door.call("before", **{"idempotency-key": "a"}),
        *(door.call("twice", **{"idempotency-key": "b"}) for _ in range(3)),
    ]
    assert [a.json()["new"] for a in answers] == [False, True, False, False] and door.held() == 1
    other = door.call("another", **{"idempotency-key": "b"})
    assert other.status_code == 422 and "another request" in other.json()["title"]
    door.person.api("POST", f"/workflows/{door.id}/on")
    until(lambda: door.names() == ["before", "twice"])


def test_only_a_person_drops_what_is_held(door):
    door.pause()
    door.call("dropped")
    door.person.api("POST", f"/workflows/{door.id}/off")
    assert door.held() == 1, "turning it off drops nothing"
    sample = door.call("while it is off").json()
    assert sample["taken"] is False and sample["kept"].startswith("not run")
    door.person.api("DELETE", f"/workflows/{door.id}/held", 204)
    assert door.held() == 0
    door.person.api("POST", f"/workflows/{door.id}/on")
    door.call("after")
    until(lambda: door.names() == ["after"])


def test_the_inbox_has_the_room_that_the_workspace_has(door):
    home, space = door.person.kelvix.engine.directory.home, door.person.space
    home.transact(lambda t: t.execute("UPDATE workspace SET most_bytes=1200 WHERE id=%s", (space.id,)))
    door.pause()
    answers = []
    until(lambda: answers.append(door.call(f"call {len(answers)}")) or answers[-1].status_code == 503)
    assert answers[-1].headers["retry-after"] == "60" and "not enough space" in answers[-1].json()["title"]
    kept = door.held()
    assert kept == len(answers) - 1 >= 2, "what was accepted stays"
    home.transact(lambda t: t.execute("UPDATE workspace SET most_bytes=1200000 WHERE id=%s", (space.id,)))
    until(lambda: door.call("room again").status_code == 202)
    door.person.api("POST", f"/workflows/{door.id}/on")
    until(lambda: len(door.names()) == kept + 1)


def test_a_workspace_that_has_had_its_runs_holds_what_arrives(door):
    space = door.person.space
    door.call("first")
    until(lambda: door.names() == ["first"])
    assert space.transact(lambda t: usage.count_runs(t, space.id, 1)), "one run in 24 hours, as many as may be"
    assert "has reached its limit" in door.call("second").json()["held"]
    assert door.held() == 1 and "limit of" in door.person.api("GET", f"/workflows/{door.id}")["held"]["why"]
    assert space.transact(lambda t: usage.count_runs(t, space.id, 1000))
    until(lambda: door.names() == ["first", "second"])


def test_pushes_and_what_is_polled_are_held(orla):
    on = turn_on(orla)
    orla.deliver("before")
    until(lambda: on.titles() == ["before"])
    switch.pause(orla.kelvix.engine, orla.space, on.workflow, "five runs failed")
    orla.deliver("pushed")
    until(lambda: (on.detail()["held"] or {}).get("count") == 1)
    orla.faults(push="never")
    orla.deliver("polled")
    orla.space.transact(
        lambda t: t.execute("UPDATE subscription SET next_check_at=NOW(3) WHERE workspace_id=%s", (orla.space.id,))
    )
    until(lambda: (on.detail()["held"] or {}).get("count") == 2)
    assert on.titles() == ["before"]
    orla.api("POST", f"/workflows/{on.workflow}/on")
    until(lambda: sorted(on.titles()) == ["before", "polled", "pushed"])
    orla.faults(push="once")
    orla.deliver("after")
    until(lambda: len(on.titles()) == 4)


def test_changes_of_records_wait_where_the_log_was_left(orla):
    table, log = (
        orla.database("Tasks", {"name": "Name", "type": "text"}),
        orla.database("Log", {"name": "Name", "type": "text"}),
    )
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "event": "added", "database": table["id"]}}
    name = table["fields"][0]["id"]
    add = {"verb": "add", "id": "a", "database": log["id"],
           "fillings": [{"field": log["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": f"f_{name}"}}]}]}  # fmt: skip
    flow = orla.workflow("Log", {"lines": [when, add]})
    orla.api("POST", f"/workflows/{flow}/on")
    switch.pause(orla.kelvix.engine, orla.space, flow, "five runs failed")
    orla.api("POST", f"/databases/{table['id']}/records", json={"values": {str(name): "while paused"}})
    orla.api("POST", f"/workflows/{flow}/on")
    until(lambda: len(orla.records(log["id"])) == 1)


def test_a_signed_request_is_known_by_its_signed_id(door):
    """Whoever caught one and sends it again under another key of their own starts nothing."""
    orla = door.person
    kept = orla.api("GET", f"/workflows/{door.id}")
    document = kept["document"]
    document["lines"][0]["own"]["signed"] = True
    orla.api(
        "PUT",
        f"/workflows/{door.id}",
        json={"name": "Calls", "document": document},
        headers={"if-match": str(kept["draft_version"])},
    )
    orla.api("POST", f"/workflows/{door.id}/on")
    secret = door.secret
    body, stamp = b'{"name": "signed"}', int(time.time())

    def send(**more):
        headers = {"content-type": "application/json", "webhook-id": "msg_1", "webhook-timestamp": str(stamp)}
        headers["webhook-signature"] = webhook_signature.sign(secret, "msg_1", stamp, body)
        return httpx.post(door.address, content=body, headers=headers | more, trust_env=False)

    assert send().json()["new"] and not send(**{"idempotency-key": "mine"}).json()["new"]
    refused = send(**{"webhook-signature": "v1,é".encode()})
    assert refused.status_code == 401, "no error of our own"
    until(lambda: door.names() == ["signed"])


def test_a_key_belongs_to_its_body(orla):
    table = orla.database("Tasks", {"name": "Name", "type": "text"})
    name = str(table["fields"][0]["id"])

    def add(value, where=None):
        where = where or f"/databases/{table['id']}/records"
        return orla.web.post(f"/api/v1{where}", json={"values": {name: value}}, headers={"idempotency-key": "k"})

    first = add("one")
    assert add("one").json() == first.json() and len(orla.records(table["id"])) == 1
    refused = add("two")
    assert refused.status_code == 422 and "another request" in refused.json()["title"]
    other = orla.database("Others", {"name": "Name", "type": "text"})
    made = orla.web.post(f"/api/v1/databases/{other['id']}/records", json={"values": {str(other["fields"][0]["id"]): "one"}},
                         headers={"idempotency-key": "k"})  # fmt: skip
    assert made.status_code == 201, "on another route it is another key"
