"""A run with several effects goes on after its last finished line: each effect once, wherever it was cut."""

from __future__ import annotations

import pytest

from kelvix.core.collection import TransientError
from kelvix.engine.runner import FIRST_PAUSE, MAX_ENDINGS, MAX_PAUSE, Runner, backoff
from support import document, until


@pytest.fixture
def three(orla, by_hand):
    """A run of three Add lines, each using the one above, that nobody else takes up; and what it has added."""
    connection = orla.connect("Enquiries")
    database = orla.database("Steps", {"name": "Name", "type": "text"})
    body = document(connection, orla.folders["Enquiries"], database, {"Name": "subject"})
    name = database["fields"][0]["id"]
    for before, line in (("a", "b"), ("b", "c")):
        body["lines"].append({"verb": "add", "id": line, "database": database["id"], "fillings": [
            {"field": name, "filling": [{"text": f"{line}: "}, {"ref": {"line": before, "value": "title"}}]}]})  # fmt: skip
    workflow = orla.workflow("Steps", body)

    def titles():
        return sorted(r["values"][str(name)] for r in orla.records(database["id"]))

    return orla, by_hand, by_hand.begin(workflow, {"subject": "x"}), titles


WHOLE = ["b: x", "c: b: x", "x"]


@pytest.mark.parametrize("cut_before", [1, 2, 3])
def test_cut_before_each_effect_and_taken_up_by_another(three, cut_before):
    _, by_hand, run, titles = three
    by_hand.cut(run, cut_before)
    assert titles() == sorted(["x", "b: x"][: cut_before - 1])
    state = by_hand.carry(run)
    assert titles() == WHOLE
    assert state["state"] == "done" and {ln["outcome"] for ln in state["lines"]} == {"in", "added"}


def test_a_second_worker_with_an_older_claim_writes_nothing(three):
    orla, by_hand, run, titles = three
    older, newer = by_hand.claim(run), by_hand.claim(run)
    Runner(orla.kelvix.engine).carry(older)
    assert titles() == []
    Runner(orla.kelvix.engine).carry(newer)
    Runner(orla.kelvix.engine).carry(newer)
    assert titles() == WHOLE


def test_run_again_after_a_failure_does_not_repeat_what_was_done(three):
    _, by_hand, run, titles = three

    def fail(number):
        if number == 2:
            raise TransientError("the line was cut")

    waiting = by_hand.carry(run, fail)
    assert titles() == ["x"] and waiting["problem"] == "the line was cut"
    until(lambda: titles() == WHOLE)  # the worker takes it up after its pause


def test_what_ends_its_worker_each_time_is_set_aside(three):
    orla, by_hand, run, titles = three
    orla.space.transact(lambda t: t.execute("UPDATE run SET endings=%s WHERE id=%s", (MAX_ENDINGS, run)))
    state = by_hand.carry(run)
    assert state["state"] == "failed" and "crashed repeatedly" in state["problem"] and titles() == []


def test_an_error_of_our_own_is_tried_again_and_then_said(three, caplog):
    orla, by_hand, run, _ = three
    orla.space.transact(
        lambda t: t.execute("UPDATE run SET item=%s WHERE id=%s", ('{"title": "x"}', run))
    )  # not an item at all
    assert "Kelvix had an internal error (KeyError)" in by_hand.carry(run)["problem"]


def test_pauses_grow_and_are_spread():
    for attempt in range(1, 20):
        pauses = [backoff(attempt) for _ in range(50)]
        middle = min(MAX_PAUSE, FIRST_PAUSE * 2 ** (attempt - 1))
        assert all(0.5 * middle <= p <= 1.5 * middle for p in pauses) and len(set(pauses)) > 10
