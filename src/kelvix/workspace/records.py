"""Records by hand or by script: typed values, writing, history, and undoing a change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from kelvix.collections import undo, write
from kelvix.collections.write import Actor
from kelvix.core.fields import from_wire
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, File, Unfit, Value, Wire
from kelvix.store import changes, kept_files, records, runs, trash
from kelvix.store.changes import Change
from kelvix.store.database_server import Transaction
from kelvix.store.records import Origin, Record
from kelvix.workspace import Space
from kelvix.workspace.once import once
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotValid

__all__ = ["Change", "Record"]


@dataclass(frozen=True)
class History:
    """A record with its changes, the oldest first; the change that each value is of, by its field; and the item that the record
    was made of, where a run made it."""

    record: Record
    changes: list[Change]
    origins: Mapping[str, Change]
    item: dict[str, Any] | None


def told(record: Record) -> dict[str, Any]:
    """Return a record as JSON."""
    return {
        "id": record.id,
        "version": record.version,
        "created_at": record.created_at.isoformat(),
        "changed_at": record.changed_at.isoformat(),
        "values": records.wire(record.values),
    }


def actor(person: Person, by_script: bool = False, undoes: int | None = None) -> Actor:
    """Return a person, or their script, as one who writes."""
    script = "a script" if by_script and undoes is None else None
    return Actor.of(person, Origin(person=person.name, token=script, undoes=undoes))


def values_of(space: Space, database: Database, given: Mapping[str, Wire], complete: bool) -> dict[FieldId, Value]:
    """Return values for a record as its fields keep them. Raises NotValid with a sentence for each field that does not fit."""
    values: dict[FieldId, Value] = {}
    wrong: dict[str, str] = {}
    for key, wire in given.items():
        field = database.field(key)
        if field is None:
            raise NotValid(f"{database.name} has no field with the id {key}.", "It may have been removed.")
        try:
            try:
                value = from_wire(wire, field.type)
            except Unfit:
                value = tuple(map(str, wire)) if isinstance(wire, list) else wire
            values[field.id] = field.take(_with_kept_files(space, field, value), space.zone, space.order)
        except Unfit as unfit:
            wrong[key] = str(unfit)
    wrong = write.check(database, values, complete) | wrong
    if wrong:
        raise NotValid("Some values are not valid.", "; ".join(wrong.values()), wrong)
    return values


def _with_kept_files(space: Space, field: Field, value: Value) -> Value:
    """Files that were put in by hand, as they lie here: what the caller says of their size does not count. Raises Unfit."""
    if isinstance(value, tuple):
        return tuple(f for one in value if isinstance(f := _with_kept_files(space, field, one), str))
    if not isinstance(value, File):
        return value
    file = space.read(lambda t: kept_files.get(t, space.id, value.source))
    if file is None:
        raise Unfit(f"{field.name} needs a file uploaded to /api/v1/files; a file from a workflow can only be removed")
    return file


def titled(space: Space, database: Database, text: str) -> list[tuple[int, str]]:
    """Return the newest records whose title has this text."""
    return space.read(lambda t: records.titled(t, database, text.strip()))


def add(
    space: Space, database: Database, values: Mapping[FieldId, Value], by: Actor, whose: str, key: str | None, body: str | None
) -> dict[str, Any]:
    """Add a record, once under a key: the record as JSON, and the number under which that can be undone."""

    def work(t: Transaction) -> dict[str, Any]:
        record_id, seq = write.add(t, space.id, database, values, by)
        made = records.get(t, database, record_id)
        assert made
        return {"record": told(made), "change": seq}

    return once(space, whose, key, body, work)


def change(
    space: Space, database: Database, record_id: int, saw: int, values: Mapping[FieldId, Value], by: Actor
) -> tuple[Record, int]:
    """Change a record: itself, and the number under which that can be undone. Raises Stale where it was changed since `saw`."""

    def work(t: Transaction) -> tuple[Record | None, int]:
        seq = write.update(t, space.id, database, record_id, saw, values, by)
        return records.get(t, database, record_id), seq

    now, seq = space.transact(work)
    assert now
    return now, seq


@dataclass(frozen=True)
class Edit:
    """Values for a record that was seen at a version, or for one that is added."""

    record: int | None
    version: int
    values: Mapping[str, Wire]


@dataclass(frozen=True)
class Edited:
    """A record that was written: its version now, and the number under which that can be undone."""

    record: int
    version: int
    change: int


def edit_all(space: Space, database: Database, edits: Sequence[Edit], by: Actor) -> list[Edited]:
    """Change and add records, all or none. Raises Stale, NotValid with the row in which something does not fit,
    NotFoundError."""
    ready = [(one, _values_in_row(space, database, n, one)) for n, one in enumerate(edits, 1)]
    ready.sort(key=lambda one: (one[0].record is None, one[0].record or 0))  # whoever writes several locks them in this order

    def work(t: Transaction) -> list[Edited]:
        done: dict[int, int] = {}
        for one, values in ready:
            if one.record is None:
                record, seq = write.add(t, space.id, database, values, by)
            else:
                record, seq = one.record, write.update(t, space.id, database, one.record, one.version, values, by)
            done[record] = seq
        return [Edited(r.id, r.version, done[r.id]) for r in records.many(t, database, list(done))]

    return space.transact(work)


def _values_in_row(space: Space, database: Database, row: int, one: Edit) -> dict[FieldId, Value]:
    try:
        return values_of(space, database, one.values, complete=one.record is None)
    except NotValid as error:
        raise NotValid(f"Row {row} is not valid. Nothing was saved.", error.advice, error.fields) from None


def delete(space: Space, database: Database, record_id: int, by: Actor) -> int:
    """Put a record into the trash: the number under which that can be undone."""
    return space.transact(lambda t: write.delete(t, space.id, database, record_id, by))


def delete_all(space: Space, database: Database, ids: Sequence[int], by: Actor) -> list[int]:
    """Put records into the trash, all or none: the entries that bring them back."""

    def work(t: Transaction) -> None:
        for record_id in sorted(set(ids)):
            write.delete(t, space.id, database, record_id, by)

    space.transact(work)
    return space.read(lambda t: trash.entries_of(t, space.id, "record", ids, database.id))


def history(space: Space, database: Database, record_id: int) -> History:
    """Return a record with what became of it. Raises NotFoundError."""

    def work(t: Transaction) -> tuple[Record | None, list[Change]]:
        return records.get(t, database, record_id), changes.of_record(t, space.id, database.id, record_id)

    record, made = space.read(work)
    if record is None:
        raise NotFoundError("record not found")
    run = made[0].origin.get("run") if made else None
    item = space.read(lambda t: runs.item(t, space.id, run)) if run is not None else None
    return History(record, made, changes.origins(made), item)


def words_by(change: Change) -> str:
    """Return who or what made a change."""
    origin = change.origin
    if "mirror" in origin:
        mirror = f"the mirror “{origin.get('called', '')}”"
        return f"{origin['editor']}, through {mirror}" if origin.get("editor") else mirror
    who = origin.get("person") or "a workflow"
    if "undoes" in origin:
        return f"{who}, undoing"
    if "run" in origin:
        return "a workflow"
    if origin.get("capture") and origin.get("token"):
        return f"{who}, by {origin['token']}"
    return f"{who}, in the capture line" if origin.get("capture") else f"{who}, by script" if origin.get("token") else who


def undo_all(space: Space, seqs: Sequence[int], person: Person) -> list[int]:
    """Undo several changes, the latest first, all or none: the numbers under which this can be undone in turn. Raises
    NotFoundError, CannotUndo."""

    def work(t: Transaction) -> list[int]:
        return [undo.undo(t, space.id, seq, actor(person, undoes=seq)) for seq in sorted(seqs, reverse=True)]

    return space.transact(work)


def undo_change(space: Space, seq: int, person: Person) -> tuple[int, int]:
    """Undo a change: the number under which this can be undone in turn, and the record. Raises NotFoundError, CannotUndo."""
    made = space.read(lambda t: changes.get(t, space.id, seq))
    if made is None:
        raise NotFoundError("change not found")
    return space.transact(lambda t: undo.undo(t, space.id, seq, actor(person, undoes=seq))), made.record_id
