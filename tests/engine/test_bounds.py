"""Limits, each with a sentence that says what to do."""

from __future__ import annotations

import pytest

from kelvix.core.documents import MAX_LINES
from kelvix.engine import carrying, runner
from support import document, until


@pytest.fixture
def flow(orla):
    connection = orla.connect("Enquiries")
    database = orla.database("Letters", {"name": "Name", "type": "text"})
    made = document(connection, orla.folders["Enquiries"], database, {"Name": "subject"})
    return orla, orla.workflow("Letters", made), made, database


def test_a_run_is_carried_for_so_long_and_goes_on_when_run_again(flow, by_hand, monkeypatch):
    orla, workflow, _, database = flow
    run = by_hand.begin(workflow, {"subject": "long"})
    monkeypatch.setattr(carrying, "MAX_SECONDS", -1.0)
    stopped = by_hand.carry(run)
    assert stopped["state"] == "failed" and "reached its limit of" in stopped["problem"] and "to continue" in stopped["problem"]
    monkeypatch.undo()
    orla.api("POST", f"/runs/{run}/again", 202)
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    assert len(orla.records(database["id"])) == 1


def test_a_run_carries_out_so_many_lines(flow, by_hand, monkeypatch):
    _, workflow, _, _ = flow
    monkeypatch.setattr(carrying, "MAX_STEPS", 1)
    stopped = by_hand.carry(by_hand.begin(workflow, {"subject": "many"}))
    assert stopped["state"] == "failed" and "reached its limit of" in stopped["problem"]


def test_an_item_that_is_too_large_is_said_to_be(flow, by_hand, monkeypatch):
    orla, workflow, _, _ = flow
    orla.deliver("large", text="reeds and leather\n" * 400)
    item = str(orla.kelvix.practice.items(orla.folders["Enquiries"], 1)[0]["id"])
    run = by_hand.begin(workflow, {})
    orla.space.transact(lambda t: t.execute("UPDATE run SET item=NULL, item_id=%s WHERE id=%s", (item, run)))
    monkeypatch.setattr(runner, "MAX_ITEM", 1 << 12)
    stopped = by_hand.carry(run)
    assert stopped["state"] == "failed" and "more than the 0 MB that a run carries" in stopped["problem"]


def test_a_workflow_has_so_many_lines(flow):
    orla, workflow, made, _ = flow
    kept = orla.api("GET", f"/workflows/{workflow}")
    lines = [*made["lines"], *({"verb": "stop", "id": f"s{n}", "how": "done", "saying": []} for n in range(MAX_LINES))]
    said = orla.api("PUT", f"/workflows/{workflow}", 422, json={"name": "x", "document": {"lines": lines}},
                    headers={"if-match": str(kept["draft_version"])})  # fmt: skip
    assert f"at most {MAX_LINES} lines" in said["title"] + said["detail"]
