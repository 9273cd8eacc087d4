"""What every record has of its own beside its fields: its number, when and by whom it was made and changed; in events, conditions,
fillings and Find lines."""

from __future__ import annotations

import pytest

from kelvix.core.query import Comparison, Order, Query
from kelvix.core.schema import RECORD_DATA
from support import until


def ref(line: str, value: str) -> dict:
    return {"ref": {"line": line, "value": value}}


@pytest.fixture
def faults(orla):
    return orla.database("Faults", {"name": "Name", "type": "text"}, {"name": "State", "type": "text"})


@pytest.fixture
def log(orla):
    names = ("What", "Number", "By", "Found by", "Found")
    return orla.database("Log", *({"name": name, "type": "text"} for name in names))


def add(orla, database, name: str) -> int:
    title = database["fields"][0]["id"]
    return orla.api("POST", f"/databases/{database['id']}/records", json={"values": {title: name}})["record"]["id"]


def written(orla, log) -> list[list[str | None]]:
    fields = [f["id"] for f in log["fields"][:5]]
    return [[r["values"].get(f) for f in fields] for r in orla.records(log["id"])]


def test_a_record_tells_its_number_and_by_whom_it_was_made(orla, faults, log):
    """In an event, in a condition and in fillings; and found by them."""
    title = faults["fields"][0]["id"]
    what, number, by, found_by, found = (f["id"] for f in log["fields"][:5])
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "database": faults["id"], "event": "added"}}
    test = {"ref": {"line": "w", "value": "f_created_by"}, "operator": "is", "words": ["Orla"]}
    mine = {"verb": "only_if", "id": "o", "mode": "all", "conditions": [test]}
    sought = [
        {"field": "number", "operator": "is", "filling": [ref("w", "f_number")]},
        {"field": "created_by", "operator": "is", "filling": [{"text": "Orla"}]},
        {"field": "created", "operator": "filled", "filling": []},
    ]
    look = {"verb": "find", "id": "f", "database": faults["id"], "sought": sought}
    values = {
        what: ref("w", f"f_{title}"),
        number: ref("w", "f_number"),
        by: ref("w", "f_created_by"),
        found_by: ref("f", "f_changed_by"),
        found: ref("f", "f_number"),
    }
    fill = [{"field": f, "filling": [part]} for f, part in values.items()]
    lines = [when, mine, look, {"verb": "add", "id": "a", "database": log["id"], "fillings": fill}]
    flow = orla.workflow("Log of faults", {"lines": lines})
    orla.api("POST", f"/workflows/{flow}/on")
    id = add(orla, faults, "Cipher on the Great")
    until(lambda: written(orla, log))
    assert written(orla, log) == [["Cipher on the Great", str(id), "Orla", "Orla", str(id)]]


def test_a_run_is_named_as_who_made_or_changed_a_record(orla, faults, log):
    title, state = (f["id"] for f in faults["fields"][:2])
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "database": faults["id"], "event": "added"}}
    change = {"verb": "update", "id": "u", "of": "w", "fillings": [{"field": state, "filling": [{"text": "Seen"}]}]}
    make = {
        "verb": "add",
        "id": "a",
        "database": log["id"],
        "fillings": [{"field": log["fields"][0]["id"], "filling": [ref("w", f"f_{title}")]}],
    }
    flow = orla.workflow("Answers faults", {"lines": [when, change, make]})
    orla.api("POST", f"/workflows/{flow}/on")
    id = add(orla, faults, "Cipher")
    until(lambda: written(orla, log))
    engine = orla.kelvix.engine
    known = orla.space.read(lambda t: engine.known.load(t, orla.space.id))
    item = engine.records(orla.space, known[faults["id"]]).one(str(id))
    assert (item.created_by, item.changed_by) == ("Orla", "Answers faults")
    made = engine.records(orla.space, known[log["id"]]).query(Query()).items[0]
    assert made.created_by == made.changed_by == "Answers faults"


def test_records_are_found_and_sorted_by_what_they_have_of_their_own(orla, faults):
    ids = [add(orla, faults, name) for name in ("One", "Two", "Three")]
    engine = orla.kelvix.engine
    database = orla.space.read(lambda t: engine.known.load(t, orla.space.id))[faults["id"]]
    source = engine.records(orla.space, database)
    assert [f.id for f in database.readable[-len(RECORD_DATA) :]] == [f.id for f in RECORD_DATA]
    newest = source.query(Query(order=(Order("created", True),))).items
    assert [int(i.id) for i in newest] == ids[::-1]
    since = database.readable_field("created").seek(newest[1].created, orla.space.zone, None)
    later = source.query(Query(Comparison("created", "after", since))).items
    assert [int(i.id) for i in later] == [ids[2]]
    pages, after = [], None
    while True:
        page = source.query(Query(order=(Order("number"),), limit=2, after=after))
        pages.append([int(i.id) for i in page.items])
        after = page.after
        if after is None:
            break
    assert pages == [ids[:2], ids[2:]]


def test_what_a_record_has_of_its_own_is_not_written(orla, faults):
    values = {faults["fields"][0]["id"]: "One", "created_by": "Somebody"}
    orla.api("POST", f"/databases/{faults['id']}/records", expect=422, json={"values": values})
