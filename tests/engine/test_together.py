"""Runs that are carried in one transaction: all is as if each had been carried by itself, whatever happens to one of them."""

from __future__ import annotations

from itertools import pairwise

import pytest

from kelvix.engine.runner import Runner
from kelvix.store import runs
from support import document


@pytest.fixture
def many(orla, by_hand):
    """A workflow that keeps customers and adds orders, and ten runs of it that this test holds."""
    connection = orla.connect("Enquiries")
    customers = orla.database("Customers", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    orders = orla.database("Orders", {"name": "Name", "type": "text"})
    name, address = (f["id"] for f in customers["fields"][:2])
    when = document(connection, orla.folders["Enquiries"], orders, {})["lines"][0]

    def ref(key):
        return [{"ref": {"line": "w", "value": key}}]

    keep = {"verb": "add_or_update", "id": "k", "database": customers["id"], "by": [name],
            "fillings": [{"field": name, "filling": ref("sender.name")}, {"field": address, "filling": ref("sender.address")}]}  # fmt: skip
    add = {"verb": "add", "id": "a", "database": orders["id"],
           "fillings": [{"field": orders["fields"][0]["id"], "filling": ref("subject")}]}  # fmt: skip
    workflow = orla.workflow("Orders", {"lines": [when, keep, add]})

    class Many:
        id = workflow
        orders_id, customers_id = orders["id"], customers["id"]
        runner = Runner(orla.kelvix.engine)

        @staticmethod
        def begin(number, bad=()):
            made = []
            for n in range(number):
                sender = "not an address" if n in bad else f"c{n % 3}@x.example"
                item = {"subject": f"order {n:02}", "sender.name": f"Customer {n % 3}", "sender.address": sender}
                made.append(by_hand.claim(by_hand.begin(workflow, item)))
            return made

        @staticmethod
        def names(database):
            first = next(d for d in (customers, orders) if d["id"] == database)["fields"][0]["id"]
            return sorted(r["values"][str(first)] for r in orla.records(database))

        @staticmethod
        def states():
            return sorted(r["state"] for r in orla.runs(workflow))

        @staticmethod
        def commits():
            return int(orla.space.row("SHOW SESSION STATUS LIKE 'Com_commit'")["Value"])

    return orla, Many


def test_all_of_them_are_written_with_one_commit(many):
    orla, flow = many
    claims = flow.begin(10)
    assert all(flow.runner.goes_together(c) for c in claims)
    before = flow.commits()
    flow.runner.carry_together(claims)
    assert flow.commits() - before == 1
    assert flow.states() == ["done"] * 10
    assert flow.names(flow.orders_id) == [f"order {n:02}" for n in range(10)]
    assert flow.names(flow.customers_id) == [f"Customer {n}" for n in range(3)], "what one run adds the next one finds"
    rows = orla.space.rows(
        "SELECT seq, run_id FROM `change` WHERE workspace_id=%s AND run_id IS NOT NULL ORDER BY seq", (orla.space.id,)
    )
    numbers = [r["seq"] for r in rows]
    assert len(numbers) == 13 and numbers == list(range(numbers[0], numbers[0] + 13)), "no number is left out"
    lines = orla.api("GET", f"/runs/{claims[0].run_id}")["run"]["lines"]
    assert {ln["line"]: ln["outcome"] for ln in lines} == {"w": "in", "k": "added", "a": "added"}
    assert orla.api("POST", f"/runs/{claims[9].run_id}/undo")["undone"] == 1


def test_one_that_is_not_right_fails_and_the_others_are_done(many):
    _orla, flow = many
    flow.runner.carry_together(flow.begin(6, bad=(2,)))
    assert flow.states() == ["done"] * 5 + ["failed"] and len(flow.names(flow.orders_id)) == 5


def test_one_that_was_taken_over_writes_nothing_and_the_others_are_done(many):
    orla, flow = many
    claims = flow.begin(5)
    orla.space.transact(lambda t: t.execute("UPDATE run SET token=token+1 WHERE id=%s", (claims[3].run_id,)))
    flow.runner.carry_together(claims)
    assert flow.names(flow.orders_id) == ["order 00", "order 01", "order 02", "order 04"]
    assert flow.states() == ["done"] * 4 + ["running"]


def test_what_cannot_be_carried_together_is_carried_one_by_one(many, monkeypatch):
    """An error of our own in the third: the first two are not lost with it, and not written twice."""
    orla, flow = many
    claims = flow.begin(4)
    seen = []

    def fail_once(claim):
        seen.append(claim.run_id)
        if seen.count(claims[2].run_id) == 1 and claim.run_id == claims[2].run_id:
            raise RuntimeError("once")

    Runner(orla.kelvix.engine, before_effect=fail_once).carry_together(claims)
    assert flow.states() == ["done"] * 4 and len(flow.names(flow.orders_id)) == 4 and len(flow.names(flow.customers_id)) == 3


def test_only_what_is_fresh_and_stays_here_goes_together(many):
    orla, flow = many
    [claim] = flow.begin(1)
    from dataclasses import replace

    for change in ({"token": 2}, {"kind": "try"}, {"item": None}, {"lane": b"x" * 32}, {"catch_up_id": 1}):
        assert not flow.runner.goes_together(replace(claim, **change)), change
    kept = orla.api("GET", f"/workflows/{flow.id}")
    lines = [*kept["document"]["lines"], {"verb": "wait", "id": "z"}]
    body = {"name": "Orders", "document": {"lines": lines}}
    orla.api("PUT", f"/workflows/{flow.id}", json=body, headers={"if-match": str(kept["draft_version"])})
    [resting] = flow.begin(1)
    assert not flow.runner.goes_together(resting)
    assert isinstance(claim, runs.Claim)


def test_what_the_last_line_of_one_run_adds_is_found_by_the_next(orla, by_hand):
    """Its record is written only with the next statement, and so before that looks for anything; labels and all."""
    connection = orla.connect("Enquiries")
    names = orla.database("Names", {"name": "Name", "type": "text"}, {"name": "Kinds", "type": "labels", "grows": True})
    name, kinds = (f["id"] for f in names["fields"][:2])
    when = document(connection, orla.folders["Enquiries"], names, {})["lines"][0]

    def filled(key):
        return {"field": name, "filling": [{"ref": {"line": "w", "value": key}}]}

    keep = {"verb": "add_or_update", "id": "k", "database": names["id"], "by": [name], "fillings": [filled("subject")]}
    label = {"field": kinds, "filling": [{"text": "of a run"}]}
    for number, last in enumerate(([filled("sender.name")], [filled("sender.name"), label])):
        add = {"verb": "add", "id": "a", "database": names["id"], "fillings": last}
        workflow = orla.workflow(f"Names {number}", {"lines": [when, keep, add]})
        chain = [f"{number}{letter}" for letter in "abcd"]
        items = [{"subject": a, "sender.name": b, "sender.address": "c@x.example"} for a, b in pairwise(chain)]
        Runner(orla.kelvix.engine).carry_together([by_hand.claim(by_hand.begin(workflow, item)) for item in items])
        runs_ = orla.runs(workflow)
        outcomes = [{ln["line"]: ln["outcome"] for ln in run["lines"]}["k"] for run in reversed(runs_)]
        assert outcomes == ["added", "unchanged", "unchanged"], number
        made = [r for r in orla.records(names["id"]) if r["values"][str(name)].startswith(str(number))]
        assert sorted(r["values"][str(name)] for r in made) == chain
        assert sum(bool(r["values"].get(str(kinds))) for r in made) == 3 * number
        lines = orla.api("GET", f"/runs/{runs_[0]['id']}")["run"]["lines"]
        output = next(ln["output"] for ln in lines if ln["line"] == "a")
        assert output["record"] == max(r["id"] for r in made) and output["link"].endswith(f"/{output['record']}")
