"""Runs that rest: over the end of their worker, with their values as they were, and with what they look up as it is then."""

from __future__ import annotations

import pytest

from support import document, until


@pytest.fixture
def resting(orla):
    """A workflow that makes a value of the time, waits, looks a parish up and adds a record; ways to begin it and look."""
    connection = orla.connect("Enquiries")
    parishes = orla.database("Parishes", {"name": "Name", "type": "text"})
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"}, {"name": "Made", "type": "text"})
    known, name, made = parishes["fields"][0]["id"], tasks["fields"][0]["id"], tasks["fields"][1]["id"]
    body = document(connection, orla.folders["Enquiries"], tasks, {"Name": "subject"})
    workflow = orla.workflow("Later", body)
    formula = orla.api("POST", f"/workflows/{workflow}/formula", json={"document": body, "line": "a", "text": "string(now())"})
    shaped = {"kind": "filled", "filling": [{"formula": {"kind": "formula", "tree": formula["tree"], "text": ""}}]}
    when, add = body["lines"]
    find = {"verb": "find", "id": "f", "database": parishes["id"],
            "sought": [{"field": known, "operator": "begins", "filling": [{"text": "St"}]}]}  # fmt: skip
    add["fillings"] = [
        {"field": name, "filling": [{"ref": {"line": "w", "value": "subject"}}, {"text": " "}, {"ref": {"line": "f", "value": f"f_{known}"}}]},
        {"field": made, "filling": [{"ref": {"line": "s", "value": "k"}}]},
    ]  # fmt: skip
    shape = {"verb": "shape", "id": "s", "values": [{"key": "k", "name": "Now", "made": shaped}]}

    def flow(wait):
        return orla.workflow("Rests", {"lines": [when, shape, {"verb": "wait", "id": "x"} | wait, find, add]})

    def rows():
        return [(r["values"][str(name)], r["values"][str(made)]) for r in orla.records(tasks["id"])]

    def know(title):
        orla.api("POST", f"/databases/{parishes['id']}/records", json={"values": {str(known): title}})

    return orla, flow, rows, know


def due(orla, run: int) -> None:
    """Its time has come."""
    orla.space.transact(lambda t: t.execute("UPDATE ready SET due_at=NOW(3) WHERE run_id=%s", (run,)))


def outcome(run, line="x"):
    return next((ln["outcome"] for ln in run["lines"] if ln["line"] == line), None)


def test_a_run_rests_and_goes_on_with_its_values_as_they_were(resting, by_hand):
    orla, flow, rows, know = resting
    run = by_hand.begin(flow({"kind": "span", "amount": 2, "unit": "days"}), {"subject": "Quote"})
    rested = by_hand.carry(run)
    assert rested["state"] == "waiting" and rested["problem"] is None and outcome(rested) == "waits" and rows() == []
    [row] = orla.space.rows("SELECT due_at, NOW(3) AS now FROM ready WHERE run_id=%s", (run,))
    assert 2 * 86400 - 60 < (row["due_at"] - row["now"]).total_seconds() < 2 * 86400 + 3700
    since = next(ln["output"]["since"] for ln in rested["lines"] if ln["line"] == "x")
    know("St Bride")  # looked up when it goes on
    due(orla, run)
    done = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    assert outcome(done) == "waited"
    [(title, made)] = rows()
    assert title == "Quote St Bride" and made[:19] == since[:19], "what was made above is as it was"


def test_what_is_past_is_not_waited_for(resting, by_hand):
    _, flow, rows, _ = resting
    past = {"kind": "moment", "filling": [{"text": "1 Jan 2026"}]}
    done = by_hand.carry(by_hand.begin(flow(past), {"subject": "Quote"}))
    assert done["state"] == "done" and outcome(done) == "goes_on" and len(rows()) == 1


def test_a_moment_that_is_none_fails_the_run(resting, by_hand):
    _, flow, rows, _ = resting
    failed = by_hand.carry(by_hand.begin(flow({"kind": "moment", "filling": [{"text": "soon"}]}), {"subject": "Quote"}))
    assert failed["state"] == "failed" and "“soon” is not a date" in failed["problem"] and rows() == []


def test_cut_where_it_begins_to_rest_it_rests_once(resting, by_hand):
    """Its worker ends after the wait was recorded: another takes it up only when it is due."""
    orla, flow, rows, _ = resting
    run = by_hand.begin(flow({}), {"subject": "Quote"})
    by_hand.carry(run)
    orla.space.transact(lambda t: t.execute("UPDATE run SET lease_until=NULL WHERE id=%s", (run,)))
    assert len(orla.space.rows("SELECT id FROM ready WHERE run_id=%s", (run,))) == 1 and rows() == []
    done = by_hand.carry(run)
    assert done["state"] == "done" and outcome(done) == "waited" and len(rows()) == 1


def test_a_try_does_not_wait_and_an_item_that_rests_is_found(resting):
    orla, flow, rows, _ = resting
    workflow = flow({"kind": "span", "amount": 3, "unit": "hours"})
    [sample] = orla.api("POST", f"/workflows/{workflow}/samples", json={"values": {"subject": "Tried"}})
    run = orla.api("POST", f"/workflows/{workflow}/try", json={"sample": sample["id"]})["run"]
    done = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    assert outcome(done) == "skipped" and rows()[0][0] == "Tried"
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.deliver("Rests")
    resting_run = until(lambda: next((r for r in orla.runs(workflow, "waiting") if outcome(r) == "waits"), None))
    where = orla.api("POST", f"/workflows/{workflow}/where", json={"item": resting_run["item_id"]})
    assert where["fate"] == "on_its_way" and "and its run is waiting until " in where["sentence"]
