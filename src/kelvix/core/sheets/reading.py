"""What was read of a sheet, with an identity for each column and each row; and what changed from one reading to a later one.

A reading continues the one before it: rows that are the same by `row_identity` keep their identities through sorting, inserting
and editing. Rows that can't be told apart any more lose theirs: what they are now are other items, so that nothing is ever
written to a row that is only perhaps the one that was meant.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property

from kelvix.core.collection import Change
from kelvix.core.sheets import layout
from kelvix.core.sheets.assignment import Doubt, Matched
from kelvix.core.sheets.grid import EMPTY, PLAIN, Cell, Grid
from kelvix.core.sheets.layout import Rule
from kelvix.core.sheets.row_identity import Column as Held
from kelvix.core.sheets.row_identity import match_columns, match_rows
from kelvix.core.values import Type


@dataclass(frozen=True)
class SheetColumn:
    """A column: its identity, where it stands, its header if it has one, and what it is called. `is_formula`: all that is in it
    is calculated, so that it is never written."""

    id: str
    at: int
    header: str | None
    name: str
    type: Type
    is_formula: bool = False


@dataclass(frozen=True)
class SheetRow:
    """A row: its identity, and where it stands, counted from 0. `born`: in which reading it was there first; `revision`: in
    which it changed last, 1 where it did not; `since` and `changed`: when these were. `cells` by the ids of columns.
    `is_doubtful`: it may be another row that was there before."""

    id: str
    at: int
    born: int
    revision: int
    since: datetime
    changed: datetime
    cells: Mapping[str, Cell]
    is_doubtful: bool = False


@dataclass(frozen=True)
class Reading:
    """A sheet as it was read the `n`th time that it was another. `header`: where that stands, counted from 0; `said`: what a
    person said of that. `next_column` and `next_row` number what is new; rows stand in the sheet's order."""

    n: int
    header: int | None
    columns: tuple[SheetColumn, ...]
    rows: tuple[SheetRow, ...]
    next_column: int
    next_row: int
    said: int | None = None

    @cached_property
    def by_id(self) -> Mapping[str, SheetRow]:
        return {row.id: row for row in self.rows}

    @cached_property
    def column_by_id(self) -> Mapping[str, SheetColumn]:
        return {column.id: column for column in self.columns}

    @property
    def doubtful(self) -> int:
        """How many rows lost their identities in this reading."""
        return sum(row.is_doubtful and row.born == self.n for row in self.rows)


Meant = Mapping[str, Mapping[str, Cell] | None]  # what is being written to rows; None where one is being deleted
NOTHING: Meant = {}


def read_on(
    before: Reading | None, grid: Grid, rule: Rule, at: datetime, meant: Meant = NOTHING, was: Grid | None = None
) -> Reading:
    """Return the next reading of a sheet. `meant`: what we are writing to its rows, and may have written by now: a row that we
    changed in most of its cells is the same all the same. `was`: the grid of which the reading before was made, where that is
    known: what was only added below is then read in much less time, and comes to the same."""
    if before is not None and was is not None and rule.header == before.said:
        if grid == was:
            return before
        if (longer := _with_rows_below(before, was, grid, rule, at)) is not None:
            return longer
    header = _header(before, grid, rule)
    columns, next_column = _columns(before, grid, header)
    first = 0 if header is None else header + 1
    n = before.n + 1 if before else 1
    cells = {
        row: {c.id: grid.cell(row, c.at) for c in columns if grid.cell(row, c.at).is_filled}
        for row in range(first, len(grid.rows))
    }
    there = [row for row, held in cells.items() if held]
    if before is None:
        rows = [SheetRow(f"r{i}", row, 1, 1, at, at, cells[row]) for i, row in enumerate(there, 1)]
        return Reading(1, header, columns, tuple(rows), next_column, len(rows) + 1, rule.header)
    held = [cells[row] for row in there]
    pairs = match(before, columns, held, meant, rule.key)
    alike = [doubt for doubt in pairs.doubts if _are_alike(doubt, before, held)]
    doubtful = {new for doubt in pairs.doubts if doubt not in alike for new in doubt.new}
    known = dict(pairs.same)
    for doubt in alike:
        known |= dict(zip(doubt.new, doubt.old, strict=False))
    rows, next_row = [], before.next_row
    for j, row in enumerate(there):
        if j in known:
            old = before.rows[known[j]]
            moved = replace(old, at=row, cells=cells[row])
            edited = _edited(old.cells, cells[row], before, columns)
            rows.append(replace(moved, revision=n, changed=at) if edited else moved)
        else:
            rows.append(SheetRow(f"r{next_row}", row, n, 1, at, at, cells[row], j in doubtful))
            next_row += 1
    return Reading(n, header, columns, tuple(rows), next_column, next_row, rule.header)


def _with_rows_below(before: Reading, was: Grid, grid: Grid, rule: Rule, at: datetime) -> Reading | None:
    """Return the next reading where rows were added below all others, and nothing else is another; None where that is not so,
    or where it has to be asked which row is which: one that holds what another holds, or has its key."""
    old, new = was.rows, grid.rows[len(was.rows) :]
    names = [c.header for c in before.columns]
    same = grid.rows[: len(old)] == old and (grid.formats, grid.width) == (was.formats, was.width)
    if not new or not same or not before.rows or before.header is None or None in names or len(set(names)) < len(names):
        return None
    if _header(before, grid, rule) != before.header or layout.names_of(grid, before.header) != names:
        return None
    key = next((c.at for c in before.columns if c.id == rule.key), None)
    for n, row in enumerate(new):
        others = (*old[before.header + 1 :], *new[:n])
        if row in others or (key is not None and any(_at(row, key) == _at(other, key) for other in others)):
            return None
    n, rows, following = before.n + 1, list(before.rows), before.next_row
    for place, row in enumerate(new, len(old)):
        if cells := {c.id: row[c.at] for c in before.columns if c.at < len(row) and row[c.at].is_filled}:
            rows.append(SheetRow(f"r{following}", place, n, 1, at, at, cells))
            following += 1
    columns = tuple(_of_cells(c, grid.column(c.at, before.header + 1), grid.format(c.at)) for c in before.columns)
    return replace(before, n=n, columns=columns, rows=tuple(rows), next_row=following)


def _at(row: Sequence[Cell], column: int) -> Cell:
    return row[column] if column < len(row) else EMPTY


def _of_cells(column: SheetColumn, cells: Sequence[Cell], format_: Type | None) -> SheetColumn:
    """Return a column with what its cells say of it."""
    of = [cell for cell in cells if cell.is_filled]
    is_formula = bool(of) and all(cell.is_formula for cell in of)
    return replace(column, type=layout.type_of_column(cells, format_), is_formula=is_formula)


def match(
    before: Reading,
    columns: Sequence[SheetColumn],
    rows: Sequence[Mapping[str, Cell]],
    meant: Meant = NOTHING,
    key: str | None = None,
) -> Matched:
    """Return which rows are which of those before, by the columns that were there then too."""
    both = [c.id for c in columns if c.id in before.column_by_id]
    at = both.index(key) if key in both else None

    def known(cells: Mapping[str, Cell]) -> tuple[object, ...]:
        return tuple(_shown(cells.get(id, EMPTY)) for id in both)

    new = [known(row) for row in rows]
    old = [known(row.cells) for row in before.rows]
    counted = Counter(new)
    for i, row in enumerate(before.rows):  # one that we deleted is none of those that are left, even of those that are alike
        if meant.get(row.id, row) is None and counted[old[i]] < sum(one == old[i] for one in old):
            old[i] = ()
    first = match_rows([one or (None,) * len(both) for one in old], new, at)
    lost = {i for i in range(len(old)) if i not in first.same.values() and meant.get(before.rows[i].id)}
    if not lost:
        return first
    for i in lost:
        old[i] = known(meant[before.rows[i].id] or {})
    return match_rows([one or (None,) * len(both) for one in old], new, at)


def changes_between(old: Reading, new: Reading) -> list[Change]:
    """Return what happened to rows from one reading to a later one, in the sheet's order; what went last."""
    found = [
        Change(row.id, "changed", "unsure", 1, row.since)
        if row.id not in old.by_id and row.is_doubtful
        else Change(row.id, "added", "new", 1, row.since)
        if row.id not in old.by_id
        else Change(row.id, "changed", "changed", row.revision, row.changed)
        for row in new.rows
        if row.id not in old.by_id or row.revision > old.by_id[row.id].revision
    ]
    return [*found, *(Change(row.id, "deleted", "gone", new.n) for row in old.rows if row.id not in new.by_id)]


def _header(before: Reading | None, grid: Grid, rule: Rule) -> int | None:
    if rule.header == 0:
        return None
    follows = before is not None and before.said == rule.header  # else a person just said otherwise
    names = [c.header for c in before.columns if c.header] if before and follows else []
    if names and (again := layout.find_again(grid, names)) is not None:
        return again
    return rule.header - 1 if rule.header else layout.find_header(grid)


def _columns(before: Reading | None, grid: Grid, header: int | None) -> tuple[tuple[SheetColumn, ...], int]:
    names = layout.names_of(grid, header)
    first = 0 if header is None else header + 1
    held = [grid.column(at, first) for at in range(len(names))]
    known: dict[int, int] = {}
    if before is not None:
        olds = [Held(c.header, [_shown(row.cells.get(c.id, EMPTY)) for row in before.rows]) for c in before.columns]
        news = [Held(name, list(map(_shown, cells))) for name, cells in zip(names, held, strict=True)]
        known = match_columns(olds, news).same
        known |= _in_their_place(before, names, known)
    columns, following = [], before.next_column if before else 1
    for at, (name, cells, word) in enumerate(zip(names, held, layout.called(names), strict=True)):
        if before is not None and at in known:
            id = before.columns[known[at]].id
        else:
            id, following = f"c{following}", following + 1
        columns.append(_of_cells(SheetColumn(id, at, name, word, PLAIN), cells, grid.format(at)))
    return tuple(columns), following


def _in_their_place(before: Reading, names: Sequence[str | None], known: Mapping[int, int]) -> dict[int, int]:
    """Return columns that stand where one stood that was not found again, where neither holds anything by which it could be:
    both without a header, or one that was just given one."""
    taken = set(known.values())
    return {
        at: at
        for at, name in enumerate(names)
        if at not in known
        and at < len(before.columns)
        and at not in taken
        and None in (name, before.columns[at].header)
        and not any(before.columns[at].id in row.cells for row in before.rows)
    }


def _are_alike(doubt: Doubt, before: Reading, held: Sequence[Mapping[str, Cell]]) -> bool:
    """Whether it does not matter which is which, since all that are in doubt hold the same: they are paired in their order."""
    rows = [before.rows[i].cells for i in doubt.old] + [held[j] for j in doubt.new]
    return all(row == rows[0] for row in rows)


def _edited(old: Mapping[str, Cell], new: Mapping[str, Cell], before: Reading, columns: Sequence[SheetColumn]) -> bool:
    """Whether a row holds something else; that a column went is no edit of its rows."""
    return any(
        _shown(old.get(c.id, EMPTY)) != _shown(new.get(c.id, EMPTY))
        for c in columns
        if c.id in before.column_by_id or c.id in new
    )


def _shown(cell: Cell) -> object:
    """Return what a cell shows, so that yes is not one."""
    return (type(cell.value).__name__, cell.value) if cell.is_filled else None
