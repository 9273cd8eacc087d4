"""Past items carried for real: what is there is recognised, what was carried is not carried again, all of it is undone as one."""

from __future__ import annotations

import json

import pytest

from kelvix.engine import catching_up
from kelvix.engine.runner import MAX_FAILURES_IN_A_ROW
from support import FIELDS, FILLS, document, until


@pytest.fixture
def old(orla):
    """Thirty old messages in a folder, and a workflow that was never turned on."""
    for n in range(30):
        orla.deliver(f"Letter {n:02}", sender=f"Ada Pell <ada{n:02}@stbride.example>")
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS)
    made = orla.workflow("From the post", document(connection, orla.folders["Enquiries"], database, FILLS))
    name, address = (str(f["id"]) for f in database["fields"][:2])

    class Old:
        workflow, table = made, database["id"]
        by = {"a": [address]}

        @staticmethod
        def write_by_hand(*numbers):
            for n in numbers:
                values = {name: f"Kept by hand {n:02}", address: f"ada{n:02}@stbride.example"}
                orla.api("POST", f"/databases/{database['id']}/records", json={"values": values})

        @staticmethod
        def titles():
            return sorted(r["values"][name] for r in orla.records(database["id"]))

        @classmethod
        def past(cls, **more):
            return orla.api("POST", f"/workflows/{made}/past", json={"recognises": cls.by} | more)

        @classmethod
        def begin(cls, items, expect=202, **more):
            return orla.api("POST", f"/workflows/{made}/catch-up", expect, json={"items": items, "recognises": cls.by} | more)

        @staticmethod
        def latest():
            return orla.api("GET", f"/workflows/{made}/catch-up")

        @classmethod
        def ended(cls):
            return until(lambda: (c := cls.latest())["state"] == "done" and c)

    return orla, Old


def test_thirty_of_which_ten_are_there_and_undone_as_one(old):
    orla, flow = old
    flow.write_by_hand(*range(10))
    listed = flow.past()
    assert len(listed["items"]) == 30 and sum(i["state"] == "there" for i in listed["items"]) == 10
    assert {f["name"] for f in listed["known_by"][0]["fields"]} == {"Name", "Address"}
    assert flow.titles() == [f"Kept by hand {n:02}" for n in range(10)], "asking writes nothing"
    begun = flow.begin([i["id"] for i in reversed(listed["items"])])
    assert begun["total"] == 30 and begun["state"] == "running"
    done = flow.ended()
    assert (done["done"], done["there"], done["failed"], done["to_come"]) == (30, 10, 0, 0)
    assert len(flow.titles()) == 30 and flow.titles()[-1] == "Letter 29"
    undone = orla.api("DELETE", f"/workflows/{flow.workflow}/catch-up/{done['id']}")
    assert (undone["undone"], undone["trashed"], undone["kept"]) == (20, 20, [])
    assert flow.titles() == [f"Kept by hand {n:02}" for n in range(10)] and flow.latest()["state"] == "undone"
    orla.api("DELETE", f"/workflows/{flow.workflow}/catch-up/{done['id']}", 409)


def test_what_was_carried_is_known_and_not_carried_again(old):
    orla, flow = old
    ids = [i["id"] for i in flow.past()["items"]]
    flow.begin(ids[:4])
    flow.ended()
    assert {i["id"] for i in flow.past()["items"] if i["state"] == "carried"} == set(ids[:4])
    flow.begin(ids[:6], recognises={})
    done = flow.ended()
    assert (done["known"], done["done"]) == (4, 2) and len(flow.titles()) == 6
    where = orla.api("POST", f"/workflows/{flow.workflow}/where", json={"item": ids[0]})
    assert where["fate"] == "came_through" and "caught up" in where["sentence"]


def test_one_whose_run_failed_is_not_called_carried(old):
    orla, flow = old
    ids = [i["id"] for i in flow.past()["items"]]
    flow.begin(ids[:2])
    flow.ended()
    run = next(r for r in orla.runs(flow.workflow) if r["item_id"] == ids[1])
    orla.space.transact(lambda t: t.execute("UPDATE run SET state='failed' WHERE id=%s", (run["id"],)))
    known = {i["id"]: (i["state"], i["run"]) for i in flow.past()["items"]}
    assert known[ids[0]][0] == "carried" and known[ids[1]] == ("failed", run["id"])


def test_it_can_be_held_and_goes_on_from_where_it_is(old):
    orla, flow = old
    ids = [i["id"] for i in flow.past()["items"]]
    orla.faults("slow")
    try:
        begun = flow.begin(ids)
        where = f"/workflows/{flow.workflow}/catch-up/{begun['id']}"
        orla.api("POST", f"{where}/pause")
        held = until(lambda: (c := flow.latest())["on_the_way"] == 0 and c, 60)
        assert held["state"] == "paused" and held["to_come"] >= 30 - 2 * catching_up.MAX_UNDER_WAY
        assert "already running" in flow.begin(ids, 409)["title"]
        orla.api("POST", f"{where}/pause", 409)
    finally:
        orla.faults()
    orla.api("POST", f"{where}/resume")
    assert flow.ended()["done"] == 30 and len(flow.titles()) == 30


def test_one_that_fails_again_and_again_holds_itself_and_nothing_else(old):
    orla, flow = old
    ids = [i["id"] for i in flow.past()["items"]]
    orla.api("POST", f"/workflows/{flow.workflow}/on")
    gone = [str(10**9 + n) for n in range(MAX_FAILURES_IN_A_ROW + catching_up.MAX_UNDER_WAY)]
    flow.begin([*gone, *ids])
    held = until(lambda: (c := flow.latest())["state"] == "paused" and c)
    assert held["failed"] >= MAX_FAILURES_IN_A_ROW and orla.api("GET", f"/workflows/{flow.workflow}")["state"] == "on"


def test_what_came_while_it_was_off_is_offered_and_carried(on):
    orla = on.person
    orla.api("POST", f"/workflows/{on.workflow}/off")
    for n in range(4):
        orla.deliver(f"Missed {n}")
    orla.deliver("Elsewhere", "Suppliers")
    missed = until(lambda: (m := orla.api("GET", f"/workflows/{on.workflow}/missed"))["count"] == 4 and m)
    assert missed["since"]
    orla.api("POST", f"/workflows/{on.workflow}/on", json={"carry_missed": True})
    assert until(lambda: sorted(on.titles()) == [f"Missed {n}" for n in range(4)])
    assert orla.api("GET", f"/workflows/{on.workflow}/missed")["count"] == 0
    orla.deliver("Live")
    until(lambda: "Live" in on.titles())


def test_left_alone_what_came_while_it_was_off_stays_uncarried(on):
    orla = on.person
    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.deliver("Missed")
    until(lambda: orla.api("GET", f"/workflows/{on.workflow}/missed")["count"] == 1)
    orla.api("POST", f"/workflows/{on.workflow}/on")
    orla.deliver("Live")
    until(lambda: on.titles() == ["Live"])


def test_records_that_changed_while_it_was_off_are_offered_too(orla):
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    log = orla.database("Log", {"name": "Name", "type": "text"})
    name, told = tasks["fields"][0]["id"], log["fields"][0]["id"]
    own = {"kind": "record", "database": tasks["id"], "event": "added"}
    filling = [{"ref": {"line": "w", "value": f"f_{name}"}}]
    add = {"verb": "add", "id": "a", "database": log["id"], "fillings": [{"field": told, "filling": filling}]}
    workflow = orla.workflow("Logs", {"lines": [{"verb": "when", "id": "w", "own": own}, add]})
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.api("POST", f"/workflows/{workflow}/off")
    for n in range(3):
        orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {str(name): f"t{n}"}})
    assert orla.api("GET", f"/workflows/{workflow}/missed")["count"] == 3
    orla.api("POST", f"/workflows/{workflow}/on", json={"carry_missed": True})
    titles = lambda: sorted(r["values"][str(told)] for r in orla.records(log["id"]))  # noqa: E731
    until(lambda: titles() == ["t0", "t1", "t2"])


def test_what_cannot_be_caught_up_on_says_so(orla):
    workflow = orla.workflow("By the clock", {"lines": [{"verb": "when", "id": "w", "own": {"kind": "schedule"}}]})
    assert "no past items" in json.dumps(orla.api("POST", f"/workflows/{workflow}/past", 409, json={}))
    assert orla.api("GET", f"/workflows/{workflow}/missed") == {"count": 0, "since": None}
    orla.api("POST", f"/workflows/{workflow}/catch-up", 409, json={"items": ["1"]})
