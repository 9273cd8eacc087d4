"""A run with several effects goes on after its last finished line: each effect once, wherever it was cut."""

from __future__ import annotations

import json

import pytest

from kelvix.connectors.contract import Passing
from kelvix.engine.runner import FIRST_PAUSE, LONGEST_PAUSE, MOST_ATTEMPTS, Runner, backoff
from kelvix.store import runs, workflows
from support import document, until


class Cut(BaseException):
    """The process ends here."""


@pytest.fixture
def three(orla):
    """A workflow of three Add lines, each using the one above; and a way to begin a run of it that nobody else takes up."""
    connection = orla.connect("Enquiries")
    database = orla.database("Steps", {"name": "Name", "type": "text"})
    body = document(connection, orla.folders["Enquiries"], database, {"Name": "subject"})
    name = database["fields"][0]["id"]
    for before, line in (("a", "b"), ("b", "c")):
        body["lines"].append({"verb": "add", "id": line, "database": database["id"], "fillings": [
            {"field": name, "filling": [{"text": f"{line}: "}, {"ref": {"line": before, "value": "title"}}]}]})  # fmt: skip
    workflow = orla.workflow("Steps", body)
    space = orla.space

    def begin(item=None):
        def work(t):
            kept = workflows.get(t, space.id, workflow)
            version = workflows.version_of_draft(t, space.id, kept)
            run = t.insert(
                "INSERT INTO run (workspace_id, workflow_id, version_id, kind, state, item_id, item) VALUES (%s,%s,%s,'event','waiting',%s,%s)",
                (space.id, workflow, version, "7", item),
            )
            return run

        return space.transact(work)

    def claim(run, lease=30):
        def work(t):
            t.execute(
                "UPDATE run SET state='running', attempts=attempts+1, token=token+1, lease_until=NOW(3) + INTERVAL %s SECOND WHERE id=%s",
                (lease, run),
            )
            [row] = t.rows(f"SELECT {runs.CLAIMED} FROM run WHERE id=%s", (run,))
            return runs.Claim(**(row | {"item": json.loads(row["item"]) if row["item"] else None}))

        return space.transact(work)

    def titles():
        return sorted(r["values"][str(name)] for r in orla.records(database["id"]))

    return orla, begin, claim, titles


ITEM = '{"id": "7", "title": "x", "link": null, "app": "mail", "container": "Enquiries", "values": {"subject": "x"}}'
WHOLE = ["b: x", "c: b: x", "x"]


@pytest.mark.parametrize("cut_before", [1, 2, 3])
def test_cut_before_each_effect_and_taken_up_by_another(three, cut_before):
    orla, begin, claim, titles = three
    run = begin(ITEM)
    count = 0

    def cut(_):
        nonlocal count
        count += 1
        if count == cut_before:
            raise Cut

    with pytest.raises(Cut):
        Runner(orla.kelvix.engine, before_effect=cut).carry(claim(run))
    assert titles() == sorted(["x", "b: x"][: cut_before - 1])
    Runner(orla.kelvix.engine).carry(claim(run))
    assert titles() == WHOLE
    state = orla.api("GET", f"/runs/{run}")["run"]
    assert state["state"] == "done" and {ln["outcome"] for ln in state["lines"]} == {"in", "added"}


def test_a_second_worker_with_an_older_claim_writes_nothing(three):
    orla, begin, claim, titles = three
    run = begin(ITEM)
    older, newer = claim(run), claim(run)
    Runner(orla.kelvix.engine).carry(older)
    assert titles() == []
    Runner(orla.kelvix.engine).carry(newer)
    Runner(orla.kelvix.engine).carry(newer)
    assert titles() == WHOLE


def test_run_again_after_a_failure_does_not_repeat_what_was_done(three):
    orla, begin, claim, titles = three
    run = begin(ITEM)
    steps = iter([None, Passing("the line was cut")])

    def fail(_):
        problem = next(steps, None)
        if problem:
            raise problem

    held = claim(run)
    Runner(orla.kelvix.engine, before_effect=fail).carry(held)
    assert titles() == ["x"]
    waiting = orla.api("GET", f"/runs/{run}")["run"]
    assert waiting["problem"] == "the line was cut"
    until(lambda: titles() == WHOLE, 20)  # the worker takes it up after its pause


def test_what_ends_its_worker_each_time_is_set_aside(three):
    orla, begin, claim, titles = three
    run = begin(ITEM)
    for _ in range(MOST_ATTEMPTS + 1):
        held = claim(run)
    Runner(orla.kelvix.engine).carry(held)
    state = orla.api("GET", f"/runs/{run}")["run"]
    assert state["state"] == "failed" and "set aside" in state["problem"] and titles() == []


def test_an_error_of_our_own_is_tried_again_and_then_said(three, caplog):
    orla, begin, claim, _ = three
    run = begin('{"title": "x"}')  # not an item at all
    Runner(orla.kelvix.engine).carry(claim(run))
    assert "went wrong inside Kelvix (KeyError)" in orla.api("GET", f"/runs/{run}")["run"]["problem"]


def test_pauses_grow_and_are_spread():
    for attempt in range(1, 20):
        pauses = [backoff(attempt) for _ in range(50)]
        middle = min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** (attempt - 1))
        assert all(0.5 * middle <= p <= 1.5 * middle for p in pauses) and len(set(pauses)) > 10
