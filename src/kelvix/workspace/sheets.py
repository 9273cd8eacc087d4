"""Places of apps that are sheets: where their header is, and by what their rows are told apart."""

from __future__ import annotations

from dataclasses import dataclass

from kelvix.connectors.sheet import SheetCollection
from kelvix.core.schema import Database
from kelvix.core.sheets.grid import as_text
from kelvix.core.sheets.layout import Rule
from kelvix.core.sheets.reading import SheetColumn
from kelvix.engine.engine import Engine
from kelvix.store import readings
from kelvix.workspace import Space, places
from kelvix.workspace.refusals import NotFoundError, Refused

SHOWN = 12  # rows from the top


@dataclass(frozen=True)
class SheetLayout:
    """A sheet as it is now: its first rows as texts, where its header is, counted from 1, and what a person said of it."""

    rule: Rule
    header: int | None
    columns: tuple[SheetColumn, ...]
    rows: tuple[tuple[str, ...], ...]


def get(engine: Engine, space: Space, place_id: int) -> SheetLayout:
    """Read a sheet. Raises NotFoundError, TransientError, PermanentError."""
    sheet, connection = _open(engine, space, place_id)
    with engine.pacer.calls(space, connection):
        read = sheet.now()
    rows = tuple(tuple(as_text(cell.value) for cell in row) for row in read.grid.rows[:SHOWN])
    header = read.reading.header
    return SheetLayout(sheet.readings.rule(sheet.ref), None if header is None else header + 1, read.reading.columns, rows)


def set_rule(engine: Engine, space: Space, place_id: int, rule: Rule) -> Database:
    """Keep what a person said of a sheet: the place as it is then. Raises NotFoundError, Refused, TransientError,
    PermanentError."""
    sheet, connection = _open(engine, space, place_id)
    if rule.key is not None and rule.key not in {c.id for c in get(engine, space, place_id).columns}:
        raise Refused("The sheet has no such column.")
    space.transact(lambda t: readings.set_rule(t, space.id, sheet.ref, rule))
    return places.look(engine, space, connection, sheet.ref.place)


def _open(engine: Engine, space: Space, place_id: int) -> tuple[SheetCollection, int]:
    of = places.outside(space, place_id)
    found = engine.account(space, of.connection).collection(of.place)
    if not isinstance(found, SheetCollection):
        raise NotFoundError("this place is no sheet")
    return found, of.connection
