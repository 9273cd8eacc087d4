"""What is recorded of a line with its run: what it was given, and what came out of it."""

from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core import branching
from kelvix.core.cells import Answer, Cell
from kelvix.core.conditions import references
from kelvix.core.filling import Carried, FieldResult, describe
from kelvix.core.filling import references as used_by
from kelvix.core.outcome import Decided, End, FoundRecords, Outcome, Shaped, Stopped
from kelvix.core.schema import Database
from kelvix.core.steps import Context
from kelvix.core.values import as_text, shorten, to_wire
from kelvix.core.walking import Place
from kelvix.core.workflow import Delete, Find, Line, Narrows, Shape, Writes, filling_of, fillings_of
from kelvix.engine import effects


def place_text(place: Place) -> str:
    """Return the rounds in which a line is carried out, as they are kept."""
    return ".".join(map(str, place))


def given(line: Line, carried: Carried, zone: ZoneInfo) -> Any:
    """Return what a line with conditions looked at, what a Find line compared with."""
    if isinstance(line, Narrows | Find):
        parts = [ref for filling in fillings_of(line) for ref in used_by(filling)]
        looked = dict.fromkeys(parts) if isinstance(line, Find) else references(line.conditions)
        return {carried.name(ref): shorten(as_text(carried.values.get(ref), zone), 300) for ref in looked}
    return None


def made(line: Line, cell: Cell, code: str, context: Context) -> Outcome:
    """Return what became of a line that writes nothing: what it found, made or says."""
    if isinstance(line, Find):
        return _found(cell.answer, code, context.databases[line.database or 0], context)
    if isinstance(line, Shape):
        values = {r.key: to_wire(r.value) for r in cell.parts}
        return Shaped(code, {v.name: values.get(v.key) for v in line.values})
    if isinstance(cell.would, End):
        return Stopped(code, cell.note, cell.would.why)
    return Outcome(code)


def _found(answer: Answer | None, code: str, database: Database, context: Context) -> FoundRecords:
    answer = answer or Answer(0, None, {}, context.env.now)
    return FoundRecords(
        code,
        database.id,
        database.name,
        answer.count,
        answer.record,
        as_text(answer.values.get(database.fields[0].id), context.env.zone),
        context.target.link(database, answer.record) if answer.record is not None else None,
        {f: to_wire(v) for f, v in answer.values.items()},
        [[id, {f: to_wire(v) for f, v in kept.items()}] for id, kept in answer.records],
    )


def answer_of(found: FoundRecords, database: Database, context: Context) -> Answer:
    """Return what a Find line found, from what was recorded."""
    records = tuple((id, effects.recorded_values(v, database)) for id, v in found.records)
    return Answer(found.count, found.record, effects.recorded_values(found.values, database), context.env.now, records)


def decided(code: str, choice: branching.Choice) -> Decided:
    """Which way was taken."""
    return Decided(code, choice.name, choice.taken)


def filled(line: Writes, results: tuple[FieldResult, ...], carried: Carried) -> Any:
    """Return what each field was filled with, in words."""
    if isinstance(line, Delete):
        return None
    return {
        str(r.field): {"filled": describe(filling_of(line, r.field), carried), "state": r.state, "said": r.sentence}
        for r in results
        if r.value is not None or r.clears or r.state == "put_right"
    }


def said(result: FieldResult, context: Context) -> str:
    """Return what is wrong with a field, by its name."""
    found = context.fields.get(result.field)
    return f"{found.name}: {result.sentence}" if found and not result.sentence.startswith(found.name) else result.sentence
