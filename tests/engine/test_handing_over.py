"""A workflow that runs another: once, with what that declares, and never round in a circle."""

from __future__ import annotations

import pytest

from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.filling import Carried
from kelvix.core.lines import run_another
from kelvix.core.lines.run_another import RunAnother
from kelvix.core.sources import CanRun
from kelvix.core.workflow import Given, Input, Part, Reference, When, Workflow
from support import document, until


@pytest.fixture
def pair(orla):
    """A workflow that takes requests and notes them, and the beginning of one that a message starts."""
    connection = orla.connect("Enquiries")
    notes = orla.database("Notes", {"name": "Name", "type": "text"}, {"name": "Hours", "type": "number"})
    name, hours = (f["id"] for f in notes["fields"][:2])
    when = document(connection, orla.folders["Enquiries"], notes, {})["lines"][0]

    class Pair:
        first = when

        @staticmethod
        def noting(*more, on=True):
            inputs = [{"key": "what", "type": "text", "required": True}, {"key": "hours", "type": "number"}]
            add = {"verb": "add", "id": "a", "database": notes["id"],
                   "fillings": [{"field": f, "filling": [{"ref": {"line": "w", "value": k}}]} for f, k in ((name, "what"), (hours, "hours"))]}  # fmt: skip
            other = orla.workflow(
                "Notes it", {"lines": [{"verb": "when", "id": "w", "own": {"kind": "address", "inputs": inputs}}, add, *more]}
            )
            if on:
                orla.api("POST", f"/workflows/{other}/on")
            return other

        @staticmethod
        def run(other, hours_text="3"):
            given = [
                {"key": "what", "filling": [{"ref": {"line": "w", "value": "subject"}}]},
                {"key": "hours", "filling": [{"text": hours_text}]},
            ]
            return {"verb": "run_another", "id": "r", "workflow": other, "given": given}

        @staticmethod
        def rows():
            return [(r["values"][str(name)], r["values"][str(hours)]) for r in orla.records(notes["id"])]

    return orla, Pair


ITEM = {"subject": "Reeds"}


@pytest.mark.parametrize("at", [None, 1, 2])
def test_another_is_run_once_with_what_it_is_given(pair, by_hand, at):
    orla, of = pair
    other = of.noting()
    last = {"verb": "run_another", "id": "z"} | {k: v for k, v in of.run(other).items() if k in ("workflow", "given")}
    run = by_hand.begin(orla.workflow("Runs it", {"lines": [of.first, of.run(other), last]}), ITEM)
    if at:
        by_hand.cut(run, at)
    done = by_hand.carry(run)
    assert done["state"] == "done" and [ln["outcome"] for ln in done["lines"] if ln["line"] in "rz"] == ["ran", "ran"]
    assert until(lambda: len(of.rows()) == 2 and of.rows()) == [("Reeds", "3"), ("Reeds", "3")]
    assert len(orla.runs(other)) == 2


def test_one_that_is_off_or_is_given_what_it_does_not_take_fails_with_a_sentence(pair, by_hand):
    orla, of = pair
    other = of.noting(on=False)
    workflow = orla.workflow("Runs it", {"lines": [of.first, of.run(other)]})
    failed = by_hand.carry(by_hand.begin(workflow, ITEM))
    assert failed["state"] == "failed" and "is off. Turn it on" in failed["problem"]
    wrong = orla.workflow("Runs it wrong", {"lines": [of.first, of.run(other, "many")]})
    assert "“many” is not a number" in by_hand.carry(by_hand.begin(wrong, ITEM))["problem"]
    assert of.rows() == []


def test_two_that_would_run_each_other_stop(pair):
    orla, of = pair
    other = of.noting(on=False)
    kept = orla.api("GET", f"/workflows/{other}")
    given = [{"key": "what", "filling": [{"text": "again"}]}]
    itself = [*kept["document"]["lines"], {"verb": "run_another", "id": "r", "workflow": other, "given": given}]
    orla.api(
        "PUT",
        f"/workflows/{other}",
        json={"name": "Round", "document": {"lines": itself}},
        headers={"if-match": str(kept["draft_version"])},
    )
    address = orla.api("POST", f"/workflows/{other}/address")["address"]
    orla.api("POST", f"/workflows/{other}/on")
    assert orla.web.post(address, json={"what": "begin"}).status_code == 202
    [failed] = until(lambda: orla.runs(other, "failed"))
    assert "would loop forever" in failed["problem"] and len(of.rows()) == 1 and len(orla.runs(other)) == 1


def test_what_is_unfinished_is_said():
    to = CanRun("Notes it", (Input("what", "text", True),))
    context = Context((), {}, Env.__new__(Env), others={4: to})
    nothing = Carried({}, {})
    assert "choose a workflow" in run_another.check(RunAnother("r"), {4: to}, nothing)[0].sentence
    assert "was deleted" in run_another.check(RunAnother("r", 5), {4: to}, nothing)[0].sentence
    assert "is required" in run_another.check(RunAnother("r", 4), {4: to}, nothing)[0].sentence
    gone = RunAnother("r", 4, (Given("what", (Part(ref=Reference("x", "y")),)),))
    assert "not available here" in check(Workflow((When("w", connection=1, container="5"), gone)), context)[0].sentence


def test_one_that_another_runs_says_so_before_it_is_deleted(pair):
    orla, of = pair
    other = of.noting()
    outer = orla.workflow("Runs it", {"lines": [of.first, of.run(other)]})
    orla.api("POST", f"/workflows/{other}/off")
    orla.api("DELETE", f"/workflows/{other}")
    orla.api("POST", "/trash/restore", json={"entries": [orla.api("GET", "/trash")["entries"][0]["id"]]})
    orla.api("POST", f"/workflows/{other}/on")
    orla.api("POST", f"/workflows/{outer}/on")
    orla.api("POST", f"/workflows/{other}/off")
    assert orla.api("DELETE", f"/workflows/{other}", expect=409)["title"] == "Notes it is used by Runs it."
    assert [u["name"] for u in orla.api("GET", f"/workflows/{other}/uses")] == ["Runs it"]
    orla.api("DELETE", f"/workflows/{other}?anyway=true")
