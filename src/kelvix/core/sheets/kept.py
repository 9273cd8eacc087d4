"""Readings as they are kept: JSON, in which a cell is a text, or a list of its type and what it shows."""

from __future__ import annotations

import json
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any

from kelvix.core.collection import Ref
from kelvix.core.sheets.grid import Cell, Grid, cell_from_json, cell_to_json
from kelvix.core.sheets.layout import Rule
from kelvix.core.sheets.reading import Meant, Reading, SheetColumn, SheetRow


class Readings(ABC):
    """The readings of sheets. Each new one follows the last: who read the sheet while another was kept reads it again."""

    @abstractmethod
    def rule(self, of: Ref) -> Rule: ...

    @abstractmethod
    def last(self, of: Ref) -> Reading | None: ...

    @abstractmethod
    def get(self, of: Ref, n: int) -> Reading | None:
        """Return an earlier one; none that was let go of, because nobody reads on from there."""

    @abstractmethod
    def keep(self, of: Ref, reading: Reading) -> bool:
        """Keep the one that follows the last; False where another one does. What was meant for rows that it finds changed, or
        gone, was carried out."""

    def grid(self, of: Ref, reading: Reading) -> Grid | None:
        """Return the grid of which a reading was made, where that is remembered."""
        return None

    def remember(self, of: Ref, reading: Reading, grid: Grid) -> None:
        """Remember the grid of which the last reading was made."""
        return None

    @abstractmethod
    def meant(self, of: Ref) -> Meant:
        """Return what is being written to rows, or was not long ago, and was not read since."""

    @abstractmethod
    def mean(self, of: Ref, id: str, cells: Mapping[str, Cell] | None) -> None:
        """Note what is about to be written to a row; None where it is about to be deleted."""


def to_json(reading: Reading) -> str:
    return json.dumps(
        {
            "header": reading.header,
            "columns": [asdict(c) for c in reading.columns],
            "rows": [_row(row) for row in reading.rows],
            "next": [reading.next_column, reading.next_row, reading.said],
        },
        ensure_ascii=False,
        separators=(",", ":"),
    )


def from_json(n: int, text: str) -> Reading:
    kept = json.loads(text)
    columns = tuple(SheetColumn(**c) for c in kept["columns"])
    return Reading(n, kept["header"], columns, tuple(map(_read_row, kept["rows"])), *kept["next"])


def cells_to_json(cells: Mapping[str, Cell] | None) -> str:
    return json.dumps(None if cells is None else {id: cell_to_json(cell) for id, cell in cells.items()}, ensure_ascii=False)


def cells_from_json(text: str) -> Mapping[str, Cell] | None:
    kept = json.loads(text)
    return None if kept is None else {id: cell_from_json(cell) for id, cell in kept.items()}


def _row(row: SheetRow) -> list[Any]:
    cells = {column: cell_to_json(cell) for column, cell in row.cells.items()}
    times = [row.since.isoformat(), row.changed.isoformat()]
    return [row.id, row.at, row.born, row.revision, *times, cells, row.is_doubtful]


def _read_row(kept: list[Any]) -> SheetRow:
    id, at, born, revision, since, changed, cells, is_doubtful = kept
    of: Mapping[str, Cell] = {column: cell_from_json(cell) for column, cell in cells.items()}
    return SheetRow(id, at, born, revision, datetime.fromisoformat(since), datetime.fromisoformat(changed), of, is_doubtful)
