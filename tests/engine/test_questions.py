"""Runs that ask a person: they rest, go on with the answer, and ask once."""

from __future__ import annotations

import pytest

from support import document, until


@pytest.fixture
def asking(orla):
    """A database of parishes in which one name stands twice; lines that ask; a way to look."""
    connection = orla.connect("Enquiries")
    kept = orla.database("Parishes", {"name": "Name", "type": "text"}, {"name": "Note", "type": "text"})
    name, note = (f["id"] for f in kept["fields"][:2])
    when = document(connection, orla.folders["Enquiries"], kept, {})["lines"][0]

    class Asking:
        database, fields = kept["id"], (name, note)

        @staticmethod
        def flow(*lines):
            return orla.workflow("Asks", {"lines": [when, *lines]})

        @staticmethod
        def rows():
            found = sorted(orla.records(kept["id"]), key=lambda r: r["id"])
            return [(r["values"][str(name)], r["values"][str(note)]) for r in found]

        @staticmethod
        def know(*notes):
            for text in notes:
                values = {str(name): "St Bride", str(note): text}
                orla.api("POST", f"/databases/{kept['id']}/records", json={"values": values})

    return orla, Asking


def value(line, key):
    return {"ref": {"line": line, "value": key}}


def approval(**more):
    shown = [{"key": "k", "name": "Note", "made": {"kind": "filled", "filling": [value("w", "subject")]}},
             {"key": "n", "name": "Hours", "made": {"kind": "filled", "filling": [value("w", "attachment_count")]}}]  # fmt: skip
    return {
        "verb": "ask",
        "id": "q",
        "asking": [{"text": "Keep "}, value("w", "subject"), {"text": "?"}],
        "shown": shown,
    } | more


def add(of, filling, **more):
    name, note = of.fields
    fillings = [{"field": name, "filling": [filling]}, {"field": note, "filling": [value("q", "by")]}]
    return {"verb": "add", "id": "a", "database": of.database, "fillings": fillings} | more


def need(orla):
    [found] = orla.api("GET", "/needs")
    return found


def outcome(run, line="q"):
    return next((ln["outcome"] for ln in run["lines"] if ln["line"] == line), None)


ITEM = {"subject": "Loft visit", "attachment_count": "2"}


def test_a_run_rests_until_a_person_says_yes_and_edits(asking, by_hand):
    orla, of = asking
    run = by_hand.begin(of.flow(approval(), add(of, value("q", "k"))), ITEM)
    rested = by_hand.carry(run)
    assert rested["state"] == "waiting" and outcome(rested) == "asks" and of.rows() == []
    assert not orla.space.rows("SELECT id FROM ready WHERE run_id=%s", (run,)), "nothing takes it up but the answer"
    asked = need(orla)
    assert asked["question"] == "Keep Loft visit?"
    assert [(v["name"], v["text"]) for v in asked["values"]] == [("Note", "Loft visit"), ("Hours", "2")]
    wrong = orla.api("POST", f"/needs/{asked['id']}", 422, json={"answer": "yes", "values": {"n": "many"}})
    assert "is not a number" in wrong["fields"]["n"]
    orla.api("POST", f"/needs/{asked['id']}", json={"answer": "yes", "values": {"k": "Loft visit, Thursday"}})
    done = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    assert outcome(done) == "answered" and of.rows() == [("Loft visit, Thursday", "Orla")]
    assert orla.api("GET", "/needs") == []
    again = orla.api("POST", f"/needs/{asked['id']}", 409, json={"answer": "no"})
    assert again["title"] == "Already answered."


@pytest.mark.parametrize("no, state, rows", [("pass_by", "passed_by", []), ("go_on", "done", [("no", "Orla")])])
def test_a_no_passes_the_item_by_or_goes_on(asking, by_hand, no, state, rows):
    orla, of = asking
    run = by_hand.begin(of.flow(approval(no=no), add(of, value("q", "approved"))), ITEM)
    by_hand.carry(run)
    orla.api("POST", f"/needs/{need(orla)['id']}", json={"answer": "no"})
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == state)
    assert of.rows() == rows


def test_taken_up_without_an_answer_it_rests_on_and_asks_once(asking, by_hand):
    orla, of = asking
    run = by_hand.begin(of.flow(approval(), add(of, value("q", "k"))), ITEM)
    for _ in range(3):
        assert by_hand.carry(run)["state"] == "waiting"
    assert len(orla.api("GET", "/needs")) == 1 and of.rows() == []


def test_cut_after_the_answer_it_goes_on_with_it(asking, by_hand):
    orla, of = asking
    run = by_hand.begin(of.flow(approval(), add(of, value("q", "k")), add(of, {"text": "last"}, id="b")), ITEM)
    by_hand.carry(run)
    asked = need(orla)
    orla.space.transact(lambda t: t.execute(
        "UPDATE question SET answer='{\"approved\": true, \"values\": {\"k\": \"edited\"}}', answered_by='Orla', "
        "answered_at=NOW(3) WHERE id=%s", (asked["id"],)))  # fmt: skip
    by_hand.cut(run, 2)
    assert by_hand.carry(run)["state"] == "done"
    assert of.rows() == [("edited", "Orla"), ("last", "Orla")]


def keep(of):
    name, note = of.fields
    fillings = [{"field": name, "filling": [{"text": "St Bride"}]}, {"field": note, "filling": [value("w", "subject")]}]
    return {"verb": "add_or_update", "id": "k", "database": of.database, "by": [name], "several": "ask", "fillings": fillings}


@pytest.mark.parametrize(
    "answer, rows",
    [
        ("record", [("St Bride", "one"), ("St Bride", "Loft visit"), ("St Bride", "Loft visit")]),
        ("all", [("St Bride", "Loft visit"), ("St Bride", "Loft visit"), ("St Bride", "Loft visit")]),
        ("new", [("St Bride", "one"), ("St Bride", "two"), ("St Bride", "Loft visit"), ("St Bride", "Loft visit")]),
    ],
)
def test_where_several_match_a_person_says_which(asking, by_hand, answer, rows):
    orla, of = asking
    of.know("one", "two")
    copy = {"verb": "add", "id": "z", "database": of.database,
            "fillings": [{"field": of.fields[0], "filling": [value("k", "title")]},
                         {"field": of.fields[1], "filling": [value("w", "subject")]}]}  # fmt: skip
    run = by_hand.begin(of.flow(keep(of), copy), ITEM)
    assert by_hand.carry(run)["state"] == "waiting" and of.rows() == [("St Bride", "one"), ("St Bride", "two")]
    asked = need(orla)
    assert asked["kind"] == "which" and [c["said"] for c in asked["candidates"]] == ["one", "two"]
    record = asked["candidates"][1]["record"] if answer == "record" else None
    orla.api("POST", f"/needs/{asked['id']}", json={"answer": answer, "record": record})
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    assert of.rows() == rows
    orla.api("POST", f"/runs/{run}/undo")
    assert of.rows() == [("St Bride", "one"), ("St Bride", "two")]


def test_an_answer_that_is_none_of_those_is_refused(asking, by_hand):
    orla, of = asking
    of.know("one", "two")
    run = by_hand.begin(of.flow(keep(of)), ITEM)
    by_hand.carry(run)
    asked = need(orla)
    for body in ({"answer": "yes"}, {"answer": "record", "record": 999_999}, {"answer": "record"}):
        orla.api("POST", f"/needs/{asked['id']}", 422, json=body)
    assert need(orla)["id"] == asked["id"]
    orla.api("POST", "/needs/999999", 404, json={"answer": "yes"})


def test_a_try_asks_too_and_the_item_can_be_found_meanwhile(asking):
    orla, of = asking
    workflow = of.flow(approval(), add(of, value("q", "k")))
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.deliver("Approved")
    asked = until(lambda: next(iter(orla.api("GET", "/needs")), None))
    [run] = orla.runs(workflow)
    where = orla.api("POST", f"/workflows/{workflow}/where", json={"item": run["item_id"]})
    assert where["fate"] == "on_its_way" and where["sentence"].endswith("its run is waiting for your answer.")
    orla.api("POST", f"/needs/{asked['id']}", json={"answer": "yes"})
    until(lambda: of.rows() == [("Approved", "Orla")])
