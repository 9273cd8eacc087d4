"""Updating, deleting, and keeping one record for each thing: for real, once, and taken back."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import pytest

from support import document, until


@pytest.fixture
def parishes(orla):
    """A database of parishes with one in it; lines that find it by its sender's address; a way to look at its records."""
    connection = orla.connect("Enquiries")
    stages = {"name": "Stage", "type": "choice", "choices": ["New", "Closed"]}
    kept = orla.database("Parishes", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"}, stages)
    name, address, stage = (f["id"] for f in kept["fields"][:3])
    when = document(connection, orla.folders["Enquiries"], kept, {})["lines"][0]

    def fill(field, *, text=None, value=None):
        return {"field": field, "filling": [{"text": text} if value is None else {"ref": {"line": "w", "value": value}}]}

    sought = [fill(address, value="sender.address") | {"operator": "is"}]
    find = {"verb": "find", "id": "f", "database": kept["id"], "sought": sought}
    values = {str(name): "St Bride", str(address): "ada@stbride.example", str(stage): "New"}
    record = orla.api("POST", f"/databases/{kept['id']}/records", json={"values": values})["record"]

    def rows():
        found = sorted(orla.records(kept["id"]), key=lambda r: r["id"])
        return [(r["values"][str(name)], r["values"][str(stage)]) for r in found]

    class Known:
        lines = staticmethod(lambda *lines: {"lines": [when, *lines]})
        database, names, of, first, found = kept["id"], (name, address, stage), staticmethod(fill), record, find

    return orla, Known, rows


ITEM = {"subject": "Quote", "sender.name": "Ada Pell", "sender.address": "ada@stbride.example"}


def of_line(run, line: str):
    return next(ln for ln in run["lines"] if ln["line"] == line)


def outcomes(run) -> list[str]:
    """By line, in the order in which they stand in all of these workflows."""
    return [ln["outcome"] for ln in sorted(run["lines"], key=lambda ln: "wfaduvk".index(ln["line"]))]


def test_a_record_is_updated_logged_and_given_back(parishes, by_hand):
    orla, known, rows = parishes
    name, _, stage = known.names
    update = {
        "verb": "update",
        "id": "u",
        "of": "f",
        "fillings": [known.of(stage, text="Closed"), known.of(name, text="St Bride")],
    }
    run = by_hand.begin(orla.workflow("Close", known.lines(known.found, update)), ITEM)
    done = by_hand.carry(run)
    assert outcomes(done) == ["in", "found", "updated"] and rows() == [("St Bride", "2")]
    detail = orla.api("GET", f"/databases/{known.database}/records/{known.first['id']}")
    assert detail["history"][0]["after"] == {str(stage): "2"}, "only what differs is written"
    assert orla.api("POST", f"/runs/{run}/undo") == {"undone": 1, "trashed": 0, "kept": []}
    assert rows() == [("St Bride", "1")]


def test_where_nothing_differs_nothing_is_written(parishes, by_hand):
    orla, known, _ = parishes
    update = {"verb": "update", "id": "u", "of": "f", "fillings": [known.of(known.names[2], text="new")]}
    done = by_hand.carry(by_hand.begin(orla.workflow("Same", known.lines(known.found, update)), ITEM))
    assert outcomes(done)[-1] == "unchanged"
    assert len(orla.api("GET", f"/databases/{known.database}/records/{known.first['id']}")["history"]) == 1


def test_a_record_that_went_meanwhile_fails_the_run_with_a_sentence(parishes, by_hand):
    orla, known, rows = parishes
    update = {"verb": "update", "id": "u", "of": "f", "fillings": [known.of(known.names[2], text="Closed")]}
    run = by_hand.begin(orla.workflow("Close", known.lines(known.found, update)), ITEM)
    done = by_hand.carry(run, lambda _: orla.api("DELETE", f"/databases/{known.database}/records/{known.first['id']}"))
    assert done["state"] == "failed" and "that this line updates was deleted" in done["problem"] and rows() == []


def test_a_record_goes_to_the_trash_and_comes_back(parishes, by_hand):
    orla, known, rows = parishes
    delete = {"verb": "delete", "id": "d", "of": "f"}
    update = {"verb": "update", "id": "u", "of": "f", "fillings": [known.of(known.names[2], text="Closed")]}
    run = by_hand.begin(orla.workflow("Away", known.lines(known.found, delete, update)), ITEM)
    assert outcomes(by_hand.carry(run)) == ["in", "found", "deleted", "found_none"] and rows() == []
    listed = orla.api("GET", "/trash")["entries"]
    assert [(e["kind"], e["name"], e["deleted_by"]) for e in listed] == [("record", "St Bride", "Away")], "by which workflow"
    assert orla.api("POST", f"/runs/{run}/undo")["undone"] == 1 and rows() == [("St Bride", "1")]
    assert orla.api("GET", "/trash")["entries"] == []


def test_what_a_run_added_and_changed_is_taken_back_as_one(parishes, by_hand):
    orla, known, rows = parishes
    name, _, stage = known.names
    add = {"verb": "add", "id": "a", "database": known.database, "fillings": [known.of(name, value="subject")]}
    update = {"verb": "update", "id": "u", "of": "a", "fillings": [known.of(stage, text="Closed")]}
    workflow = orla.workflow("Both", known.lines(add, update))
    run = by_hand.begin(workflow, ITEM)
    assert outcomes(by_hand.carry(run)) == ["in", "added", "updated"] and rows()[1:] == [("Quote", "2")]
    assert orla.api("POST", f"/runs/{run}/undo") == {"undone": 2, "trashed": 1, "kept": []}
    assert rows() == [("St Bride", "1")]
    edited = by_hand.begin(workflow, ITEM)
    made = of_line(by_hand.carry(edited), "a")["output"]["record"]
    where = f"/databases/{known.database}/records/{made}"
    orla.api("PATCH", where, json={"values": {str(name): "Quote, by hand"}}, headers={"if-match": "2"})
    kept = orla.api("POST", f"/runs/{edited}/undo")
    assert kept["trashed"] == 0 and "changed since" in kept["kept"][0], "what a person edited since stays"


@pytest.mark.parametrize("cut_before", [1, 2])
def test_cut_between_effects_each_is_done_once(parishes, by_hand, cut_before):
    orla, known, rows = parishes
    name, _, stage = known.names
    longer = known.of(name, text="x") | {"filling": [{"ref": {"line": "f", "value": f"f_{name}"}}, {"text": ", tower"}]}
    lines = [
        {"verb": "update", "id": i, "of": "f", "fillings": [f]}
        for i, f in (("u", longer), ("v", known.of(stage, text="Closed")))
    ]
    run = by_hand.begin(orla.workflow("Twice", known.lines(known.found, *lines)), ITEM)
    by_hand.cut(run, cut_before)
    assert outcomes(by_hand.carry(run)) == ["in", "found", "updated", "updated"]
    assert rows() == [("St Bride, tower", "2")]


def test_one_record_is_kept_for_each_thing_also_when_many_come_at_once(parishes):
    orla, known, rows = parishes
    name, address, stage = known.names
    fillings = [known.of(name, value="sender.name"), known.of(address, value="sender.address"), known.of(stage, text="Closed")]
    keep = {"verb": "add_or_update", "id": "k", "database": known.database, "by": [address], "fillings": fillings}
    workflow = orla.workflow("Keep", known.lines(keep))
    orla.api("POST", f"/workflows/{workflow}/on")
    for n in range(12):
        orla.deliver(f"Letter {n}", sender=f"Tobias Wren <t.wren-{n % 3}@sthewen.example>")
    orla.deliver("Quote", sender="Ada Pell <ADA@stbride.example>")
    until(lambda: len(orla.runs(workflow, "done")) == 13)
    assert sorted(rows()) == [("Ada Pell", "2"), *[("Tobias Wren", "2")] * 3]
    found = [orla.api("GET", f"/runs/{r['id']}")["run"] for r in orla.runs(workflow)]
    found = [of_line(r, "k") for r in found]
    assert sorted(ln["outcome"] for ln in found) == ["added"] * 3 + ["unchanged"] * 9 + ["updated"]
    assert {ln["output"]["is_new"] for ln in found if ln["outcome"] == "added"} == {True}


def test_two_workers_that_bring_the_same_thing_at_once_add_it_once(parishes, by_hand):
    """Both have looked before either writes."""
    orla, known, rows = parishes
    name, address, _ = known.names
    fillings = [known.of(name, value="sender.name"), known.of(address, value="sender.address")]
    keep = {"verb": "add_or_update", "id": "k", "database": known.database, "by": [address], "fillings": fillings}
    workflow = orla.workflow("Keep", known.lines(keep))
    pair = [by_hand.begin(workflow, ITEM | {"sender.address": "new@parish.example"}) for _ in range(2)]
    both = Barrier(2)
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda run: by_hand.carry(run, lambda _: both.wait(10)), pair))
    done = [until(lambda r=run: (x := orla.api("GET", f"/runs/{r}")["run"])["state"] == "done" and x) for run in pair]
    assert sorted(of_line(r, "k")["outcome"] for r in done) == ["added", "unchanged"]
    assert rows() == [("St Bride", "1"), ("Ada Pell", None)]


def test_several_that_match_stop_the_run_or_are_all_updated(parishes, by_hand):
    orla, known, rows = parishes
    name, address, stage = known.names
    again = {str(name): "St Bride, tower", str(address): "ada@stbride.example"}
    orla.api("POST", f"/databases/{known.database}/records", json={"values": again})
    fillings = [known.of(address, value="sender.address"), known.of(name, text="Either"), known.of(stage, text="Closed")]
    keep = {"verb": "add_or_update", "id": "k", "database": known.database, "by": [address], "fillings": fillings}
    stopped = by_hand.carry(by_hand.begin(orla.workflow("Stop", known.lines(keep)), ITEM))
    assert stopped["state"] == "failed" and "2 records match" in stopped["problem"]
    assert rows() == [("St Bride", "1"), ("St Bride, tower", None)]
    run = by_hand.begin(orla.workflow("All", known.lines(keep | {"several": "all"})), ITEM)
    assert of_line(by_hand.carry(run), "k")["output"]["count"] == 2 and rows() == [("Either", "2")] * 2
    assert orla.api("POST", f"/runs/{run}/undo")["undone"] == 2
    assert rows() == [("St Bride", "1"), ("St Bride, tower", None)]


def test_a_try_of_one_line_leaves_the_others_out(parishes):
    orla, known, rows = parishes
    name, _, stage = known.names
    add = {"verb": "add", "id": "a", "database": known.database, "fillings": [known.of(name, value="subject")]}
    body = known.lines(
        known.found, add,
        {"verb": "update", "id": "u", "of": "f", "fillings": [known.of(stage, text="Closed")]},
        {"verb": "update", "id": "v", "of": "a", "fillings": [known.of(stage, text="Closed")]},
    )  # fmt: skip
    workflow = orla.workflow("Try", body)
    values = {"values": {"subject": "Quote", "sender.address": "ada@stbride.example"}}
    [sample] = orla.api("POST", f"/workflows/{workflow}/samples", json=values)

    def tried(line):
        run = orla.api("POST", f"/workflows/{workflow}/try", json={"sample": sample["id"], "only_line": line})["run"]
        return outcomes(until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r))

    assert tried("u") == ["in", "found", "skipped", "updated", "skipped"] and rows() == [("St Bride", "2")]
    assert tried("v") == ["in", "found", "skipped", "skipped", "skipped"], "what it would change was left out"
    orla.api("POST", f"/workflows/{workflow}/try", 422, json={"sample": sample["id"], "only_line": "f"})
