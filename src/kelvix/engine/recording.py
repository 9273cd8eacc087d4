"""What is recorded of a line with its run: what it was given, and what came out of it."""

from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.cells import Answer
from kelvix.core.context import Context
from kelvix.core.filling import Carried, FieldResult, describe
from kelvix.core.lines import decide, kind_of
from kelvix.core.outcome import Decided, FoundRecords
from kelvix.core.schema import Database
from kelvix.core.values import as_text, shorten
from kelvix.core.walking import Place
from kelvix.core.workflow import Delete, Line, Writes, filling_of
from kelvix.engine import effects


def place_text(place: Place) -> str:
    """Return the rounds in which a line is carried out, as they are kept."""
    return ".".join(map(str, place))


def given(line: Line, carried: Carried, zone: ZoneInfo) -> Any:
    """Return what a line decided by, as texts by their names."""
    looked = kind_of(line).looks_at(line)
    return None if looked is None else {carried.name(r): shorten(as_text(carried.values.get(r), zone), 300) for r in looked}


def answer_of(found: FoundRecords, database: Database, context: Context) -> Answer:
    """Return what a Find line found, from what was recorded."""
    records = tuple((id, effects.recorded_values(v, database)) for id, v in found.records)
    return Answer(found.count, found.record, effects.recorded_values(found.values, database), context.env.now, records)


def decided(code: str, choice: decide.Choice) -> Decided:
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
