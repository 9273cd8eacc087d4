"""What is recorded of a line with its run: what it was given, and what came out of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.cells import Cell
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried, FieldResult, describe
from kelvix.core.lines import kind_of
from kelvix.core.lines.held import Choice
from kelvix.core.outcome import Decided
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Unfit, Value, Wire, as_text, shorten
from kelvix.core.walking import Place
from kelvix.core.workflow import Fills, Line, filling_of


def place_text(place: Place) -> str:
    """Return the rounds in which a line is carried out, as they are kept."""
    return ".".join(map(str, place))


def given(line: Line, carried: Carried, zone: ZoneInfo) -> Any:
    """Return what a line decided by, as texts by their names."""
    looked = kind_of(line).looks_at(line)
    return None if looked is None else {carried.name(r): shorten(as_text(carried.values.get(r), zone), 300) for r in looked}


def decided(code: str, choice: Choice) -> Decided:
    """Which way was taken."""
    return Decided(code, choice.name, choice.taken)


def filled(line: Line, cell: Cell, carried: Carried) -> Any:
    """Return what each field was filled with, in words; none of a line that fills none."""
    if not isinstance(line, Fills):
        return None
    return {
        str(r.field): {
            "filled": describe(filling_of(line, r.field), carried),
            "state": r.state,
            "said": r.sentence,
            "name": r.about.name if r.about else None,
        }
        for r in cell.results
        if r.value is not None or r.clears or r.state == "put_right"
    }


def described(line: Line, cell: Cell, carried: Carried) -> dict[FieldId, str] | None:
    """Return where the values that are written come from, in words, by field."""
    return {f: describe(filling_of(line, f), carried) for f in cell.writes} if isinstance(line, Fills) else None


def recorded_values(kept: Mapping[str, Wire], database: Database) -> dict[FieldId, Value]:
    """Return a record's values as a run recorded them."""
    values: dict[FieldId, Value] = {}
    for field in database.readable:
        try:
            values[field.id] = from_wire(kept.get(field.id), field.type)
        except Unfit:  # its type was changed since
            values[field.id] = None
    return values


def said(result: FieldResult) -> str:
    """Return what is wrong with a field, by its name."""
    name = result.about.name if result.about else ""
    return f"{name}: {result.sentence}" if name and not result.sentence.startswith(name) else result.sentence
