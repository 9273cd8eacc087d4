"""Rounds that add to an app which takes several at once: fewer calls, and each item once, whatever comes between."""

from __future__ import annotations

from typing import Any

import pytest

from kelvix.connectors.http import Caller
from kelvix.connectors.tables import Table
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.query import Query
from sides import Tables
from support import Person

ROWS = 60


class Into:
    """A workflow that adds a row of a table for each part of a database, but for those without a shelf."""

    def __init__(
        self, orla: Person, monkeypatch: pytest.MonkeyPatch, within: tuple[dict[str, Any], ...] = (), nowhere: str = "12"
    ):
        self.orla, self.to = orla, Tables(orla, "Parts")
        kept = orla.database("Parts", {"name": "Name", "type": "text"}, {"name": "Shelf", "type": "text"})
        self.name, self.shelf = _, shelf = [f["id"] for f in kept["fields"][:2]]
        for n in range(ROWS):
            values = {self.name: f"Part {n:02}"} | ({} if n % 10 == 3 else {shelf: nowhere if n == 7 else "12"})
            orla.api("POST", f"/databases/{kept['id']}/records", json={"values": values})
        find = {"verb": "find", "id": "f", "database": kept["id"], "several": "all",
                "sought": [{"field": self.name, "operator": "filled"}], "order": self.name}  # fmt: skip
        row = {"line": "r", "value": f"each.f_{self.name}"}
        only = {"verb": "only_if", "id": "o", "within": "r",
                "conditions": [{"ref": {"line": "r", "value": f"each.f_{shelf}"}, "operator": "filled"}]}  # fmt: skip
        add = {"verb": "add", "id": "a", "within": "r", "database": self.to.id,
               "fillings": [{"field": self.to.title, "filling": [{"ref": row}]}]}  # fmt: skip
        when = {"verb": "when", "id": "w", "own": {"kind": "schedule", "rule": "FREQ=DAILY", "start": "2026-11-02T08:00"}}
        repeat = {"verb": "repeat", "id": "r", "of": {"line": "f", "value": "records"}}
        self.flow = orla.workflow("Parts into the table", {"lines": [when, find, repeat, only, add, *within]})
        self.posts: list[int] = []
        real = Caller.call

        def call(caller, method, where, token, **more):
            if method == "POST" and where.endswith("/rows"):
                self.posts.append(len(more["json"]["rows"]))
            return real(caller, method, where, token, **more)

        monkeypatch.setattr(Caller, "call", call)

    def titles(self) -> list[str]:
        found = self.to.source.query(Query(limit=100)).items
        return sorted(item.title for item in found)


EXPECTED = [f"Part {n:02}" for n in range(ROWS) if n % 10 != 3]


def test_rounds_go_out_together_and_each_is_recorded_as_its_own(orla, by_hand, monkeypatch):
    into = Into(orla, monkeypatch)
    run = by_hand.carry(id := by_hand.begin(into.flow, {}))
    assert (run["state"], into.titles()) == ("done", EXPECTED), run["problem"]
    assert into.posts == [25, 25, 4]
    lines = orla.api("GET", f"/runs/{id}")["run"]["lines"]
    added = {int(line["place"]): line["output"] for line in lines if (line["line"], line["outcome"]) == ("a", "added")}
    assert [added[place]["title"] for place in sorted(added)] == EXPECTED
    assert len({one["record"] for one in added.values()}) == len(EXPECTED)


@pytest.mark.parametrize("at", [1, 2, 3])
def test_what_is_cut_anywhere_goes_on_with_each_once(orla, by_hand, monkeypatch, at):
    into = Into(orla, monkeypatch)
    run = by_hand.begin(into.flow, {})
    by_hand.cut(run, at)
    assert by_hand.carry(run)["state"] == "done"
    assert into.titles() == EXPECTED


@pytest.mark.parametrize("arrives", [True, False])
def test_a_batch_that_was_not_answered_is_sent_again_as_it_was(orla, by_hand, monkeypatch, arrives):
    into = Into(orla, monkeypatch)
    run, real, sent = by_hand.begin(into.flow, {}), Table.write_many, []

    def lost(table, writes, key):
        sent.append((key, [w.values for w in writes]))
        if len(sent) == 1:
            if arrives:
                real(table, writes, key)
            raise UnknownOutcomeError("it did not answer", 60)
        return real(table, writes, key)

    monkeypatch.setattr(Table, "write_many", lost)
    assert by_hand.carry(run)["state"] == "waiting"
    assert by_hand.carry(run)["state"] == "done"
    assert sent[0] == sent[1], "the same items, under the same key"
    assert into.titles() == EXPECTED


def test_a_batch_that_was_certainly_not_taken_is_made_anew(orla, by_hand, monkeypatch):
    into = Into(orla, monkeypatch)
    run, real, keys = by_hand.begin(into.flow, {}), Table.write_many, []

    def busy(table, writes, key):
        keys.append(key)
        if len(keys) == 1:
            raise TransientError("it is busy", 60)
        return real(table, writes, key)

    monkeypatch.setattr(Table, "write_many", busy)
    assert by_hand.carry(run)["state"] == "waiting"
    assert by_hand.carry(run)["state"] == "done"
    assert into.titles() == EXPECTED and len(set(keys)) == len(keys)


def test_where_one_of_a_batch_is_refused_the_others_go_out_alone(orla, by_hand, monkeypatch):
    into = Into(orla, monkeypatch)

    def refused(table, writes, key):
        raise PermanentError("Tables refused the call (422)", "call")

    monkeypatch.setattr(Table, "write_many", refused)
    assert by_hand.carry(by_hand.begin(into.flow, {}))["state"] == "done"
    assert into.titles() == EXPECTED and into.posts == [1] * len(EXPECTED)


def test_nothing_is_added_of_rounds_to_which_the_run_may_not_come(orla, by_hand, monkeypatch):
    """A round with a problem stops the run: what would come after it is not there before that is put right."""
    into = Into(orla, monkeypatch, nowhere="nowhere")
    document = orla.api("GET", f"/workflows/{into.flow}")["document"]
    number = orla.api("POST", f"/places/{into.to.id}/fields", 201, json={"name": "Left", "type": "number"})["fields"]
    field = next(f["id"] for f in number if f["name"] == "Left")
    row = {"line": "r", "value": f"each.f_{into.shelf}"}
    document["lines"][-1]["fillings"].append({"field": field, "filling": [{"ref": row}]})
    version = orla.api("GET", f"/workflows/{into.flow}")["draft_version"]
    where = f"/workflows/{into.flow}"
    orla.api("PUT", where, json={"name": "Parts", "document": document}, headers={"if-match": str(version)})
    run = by_hand.carry(by_hand.begin(into.flow, {}))
    assert run["state"] == "failed" and "“nowhere” is not a number" in run["problem"], run["problem"]
    assert into.titles() == [f"Part {n:02}" for n in range(7) if n != 3]


def test_what_went_out_ahead_is_undone_though_the_run_did_not_come_to_it(orla, by_hand, monkeypatch):
    into = Into(orla, monkeypatch)
    run = by_hand.begin(into.flow, {})
    by_hand.cut(run, 2)
    assert len(into.titles()) == 25
    orla.space.transact(lambda t: t.execute("UPDATE run SET state='failed', finished_at=NOW(3) WHERE id=%s", (run,)))
    assert orla.api("POST", f"/runs/{run}/undo")["undone"] == 25
    assert into.titles() == []


def test_rounds_that_do_more_than_add_go_out_one_by_one(orla, by_hand, monkeypatch):
    """What another line does in a round may be what the next round adds: nobody knows before."""
    other = orla.database("Log", {"name": "Name", "type": "text"})
    name = other["fields"][0]["id"]
    log = {"verb": "add", "id": "l", "within": "r", "database": other["id"],
           "fillings": [{"field": name, "filling": [{"text": "added"}]}]}  # fmt: skip
    into = Into(orla, monkeypatch, (log,))
    run = by_hand.begin(into.flow, {})
    state = by_hand.carry(run)["state"]
    assert (state, into.titles()) == ("done", EXPECTED) and into.posts == [1] * len(EXPECTED)
