"""What lines do to our own databases, within the transaction in which their outcome is recorded."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core import recognising, writing
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.context import Context
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried, Held
from kelvix.core.finding import Question
from kelvix.core.outcome import Wrote
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Unfit, Value, Wire, to_wire
from kelvix.core.workflow import Add, AddOrUpdate, Delete, Update, Writes
from kelvix.store import finding, records
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Record

RETRY_AFTER = 0.05  # seconds


@dataclass(frozen=True)
class Effect:
    """What a line did, the record that lines below can use, and how many records it changed."""

    outcome: str
    held: Held
    count: int = 1
    is_new: bool = False


def execute(
    t: Transaction,
    workspace_id: int,
    line: Writes,
    cell: Cell,
    carried: Carried,
    context: Context,
    actor: Actor,
    answer: dict[str, Any] | None = None,
    by: Sequence[FieldId] = (),
) -> Effect:
    """`answer`: which record is meant, where a person was asked; `by`: the fields by which an Add line looks first whether its
    record is there. Raises PermanentError where the record is gone, TransientError where what
    matches changed since the line was looked at."""
    database = writing.database_of(line, carried, context.databases)
    assert database
    match line:
        case Add() if by:
            return _add_unless_there(t, workspace_id, database, line, by, cell, actor, context.env.zone)
        case Add():
            return _add(t, workspace_id, database, cell.writes, actor)
        case Update():
            record = records.get(t, database, carried.records[line.of].record or 0, lock=True)
            if record is None:
                raise PermanentError(f"the record of {database.name} that this line updates was deleted since", "record")
            return _update(t, workspace_id, database, record, cell, actor)
        case Delete():
            record = records.get(t, database, carried.records[line.of].record or 0, lock=True)
            if record is None:  # somebody else did it
                return Effect("found_none", Held(database.id), 0)
            write.delete(t, workspace_id, database, record.id, actor)
            return Effect("deleted", Held(database.id, True, record.id, record.values))
        case AddOrUpdate():
            if answer is not None:
                return _as_answered(t, workspace_id, database, cell, actor, answer)
            return _add_or_update(t, workspace_id, database, line, cell, actor, context.env.zone)


def _add(t: Transaction, workspace_id: int, database: Database, values: Mapping[FieldId, Value], actor: Actor) -> Effect:
    record_id, _ = write.add(t, workspace_id, database, values, actor)
    return Effect("added", Held(database.id, True, record_id, values), is_new=True)


def add_later(
    t: Transaction, space: Space, database: Database, cell: Cell, actor: Actor, then: Callable[[Effect], object]
) -> Effect:
    """For a line below which nothing needs to know the record that it adds: what it will have done. `then` is told when it
    did, within the transaction."""
    values = cell.writes

    def effect(record_id: int | None) -> Effect:
        return Effect("added", Held(database.id, True, record_id, values), is_new=True)

    write.add_later(t, space.id, database, values, actor, lambda id: then(effect(id)))
    return effect(None)


def _add_unless_there(
    t: Transaction,
    workspace_id: int,
    database: Database,
    line: Add,
    by: Sequence[FieldId],
    cell: Cell,
    actor: Actor,
    zone: ZoneInfo,
) -> Effect:
    """Add a record, or leave the one that is there as it is. One at a time for each thing, as with records that are kept up
    to date."""
    asked = recognising.question(line, by, cell.results, database)
    if asked:
        finding.hold(t, workspace_id, asked)
    found = finding.find(t, database, asked, zone).record if asked else None
    record = records.get(t, database, found) if found is not None else None
    if record is None:
        return _add(t, workspace_id, database, cell.writes, actor)
    return Effect("there", Held(database.id, True, record.id, record.values), 0)


def _update(t: Transaction, workspace_id: int, database: Database, record: Record, cell: Cell, actor: Actor) -> Effect:
    """Only what differs is written, and nothing at all where nothing does."""
    there = Held(database.id, True, record.id, record.values)
    values = writing.changed(cell.results, there)
    after = Held(database.id, True, record.id, {**record.values, **values})
    if not values:
        return Effect("unchanged", after, 0)
    write.change(t, workspace_id, database, record, values, actor)
    return Effect("updated", after)


def _add_or_update(
    t: Transaction,
    workspace_id: int,
    database: Database,
    line: AddOrUpdate,
    cell: Cell,
    actor: Actor,
    zone: ZoneInfo,
) -> Effect:
    """One at a time for each thing, so that two runs which bring the same add it once."""
    question, answer = writing.match(line, cell.results, database), cell.answer
    assert isinstance(question, Question) and answer
    if finding.hold(t, workspace_id, question) and answer.count < 2:  # the answer was read since
        found = [answer.record] if answer.record is not None else []
        there = Held(database.id, True, answer.record, answer.values)
        if found and not writing.changed(cell.results, there):
            return Effect("unchanged", there, 0)
    else:
        found = finding.find_all(t, database, question, zone)
    if min(len(found), 2) != min(answer.count, 2):
        raise TransientError(f"records of {database.name} that match came or went just now", RETRY_AFTER)
    if not found:
        return _add(t, workspace_id, database, cell.writes, actor)
    done = []
    for record_id in found:
        record = records.get(t, database, record_id, lock=True)
        if record is not None:
            done.append(_update(t, workspace_id, database, record, cell, actor))
    if not done:
        raise TransientError(f"records of {database.name} that match came or went just now", RETRY_AFTER)
    changed = sum(e.count for e in done)
    return Effect("updated" if changed else "unchanged", done[0].held, changed)


def _as_answered(
    t: Transaction, workspace_id: int, database: Database, cell: Cell, actor: Actor, answer: dict[str, Any]
) -> Effect:
    """Carry out what a person said: which records are meant; none of them is a new one."""
    if not answer["records"]:
        return _add(t, workspace_id, database, cell.writes, actor)
    there = [r for id in answer["records"] if (r := records.get(t, database, id, lock=True))]
    if not there:
        raise PermanentError(f"the record of {database.name} that was chosen was deleted since", "record")
    done = [_update(t, workspace_id, database, r, cell, actor) for r in there]
    changed = sum(e.count for e in done)
    return Effect("updated" if changed else "unchanged", done[0].held, changed)


def output(effect: Effect, database: Database, context: Context, answer: Mapping[str, Any]) -> Wrote:
    """Return what is recorded of an effect, with the run; `answer`: what a person said about it."""
    held = effect.held
    return Wrote(
        effect.outcome,
        database.id,
        database.name,
        held.record,
        writing.title_of(held.values, database, context.env),
        context.target.link(database, held.record) if held.record else None,
        {f: to_wire(v) for f, v in held.values.items()},
        effect.count,
        effect.is_new,
        more=answer,
    )


def recorded_values(kept: Mapping[str, Wire], database: Database) -> dict[FieldId, Value]:
    """Return a record's values as a run recorded them."""
    values: dict[FieldId, Value] = {}
    for field in database.fields:
        try:
            values[field.id] = from_wire(kept.get(field.id), field.type)
        except Unfit:  # its type was changed since
            values[field.id] = None
    return values


def recorded(wrote: Wrote, database: Database) -> Effect:
    """Return the effect that a run recorded."""
    held = Held(database.id, wrote.record is not None, wrote.record, recorded_values(wrote.values, database))
    return Effect(wrote.code, held, wrote.count, wrote.is_new)


def carry_on(line: Writes, effect: Effect, database: Database, carried: Carried, context: Context) -> Carried:
    """Return what lines below can use of an effect."""
    if isinstance(line, Delete):
        return carried.plus(line.of, (), {}, Held(database.id))
    return writing.below(line, effect.held, database, carried, context.target, effect.is_new)
