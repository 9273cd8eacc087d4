"""Decisions and repeats in runs: once for each round, over the end of a worker, and taken back as one."""

from __future__ import annotations

import pytest

from support import document, until


@pytest.fixture
def flows(orla):
    """A database of tasks; ways to make lines of it and to look at it."""
    connection = orla.connect("Enquiries")
    kinds = {"name": "Kind", "type": "choice", "choices": ["Scan", "Letter"]}
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"}, {"name": "Hours", "type": "number"}, kinds)
    name, hours, kind = (f["id"] for f in tasks["fields"][:3])
    when = document(connection, orla.folders["Enquiries"], tasks, {})["lines"][0]

    class Flows:
        fields, database = (name, hours, kind), tasks["id"]

        @staticmethod
        def workflow(*lines):
            return orla.workflow("Flow", {"lines": [when, *lines]})

        @staticmethod
        def ref(line, key):
            return {"ref": {"line": line, "value": key}}

        @staticmethod
        def fill(field, *parts):
            return {"field": field, "filling": [{"text": p} if isinstance(p, str) else p for p in parts]}

        @staticmethod
        def rows():
            found = sorted(orla.records(tasks["id"]), key=lambda r: r["id"])
            return [r["values"][str(name)] for r in found]

    return orla, Flows


FILES = {
    "subject": "Survey",
    "attachments": [{"name": n, "type": "application/pdf", "size": "1"} for n in ("a.pdf", "b.pdf", "c.pdf", "d.pdf", "e.pdf")],
}


def each_file(flows, *inside):
    add = {
        "verb": "add",
        "id": "a",
        "within": "r",
        "database": flows.database,
        "fillings": [
            flows.fill(flows.fields[0], flows.ref("r", "each.name")),
            flows.fill(flows.fields[1], flows.ref("r", "number")),
        ],
    }
    repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "attachments"}, "collects": [flows.ref("a", "title")]}
    last = {
        "verb": "add",
        "id": "z",
        "database": flows.database,
        "fillings": [flows.fill(flows.fields[0], flows.ref("r", "collected"))],
    }
    return repeat, add, *inside, last


def of_line(run, line: str) -> list[tuple[str, str]]:
    return [(ln["place"], ln["outcome"]) for ln in run["lines"] if ln["line"] == line]


def test_a_repeat_that_was_cut_goes_on_where_it_stopped(flows, by_hand):
    orla, of = flows
    run = by_hand.begin(of.workflow(*each_file(of)), FILES)
    by_hand.cut(run, 4)
    half = orla.api("GET", f"/runs/{run}")["run"]
    assert of.rows() == ["a.pdf", "b.pdf", "c.pdf"]
    assert next(ln["output"] for ln in half["lines"] if ln["line"] == "r") == {"done": 2, "of": 5}, "said with the next effect"
    done = by_hand.carry(run)
    assert done["state"] == "done" and of_line(done, "a") == [(str(n), "added") for n in range(1, 6)]
    assert of.rows() == ["a.pdf", "b.pdf", "c.pdf", "d.pdf", "e.pdf", "a.pdf, b.pdf, c.pdf, d.pdf, e.pdf"]
    assert next(ln["output"] for ln in done["lines"] if ln["line"] == "r") == {"done": 5, "of": 5}
    assert orla.api("POST", f"/runs/{run}/undo")["trashed"] == 6 and of.rows() == []


@pytest.mark.parametrize("at", [1, 2, 3, 4, 5, 6])
def test_wherever_it_is_cut_each_round_is_carried_out_once(flows, by_hand, at):
    _, of = flows
    run = by_hand.begin(of.workflow(*each_file(of)), FILES)
    by_hand.cut(run, at)
    assert by_hand.carry(run)["state"] == "done"
    assert of.rows() == ["a.pdf", "b.pdf", "c.pdf", "d.pdf", "e.pdf", "a.pdf, b.pdf, c.pdf, d.pdf, e.pdf"]


def test_a_round_that_is_not_right_fails_the_run_says_how_far_it_came_and_goes_on_from_there(flows, by_hand):
    orla, of = flows
    kind = {
        "verb": "update",
        "id": "u",
        "within": "r",
        "of": "a",
        "fillings": [of.fill(of.fields[2], of.ref("r", "each.type"))],
    }
    item = {"subject": "x", "attachments": [{"name": n, "type": t, "size": "1"} for n, t in (("a", "Scan"), ("b", "Drawing"))]}
    run = by_hand.begin(of.workflow(*each_file(of, kind)), item)
    failed = by_hand.carry(run)
    assert failed["state"] == "failed" and "“Drawing” is not one of the choices" in failed["problem"]
    assert of_line(failed, "u") == [("1", "updated"), ("2", "failed")] and of.rows() == ["a", "b"]
    assert next(ln["output"] for ln in failed["lines"] if ln["line"] == "r") == {"done": 1, "of": 2}
    fields = [{"name": "Kind", "type": "choice", "choices": ["Scan", "Letter", "Drawing"]}]
    orla.api("PATCH", f"/databases/{of.database}/fields/{of.fields[2]}", json={"choices": fields[0]["choices"]})
    orla.api("POST", f"/runs/{run}/again")
    done = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    assert of_line(done, "u") == [("1", "updated"), ("2", "updated")] and of.rows() == ["a", "b", "a, b"]


def decision(of, *in_otherwise):
    mentions = {"kind": "condition", "ref": {"line": "w", "value": "subject"}, "operator": "mentions", "words": ["scan"]}
    return (
        {"verb": "decide", "id": "d"},
        {"verb": "way", "id": "y", "within": "d", "name": "A scan", "conditions": [mentions]},
        {"verb": "add", "id": "a", "within": "y", "database": of.database, "fillings": [of.fill(of.fields[0], "scanned")]},
        {"verb": "otherwise", "id": "o", "within": "d"},
        *in_otherwise,
        {"verb": "add", "id": "z", "database": of.database, "fillings": [of.fill(of.fields[0], of.ref("d", "way"))]},
    )


def test_a_run_goes_one_way_and_stays_on_it(flows, by_hand):
    orla, of = flows
    workflow = of.workflow(*decision(of))
    run = by_hand.begin(workflow, {"subject": "A scan of a letter"})
    by_hand.cut(run, 2)
    orla.space.transact(lambda t: t.execute("UPDATE run SET item=REPLACE(item, 'scan', 'page') WHERE id=%s", (run,)))
    done = by_hand.carry(run)
    assert done["state"] == "done" and of.rows() == ["scanned", "A scan"], "the way is as it was decided"
    assert of_line(done, "y") == [("", "taken")] and of_line(done, "o") == [("", "not_taken")]
    assert of_line(by_hand.carry(by_hand.begin(workflow, {"subject": "Hello"})), "y") == [("", "not_taken")]
    assert of.rows() == ["scanned", "A scan", "otherwise"]


@pytest.mark.parametrize("how, state", [("passed_by", "passed_by"), ("done", "done"), ("failed", "failed")])
def test_a_stop_line_ends_the_run_and_says_why(flows, by_hand, how, state):
    _, of = flows
    stop = {"verb": "stop", "id": "s", "within": "o", "how": how, "saying": [{"text": "no scan: "}, of.ref("w", "subject")]}
    ended = by_hand.carry(by_hand.begin(of.workflow(*decision(of, stop)), {"subject": "Hello"}))
    assert ended["state"] == state and of.rows() == [] and of_line(ended, "s") == [("", "stops")]
    assert next(ln["output"]["said"] for ln in ended["lines"] if ln["line"] == "s").endswith(": no scan: Hello")
    assert ended["problem"] == ("no scan: Hello" if how == "failed" else None)


def test_a_wait_within_a_round_rests_and_the_rounds_before_it_stay(flows, by_hand):
    orla, of = flows
    wait = {"verb": "wait", "id": "x", "within": "r", "amount": 2, "unit": "hours"}
    run = by_hand.begin(of.workflow(*each_file(of, wait)), FILES | {"attachments": FILES["attachments"][:2]})
    for expected in (["a.pdf"], ["a.pdf", "b.pdf"]):
        assert by_hand.carry(run)["state"] == "waiting" and of.rows() == expected
        orla.space.transact(lambda t: t.execute("DELETE FROM ready WHERE run_id=%s", (run,)))
    done = by_hand.carry(run)
    assert done["state"] == "done" and of_line(done, "x") == [("1", "waited"), ("2", "waited")]
    assert of.rows() == ["a.pdf", "b.pdf", "a.pdf, b.pdf"]


def test_all_that_is_found_is_changed_record_by_record_and_asked_for_once(flows, by_hand):
    orla, of = flows
    name, hours, _ = of.fields
    for title, n in (("Reeds", "2"), ("Leather", "3"), ("Bellows", "9")):
        orla.api("POST", f"/databases/{of.database}/records", json={"values": {str(name): title, str(hours): n}})
    find = {
        "verb": "find",
        "id": "f",
        "database": of.database,
        "several": "all",
        "order": hours,
        "descending": True,
        "figures": [{"key": "s", "kind": "sum", "field": hours}],
        "sought": [{"field": name, "operator": "contains", "filling": [{"text": "E"}]}],
    }
    repeat = {
        "verb": "repeat",
        "id": "r",
        "of": {"line": "f", "value": "records"},
        "collects": [of.ref("r", "each." + f"f_{name}")],
    }
    update = {
        "verb": "update",
        "id": "u",
        "within": "r",
        "of": "r",
        "fillings": [of.fill(name, of.ref("r", f"each.f_{name}"), "!")],
    }
    add = {"verb": "add", "id": "z", "database": of.database,
           "fillings": [of.fill(name, of.ref("r", "collected")), of.fill(hours, of.ref("f", "s"))]}  # fmt: skip
    run = by_hand.begin(of.workflow(find, repeat, update, add), {"subject": "x"})
    by_hand.cut(run, 3)
    done = by_hand.carry(run)
    assert of_line(done, "u") == [("1", "updated"), ("2", "updated"), ("3", "updated")]
    assert of.rows() == ["Reeds!", "Leather!", "Bellows!", "Bellows, Leather, Reeds"], "by hours, the most first"
    total = next(r for r in orla.records(of.database) if "," in r["values"][str(name)])
    assert total["values"][str(hours)] == "14"


def test_a_real_messages_attachments_are_gone_through(flows):
    orla, of = flows
    workflow = of.workflow(*each_file(of))
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.deliver("Scans", attachments={"drawing.pdf": b"%PDF-1.4", "photo.png": b"\x89PNG"})
    until(lambda: len(of.rows()) == 3)
    assert of.rows() == ["drawing.pdf", "photo.png", "drawing.pdf, photo.png"]
