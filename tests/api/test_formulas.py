"""Formulas, functions, suggestions and backcasts over the API."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from kelvix.store import workflows
from support import FIELDS, FILLS, document, until


@pytest.fixture
def built(orla):
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS)
    for n in range(3):
        orla.deliver(f"Quote {n}")
    body = document(connection, orla.folders["Enquiries"], database, FILLS, ("quote",))
    workflow = orla.workflow("From the post", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    return orla, body, workflow


def formula(orla, workflow, body, text="", **more):
    return orla.api("POST", f"/workflows/{workflow}/formula", json={"document": body, "line": "a", "text": text, **more})


def test_a_formula_is_read_with_what_it_gives_for_each_sample(built):
    orla, body, workflow = built
    read = formula(orla, workflow, body, 'upper case(Subject) + "!"')
    assert read["problem"] is None and read["type"] == "text"
    assert sorted(r["shown"] for r in read["results"]) == ["QUOTE 0!", "QUOTE 1!", "QUOTE 2!"]
    wrong = formula(orla, workflow, body, "Subjet")
    assert (
        wrong["tree"] == ""
        and wrong["problem"]["nearest"] == "Subject"
        and (wrong["problem"]["at"], wrong["problem"]["to"]) == (0, 6)
    )
    noted = formula(orla, workflow, body, "Subject + 1")
    assert noted["tree"] and all("can’t be added" in r["note"] for r in noted["results"])


def test_a_calculation_in_words_and_a_test_as_rows(built):
    orla, body, workflow = built
    step = {"line": "w", "key": "date", "sign": "+", "amount": "2", "unit": "weeks"}
    read = formula(orla, workflow, body, calculation=step)
    assert read["text"] == 'Date + duration("P14D")'
    bad = formula(orla, workflow, body, calculation=step | {"amount": "a few"})
    assert "whole number" in bad["problem"]["sentence"]
    rows = formula(orla, workflow, body, 'mentions(Subject, "quote") or Attachments.Number > 1', as_test=True)
    assert rows["mode"] == "any" and [c["kind"] for c in rows["conditions"]] == ["condition", "condition"]


def test_kept_formulas_come_back_written_with_todays_names(built):
    orla, body, workflow = built
    tree = formula(orla, workflow, body, 'Date + duration("P3D")')["tree"]
    body["lines"][-1]["fillings"][0]["filling"] = [{"formula": {"kind": "formula", "tree": tree, "text": ""}}]
    shown = orla.api("POST", f"/workflows/{workflow}/rehearse", json={"document": body})["formulas"][tree]
    assert shown["text"] == 'Date + duration("P3D")' and shown["calculation"]["amount"] == "3"


@pytest.mark.parametrize(
    "part",
    [
        {"formula": {"kind": "formula", "tree": "", "text": ""}},
        {"formula": {"kind": "formula", "tree": "[1]", "text": ""}},
        {"formula": {"kind": "formula", "tree": '{"Call":[{"Name":["count"]},[],[]]}', "text": ""}},
        {"text": "a", "ref": {"line": "w", "value": "subject"}},
    ],
)
def test_a_document_with_a_formula_that_is_none_is_refused(built, part):
    orla, body, workflow = built
    body["lines"][-1]["fillings"][0]["filling"] = [part]
    orla.api("POST", f"/workflows/{workflow}/rehearse", 422, json={"document": body})


def test_a_formula_of_any_size_is_answered(built):
    orla, body, workflow = built
    for text in (
        "(" * 5_000,
        "1 in (" * 1_000,
        "-" * 9_000 + "1",
        "[" * 9_000,
        "a" * 9_999,
        "for i in 1..10000000 return i",
        "1" * 9_000,
    ):
        read = formula(orla, workflow, body, text)
        assert read["problem"] or all(r["note"] or r["shown"] for r in read["results"])
    orla.api("POST", f"/workflows/{workflow}/formula", 422, json={"document": body, "line": "a", "text": "x" * 30_000})


def test_the_functions_are_listed(orla):
    found = {f["name"]: f for f in orla.api("GET", "/functions")}
    assert len(found) > 100 and found["upper case"]["signature"] == "upper case(string)"
    assert found["substring"]["params"][2]["optional"] and found["first amount"]["group"] == "Added by Kelvix"


def test_suggestions_for_what_is_not_filled(built):
    orla, body, workflow = built
    bare = body | {"lines": [*body["lines"][:-1], body["lines"][-1] | {"fillings": []}]}
    found = orla.api("POST", f"/workflows/{workflow}/suggest", json={"document": bare, "line": "a"})
    by_words = {s["words"]: s["sure"] for s in found}
    assert by_words["Message › Sender › Address"] is True and "Message › Date" in by_words and "Message › Text" in by_words
    assert orla.api("POST", f"/workflows/{workflow}/suggest", json={"document": body, "line": "a"}) == []
    assert orla.api("POST", f"/workflows/{workflow}/suggest", json={"document": body, "line": "w"}) == []


def test_earlier_workflows_say_how_a_field_is_filled(built):
    orla, body, _ = built
    bare = body | {"lines": [*body["lines"][:-1], body["lines"][-1] | {"fillings": []}]}
    other = orla.workflow("Another", bare)
    found = orla.api("POST", f"/workflows/{other}/suggest", json={"document": bare, "line": "a"})
    assert all("earlier workflow" in s["reason"] for s in found) and len(found) == 4


def test_a_backcast_over_all_past_events(built):
    orla, body, workflow = built
    for n in range(60):  # more than a page
        orla.deliver(f"Quote again {n}" if n % 3 else f"Newsletter {n}")
    until(lambda: len(orla.api("GET", f"/workflows/{workflow}/items")) == 20)
    assert orla.api("GET", f"/workflows/{workflow}/backcast") is None
    orla.api("POST", f"/workflows/{workflow}/backcast", json={"document": body})
    found = until(lambda: (b := orla.api("GET", f"/workflows/{workflow}/backcast"))["state"] != "running" and b)
    assert found["state"] == "done" and found["seen"] == 63 and found["same"] is True
    assert {o["kind"]: o["count"] for o in found["outcomes"]} == {"carried": 43, "passed_by": 20}
    assert "now in this folder" in found["reach"] and found["oldest"] <= found["newest"]
    example = next(o for o in found["outcomes"] if o["kind"] == "passed_by")["examples"][0]
    samples = orla.api("POST", f"/workflows/{workflow}/samples/keep", json={"item": example["id"]})
    assert example["id"] in [s["item_id"] for s in samples]
    assert orla.records(body["lines"][-1]["database"]) == []  # nothing was written


def test_a_backcast_can_be_cancelled_and_says_why_it_failed(built):
    orla, body, workflow = built
    for n in range(60):
        orla.deliver(f"Quote again {n}")
    orla.faults("slow")
    orla.api("POST", f"/workflows/{workflow}/backcast", json={"document": body})
    assert orla.api("POST", f"/workflows/{workflow}/backcast/cancel")["state"] == "cancelled"
    orla.faults("none")
    orla.faults("refusing")
    orla.api("POST", f"/workflows/{workflow}/backcast", json={"document": body})
    found = until(lambda: (b := orla.api("GET", f"/workflows/{workflow}/backcast"))["state"] == "failed" and b)
    assert found["problem"]
    orla.faults("none")
    empty = {"lines": [{"verb": "when", "id": "w"}]}
    orla.api("POST", f"/workflows/{workflow}/backcast", 409, json={"document": empty})


def test_up_to_fifty_samples(built):
    orla, body, workflow = built
    for n in range(30):
        orla.deliver(f"Quote again {n}")
    assert len(orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body, "count": 20})) == 20
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", 422, json={"document": body, "count": 51})


def test_a_choice_field_that_may_grow_gets_new_choices_once(orla):
    fields = [{"name": "Name", "type": "text"}, {"name": "Stage", "type": "choice", "choices": ["New"], "grows": True}]
    made = orla.api("POST", "/databases", json={"name": "Jobs", "fields": fields})
    name, stage = (f["id"] for f in made["fields"][:2])
    for n, value in enumerate(("Later", "LATER", "new")):
        orla.api("POST", f"/databases/{made['id']}/records", json={"values": {str(name): f"r{n}", str(stage): value}})
    found = orla.api("GET", f"/databases/{made['id']}")["fields"][1]
    assert [c["name"] for c in found["choices"]] == ["New", "Later"]
    assert [r["values"][str(stage)] for r in reversed(orla.records(made["id"]))] == ["2", "2", "1"]
    orla.api("PATCH", f"/databases/{made['id']}/fields/{stage}", json={"grows": False})
    orla.api("POST", f"/databases/{made['id']}/records", 422, json={"values": {str(name): "x", str(stage): "Never"}})


def test_how_a_workspace_writes(orla):
    before = orla.api("GET", "/me")
    assert before["date_order"] is None and {lang["code"] for lang in orla.api("GET", "/languages")} >= {"en_GB", "de_DE"}
    body = {"timezone": "Europe/Berlin", "language": "de_DE", "date_order": "DMY"}
    assert orla.api("PUT", "/workspace", json=body) == before | body
    made = orla.api(
        "POST", "/databases", json={"name": "D", "fields": [{"name": "N", "type": "text"}, {"name": "Day", "type": "date"}]}
    )
    name, day = (f["id"] for f in made["fields"][:2])
    orla.api("POST", f"/databases/{made['id']}/records", json={"values": {str(name): "x", str(day): "01/02/2026"}})
    assert orla.records(made["id"])[0]["values"][str(day)] == "2026-02-01"
    for wrong in ({"timezone": "Mars/Olympus"}, {"language": "xx"}, {"date_order": "XYZ"}):
        orla.api("PUT", "/workspace", 422, json=body | wrong)
    orla.api("PUT", "/workspace", json={k: before[k] for k in body})


def test_a_date_that_can_be_read_two_ways_is_asked_about(built):
    orla, body, workflow = built
    values = {
        "subject": "quote 01/02/2026",
        "date": "2026-11-23T17:02:00Z",
        "sender.address": "a@b.example",
        "text": "01/02/2026",
    }
    orla.api("POST", f"/workflows/{workflow}/samples", json={"values": values})
    received = next(f["field"] for f in body["lines"][-1]["fillings"] if f["filling"][0]["ref"]["value"] == "date")
    for filled in body["lines"][-1]["fillings"]:
        if filled["field"] == received:
            filled["filling"] = [{"ref": {"line": "w", "value": "text"}}]
    cells = orla.api("POST", f"/workflows/{workflow}/rehearse", json={"document": body})["cells"].values()
    results = [r for c in cells for r in c[-1]["results"] if r["field"] == received and "two different dates" in r["sentence"]]
    assert [m["label"] for m in results[0]["remedies"]] == ["day first: 1 Feb 2026", "month first: 2 Jan 2026"]


def test_labels_are_written_as_lists_or_as_text_and_read_as_lists(orla):
    fields = [
        {"name": "Name", "type": "text"},
        {"name": "Tags", "type": "labels", "choices": ["Reeds", "Leather"], "grows": True},
    ]
    made = orla.api("POST", "/databases", json={"name": "Articles", "fields": fields})
    name, tags = (str(f["id"]) for f in made["fields"][:2])
    where = f"/databases/{made['id']}/records"
    for given, kept in ((["leather", "1"], ["2", "1"]), ("reeds; Wind, reeds", ["1", "3"]), ([], None), ("", None)):
        written = orla.api("POST", where, json={"values": {name: "x", tags: given}})["record"]
        assert written["values"][tags] == kept
    orla.api("PATCH", f"/databases/{made['id']}/fields/{tags}", json={"grows": False})
    told = orla.api("POST", where, 422, json={"values": {name: "x", tags: ["Reeds", "Bells"]}})
    assert told["fields"][tags] == "“Bells” is not one of the choices (Reeds, Leather, Wind)"


def test_what_cannot_be_read_in_a_sample_is_told_from_what_is_not_there(built):
    """A sample as some program left it: its date is no date."""
    orla, body, workflow = built
    item = {"id": None, "title": "broken", "link": None, "container": "", "values": {"subject": "quote", "date": "yesterday"}}
    at = datetime(2026, 11, 23, tzinfo=UTC)
    orla.space.transact(lambda t: workflows.keep_sample(t, orla.space.id, workflow, "made_up", None, item, at))
    found = orla.api("POST", f"/workflows/{workflow}/rehearse", json={"document": body})
    (broken,) = (s for s, wrong in found["unreadable"].items() if wrong)
    assert "“yesterday” is not a date and time" in found["unreadable"][broken]["date"]
    results = {r["field"]: r for r in found["cells"][broken][-1]["results"]}
    states = [r["state"] for r in results.values()]
    assert states.count("put_right") == 1 and "can’t be read in this item" in str(results)
    assert any(r["sentence"] == "is missing in this item" for r in results.values())
