"""What fails again and again is paused and says why; what failed is run again, from where it failed or from the start."""

from __future__ import annotations

import json

import pytest

from kelvix.core.lines.add import Add
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.workflow import When, Workflow
from kelvix.engine.again import same_so_far
from kelvix.engine.runner import MAX_FAILURES_IN_A_ROW
from support import document, until


@pytest.fixture
def swapped(orla):
    """A workflow that is on and fails with each message, since it fills an address with what is none."""
    connection = orla.connect("Enquiries")
    database = orla.database("Letters", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    ways = [
        document(connection, orla.folders["Enquiries"], database, {"Name": "subject", "Address": value}, ("letter", "quote"))
        for value in ("sender.name", "sender.address")
    ]
    workflow = orla.workflow("Swapped", ways[0])
    orla.api("POST", f"/workflows/{workflow}/on")

    class Swapped:
        id, wrong, right = workflow, ways[0], ways[1]
        name_field = str(database["fields"][0]["id"])

        @staticmethod
        def save(made):
            kept = orla.api("GET", f"/workflows/{workflow}")
            body = {"name": kept["name"], "document": made}
            orla.api("PUT", f"/workflows/{workflow}", json=body, headers={"if-match": str(kept["draft_version"])})
            orla.api("POST", f"/workflows/{workflow}/on")

        @staticmethod
        def detail():
            return orla.api("GET", f"/workflows/{workflow}")

        @classmethod
        def titles(cls):
            return sorted(r["values"][cls.name_field] for r in orla.records(database["id"]))

        @staticmethod
        def runs(state=None):
            return orla.runs(workflow, state)

    return orla, Swapped


def test_after_failures_in_a_row_it_is_paused_and_says_why(swapped):
    orla, flow = swapped
    for n in range(MAX_FAILURES_IN_A_ROW):
        assert flow.detail()["state"] == "on"
        orla.deliver(f"letter {n}")
        until(lambda n=n: len(flow.runs("failed")) == n + 1)
    paused = until(lambda: (d := flow.detail())["state"] == "paused" and d)
    assert f"{MAX_FAILURES_IN_A_ROW} runs failed in a row" in paused["reason"] and "email address" in paused["reason"]
    orla.deliver("letter x")  # held until it is resumed
    orla.api("POST", f"/workflows/{flow.id}/on")
    assert flow.detail()["state"] == "on" and flow.detail()["reason"] is None
    orla.deliver("letter y")
    until(lambda: len(flow.runs("failed")) == MAX_FAILURES_IN_A_ROW + 2)
    assert flow.detail()["state"] == "on", "it begins to count anew"


def test_one_that_succeeds_between_keeps_it_on(swapped):
    orla, flow = swapped
    for n in range(MAX_FAILURES_IN_A_ROW + 1):
        orla.deliver("nothing" if n == 3 else f"letter {n}")
        until(lambda n=n: len([r for r in flow.runs() if r["state"] in ("failed", "passed_by")]) == n + 1)

    assert flow.detail()["state"] == "on" and len(flow.runs("passed_by")) == 1


def test_mended_in_the_workflow_it_goes_on_as_the_live_version(swapped):
    orla, flow = swapped
    orla.deliver("letter")
    [failed] = until(lambda: flow.runs("failed"))
    flow.save(flow.right)
    went = orla.api("POST", f"/runs/{failed['id']}/again", 202)
    assert went == {"run": failed["id"], "version": 2, "undone": 0, "kept": []}
    [done] = until(lambda: flow.runs("done"))
    assert done["number"] == 2 and flow.titles() == ["letter"]
    assert "can continue" in orla.api("POST", f"/runs/{failed['id']}/again", 409)["detail"]


def test_where_what_it_finished_was_changed_it_keeps_its_version(swapped):
    orla, flow = swapped
    orla.deliver("letter")
    [failed] = until(lambda: flow.runs("failed"))
    changed = json.loads(json.dumps(flow.right))
    changed["lines"][1]["conditions"][0]["words"] = ["letter", "note"]
    flow.save(changed)
    assert orla.api("POST", f"/runs/{failed['id']}/again", 202)["version"] == 1


def test_from_the_start_it_can_be_undone_first(swapped):
    orla, flow = swapped
    flow.save(flow.right)
    orla.deliver("letter")
    [done] = until(lambda: flow.runs("done"))
    orla.api("POST", f"/runs/{done['id']}/again", 409)
    made = orla.api("POST", f"/runs/{done['id']}/again", 202, json={"start": "start", "undo": True})
    assert made["undone"] == 1 and made["run"] != done["id"]
    until(lambda: len(flow.runs("done")) == 2)
    assert flow.titles() == ["letter"]
    orla.api("POST", f"/runs/{made['run']}/again", 202, json={"start": "start"})
    until(lambda: len(flow.runs("done")) == 3)
    assert flow.titles() == ["letter", "letter"]


def test_which_versions_are_the_same_so_far():
    when, only = When("w"), OnlyIf("o", "any")
    before = Workflow((when, only, Add("a", 1)))
    assert same_so_far(before, Workflow((when, only, Add("a", 2))), {"w", "o"})
    assert same_so_far(before, Workflow((when, Add("new", 3), only, Add("a", 1))), {"o"})
    assert not same_so_far(before, Workflow((when, OnlyIf("o", "all"), Add("a", 1))), {"o"})
    assert not same_so_far(before, Workflow((when, Add("a", 1))), {"o"})
    assert not same_so_far(before, Workflow((When("w", container="2"), only)), set())


def test_an_app_that_asks_for_fewer_calls_loses_nothing(on):
    """Thirty messages at one call in two seconds would use up the attempts of any run; waiting for a turn is none."""
    orla = on.person
    orla.faults("limited")
    try:
        for n in range(12):
            orla.deliver(f"m{n}")
        waited = until(lambda: [r for r in orla.runs(on.workflow) if r["state"] == "waiting" and r["problem"]])
        assert any("limiting calls" in r["problem"] for r in waited)
        until(lambda: len(on.titles()) >= 3)
    finally:
        orla.faults()
    until(lambda: len(on.titles()) == 12, 60)
    assert sorted(on.titles()) == sorted(f"m{n}" for n in range(12))
    assert max(r["attempts"] for r in orla.runs(on.workflow)) <= 2


def test_changes_of_one_record_are_carried_in_their_order(orla):
    """Each run rests for nothing but the one before it: the log of what came last is the last."""
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"})
    log = orla.database("Log", {"name": "Name", "type": "text"})
    name, told = tasks["fields"][0]["id"], log["fields"][0]["id"]
    own = {"kind": "record", "database": tasks["id"], "event": "changed", "fields": [name]}
    filling = [{"ref": {"line": "w", "value": f"f_{name}"}}]
    add = {"verb": "add", "id": "a", "database": log["id"], "fillings": [{"field": told, "filling": filling}]}
    workflow = orla.workflow("In order", {"lines": [{"verb": "when", "id": "w", "own": own, "order": "item"}, add]})
    orla.api("POST", f"/workflows/{workflow}/on")
    made = orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {str(name): "0"}})["record"]
    version = made["version"]
    for n in range(1, 13):
        body = {"values": {str(name): str(n)}}
        where = f"/databases/{tasks['id']}/records/{made['id']}"
        version = orla.api("PATCH", where, json=body, headers={"if-match": str(version)})["record"]["version"]
    records = until(lambda: len(r := orla.records(log["id"])) == 12 and r)
    by_id = sorted(records, key=lambda r: r["id"])
    assert [r["values"][str(told)] for r in by_id] == [str(n) for n in range(1, 13)]
    assert orla.space.rows("SELECT id FROM lane_place WHERE workflow_id=%s", (workflow,)) == []
