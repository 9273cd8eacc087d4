"""One way to write records: who may, which fields there are, what they keep and what must be filled is asked of everybody."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from kelvix.collections import undo, write
from kelvix.collections.write import Actor, NotAllowed, Wrong
from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.store import changes, databases, records
from kelvix.store.databases import NewField
from kelvix.store.records import Origin, Stale
from support import newest

ME = Actor(Origin(person="Orla"))


@pytest.fixture
def made(orla):
    database = databases.create(
        orla.space,
        "Tasks",
        (
            NewField("Name", "text"),
            NewField("Hours", "number", required=True),
            NewField("Due", "date"),
            NewField("Done", "yes_no"),
        ),
    )
    name, hours, due, done = (f.id for f in database.fields[:4])
    whole = {name: "Felt", hours: Decimal(2)}
    record = orla.space.transact(lambda t: write.add(t, orla.space.id, database, whole, ME))[0]
    return orla, database, (name, hours, due, done), record


def ways(orla, database, record, values, actor):
    """Each way in which values are written, as a work in a transaction."""
    space = orla.space
    kept = space.read(lambda t: records.get(t, database, record))
    return {
        "add": lambda t: write.add(t, space.id, database, values, actor),
        "add later": lambda t: write.add_later(t, space.id, database, values, actor, lambda _: None),
        "update": lambda t: write.update(t, space.id, database, record, kept.version, values, actor),
        "change": lambda t: write.change(t, space.id, database, records.get(t, database, record, lock=True), values, actor),
    }


def log(orla):
    return orla.space.rows("SELECT seq FROM `change` WHERE workspace_id=%s", (orla.space.id,))


@pytest.mark.parametrize("way", ["add", "add later", "update", "change"])
def test_what_does_not_fit_is_refused_whoever_writes_it_and_leaves_nothing(made, way):
    orla, database, (name, hours, due, done), record = made
    before = log(orla)
    for values, said in (
        ({name: "x", hours: None}, "Hours is required"),
        ({name: None, hours: Decimal(1)}, "Name is required"),
        ({name: "x", hours: "2"}, "Hours takes a number, and this is not one"),
        ({name: "x", hours: Decimal(1), due: datetime(2026, 11, 28, tzinfo=UTC)}, "Due takes a date, and this is not one"),
        ({name: "x", hours: Decimal(1), done: "yes"}, "Done takes a yes or no, and this is not one"),
    ):
        with pytest.raises(Wrong, match=said):
            orla.space.transact(ways(orla, database, record, values, ME)[way])
    with pytest.raises(NotFoundError):
        orla.space.transact(ways(orla, database, record, {name: "x", hours: Decimal(1), "999999": "y"}, ME)[way])
    with pytest.raises(NotAllowed):
        orla.space.transact(ways(orla, database, record, {name: "x", hours: Decimal(1)}, replace(ME, may_write=False))[way])
    assert log(orla) == before and len(orla.space.read(lambda t: newest(t, database, 9))) == 1


def test_a_new_record_is_whole_and_a_change_names_what_it_changes(made):
    orla, database, (name, _, due, _), record = made
    with pytest.raises(Wrong, match="Hours is required"):
        orla.space.transact(lambda t: write.add(t, orla.space.id, database, {name: "x"}, ME))
    seq = orla.space.transact(lambda t: write.update(t, orla.space.id, database, record, 1, {due: date(2026, 12, 1)}, ME))
    with pytest.raises(Stale):
        orla.space.transact(lambda t: write.update(t, orla.space.id, database, record, 1, {due: None}, ME))
    change = orla.space.read(lambda t: changes.get(t, orla.space.id, seq))
    assert (change.kind, change.origin, change.after) == ("update", {"person": "Orla"}, {due: "2026-12-01"})


def test_only_who_may_deletes_restores_and_undoes(made):
    orla, database, (_, _, due, _), record = made
    reader = Actor.of(replace(orla.owner, role="viewer"), Origin(person="Vera"))
    seq = orla.space.transact(lambda t: write.update(t, orla.space.id, database, record, 1, {due: date(2026, 12, 1)}, ME))
    for work in (
        lambda t: write.delete(t, orla.space.id, database, record, reader),
        lambda t: write.restore(t, orla.space.id, database, record, reader),
        lambda t: undo.undo(t, orla.space.id, seq, reader),
    ):
        with pytest.raises(NotAllowed):
            orla.space.transact(work)
    for role in ("owner", "editor"):
        assert Actor.of(replace(orla.owner, role=role), Origin()).may_write
    orla.space.transact(lambda t: write.delete(t, orla.space.id, database, record, ME))
    orla.space.transact(lambda t: write.restore(t, orla.space.id, database, record, ME))
    assert orla.space.read(lambda t: records.get(t, database, record)).version == 4


def test_undoing_leaves_nothing_empty_that_must_be_filled_by_now(made):
    orla, database, (_, _, due, _), record = made
    seq = orla.space.transact(lambda t: write.update(t, orla.space.id, database, record, 1, {due: date(2026, 12, 1)}, ME))
    orla.api("PATCH", f"/databases/{database.id}/fields/{due}", json={"required": True})
    with pytest.raises(undo.CannotUndo, match="Due is required"):
        orla.space.transact(lambda t: undo.undo(t, orla.space.id, seq, ME))
    assert "Due is required" in orla.api("POST", f"/changes/{seq}/undo", 409)["detail"]


def test_each_type_knows_what_it_keeps():
    for type_ in TYPES.values():
        assert type_.holds(type_.keeps.__new__(type_.keeps)) if type_.keeps in (str, tuple, Decimal) else not type_.holds("x")
