"""What connectors have in the same way whose places are sheets: rows that have no identity in their app, and no version.

What was read is told from what was read last (core/sheets), so that a row stays itself. A row is written right after it was
read, and read once more: what somebody did in between is found, and said.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, time, timedelta
from decimal import Decimal
from hashlib import sha256
from typing import Any

from kelvix.core import query as conditions
from kelvix.core.collection import (
    Capabilities,
    Changes,
    Collection,
    ConflictError,
    GoneError,
    Item,
    Page,
    PermanentError,
    Ref,
    Schema,
    TransientError,
    UnknownOutcomeError,
    Unreadable,
    Write,
    Written,
    readable,
)
from kelvix.core.feel import Env
from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.sheets.grid import EMPTY, Cell, CellValue, Grid, as_text, letters, to_cell, to_value
from kelvix.core.sheets.kept import Readings
from kelvix.core.sheets.reading import Reading, SheetRow, changes_between, read_on
from kelvix.core.values import Type, Unfit, shorten

MAX_ROWS, MAX_COLUMNS = 20_000, 200
AT_ROW = "#"  # between a sheet and the number of a row, in what a link to it names
TRIES = 5  # where others read at the same time
CAPABILITIES = Capabilities(
    told=frozenset(("added", "changed", "deleted")),
    compares=True,
    writes=frozenset(("create", "update", "delete")),
    versions=True,
    looks=True,
    makes=True,
)
REACH = "Includes every row now in this sheet, but not earlier values or rows deleted since then."
UNSURE = "Kelvix can’t tell which row this was before: too much of it changed at once, or several are alike."


class Sheet(ABC):
    """A sheet in its app. Rows and columns are counted from 0."""

    name: str  # known once it was read
    app_name: str

    @abstractmethod
    def read(self) -> Grid: ...

    @abstractmethod
    def put(self, row: int, cells: Mapping[int, Cell], key: str) -> None:
        """Write cells of one row, by their columns."""

    @abstractmethod
    def append(self, cells: Sequence[Cell], key: str) -> int | None:
        """Add a row below the last one: where it came to stand, if the app says."""

    def insert(self, row: int, cells: Sequence[Cell], key: str) -> None:
        """Insert a row; those below move down."""
        raise PermanentError(f"“{self.name}” has no header row. Add one in {self.app_name}", "container")

    @abstractmethod
    def set_type(self, column: int, type: Type, key: str) -> None:
        """Let a column hold values of a type, where its app has that."""

    @abstractmethod
    def remove(self, row: int, key: str) -> None:
        """Delete a row; those below move up."""

    @abstractmethod
    def link(self, row: int) -> str: ...


@dataclass(frozen=True)
class Read:
    """A sheet as it is now, and what it is in the light of the readings before."""

    grid: Grid
    reading: Reading


class SheetCollection(Collection):
    """The rows of a sheet."""

    capabilities, reach = CAPABILITIES, REACH

    def __init__(self, ref: Ref, sheet: Sheet, readings: Readings, env: Env):
        self.ref, self.sheet, self.readings, self.env = ref, sheet, readings, env

    # Reading

    def now(self) -> Read:
        """Read the sheet, and keep that where it is another than it was."""
        for _ in range(TRIES):
            last = self.readings.last(self.ref)
            grid = self.sheet.read()
            if len(grid.rows) > MAX_ROWS or grid.width > MAX_COLUMNS:
                said = f"“{self.sheet.name}” has more than {MAX_ROWS:,} rows or {MAX_COLUMNS} columns"
                raise PermanentError(f"{said}, which is too large to work with. Split it", "container")
            meant = self.readings.meant(self.ref)
            was = self.readings.grid(self.ref, last) if last is not None else None
            reading = read_on(last, grid, self.readings.rule(self.ref), datetime.now(UTC), meant, was)
            if last is not None and (reading is last or replace(reading, n=last.n) == last):
                self.readings.remember(self.ref, last, grid)
                return Read(grid, last)
            if self.readings.keep(self.ref, reading):
                self.readings.remember(self.ref, reading, grid)
                return Read(grid, reading)
        raise TransientError(f"“{self.sheet.name}” is being read by several at once")

    def schema(self) -> Schema:
        return _schema(self.now().reading)

    def one(self, id: str) -> Item:
        read = self.now().reading
        return self._item(_row(read, id, self.ref.place), read)

    def get(self, ids: Sequence[str]) -> dict[str, Item]:
        read = self.now().reading
        found: dict[str, Item] = {}
        for id in ids:
            try:
                found[id] = self._item(_row(read, id, self.ref.place), read)
            except GoneError:
                continue
        return found

    def query(self, query: Query) -> Page:
        if query.order:
            raise PermanentError("a sheet can’t be asked to sort its rows", "call")
        read = self.now().reading
        fields = _schema(read).fields
        newest = sorted(read.rows, key=lambda row: (row.born, row.at), reverse=True)
        below = next((n for n, row in enumerate(newest, 1) if row.id == query.after), 0)
        kept: list[Item] = []
        for n, row in enumerate(newest[below:], below + 1):
            item = self._item(row, read)
            if conditions.holds(query.where, fields, readable(item.values), self.env):
                kept.append(item)
            if len(kept) == query.limit:
                return Page(tuple(kept), row.id if n < len(newest) else None, n == len(newest))
        return Page(tuple(kept), None, True)

    def head(self) -> str:
        return str(self.now().reading.n)

    def changes(self, cursor: str) -> Changes:
        old = self.readings.get(self.ref, int(cursor))
        read = self.now().reading
        if old is None:
            said = f"what “{self.sheet.name}” held when it was read last is not known any more"
            raise PermanentError(f"{said}. Turn the workflow off and on again", "container")
        return Changes(tuple(changes_between(old, read)), str(read.n), False)

    def was_there(self, item: Item, cursor: str) -> bool | None:
        return None if item.arrival is None else int(item.arrival) <= int(cursor)

    def _item(self, row: SheetRow, read: Reading) -> Item:
        values: dict[str, Any] = {}
        problems = [UNSURE] if row.is_doubtful and row.revision == 1 else []
        for column in read.columns:
            cell = row.cells.get(column.id, EMPTY)
            try:
                values[column.id] = to_value(cell, column.type, self.env.zone)
            except Unfit as unfit:
                values[column.id] = Unreadable(str(unfit), as_text(cell.value))
                problems.append(f"{column.name}: {unfit}.")
        values["row"] = Decimal(row.at + 1)
        title = next((as_text(row.cells[c.id].value) for c in read.columns if c.id in row.cells), "")
        return Item(
            row.id,
            str(row.revision),
            values,
            shorten(" ".join(title.split()), 300),
            self.sheet.link(row.at),
            self.ref.place,
            self.sheet.name,
            row.since,
            changed=row.changed,
            problems=" ".join(problems),
            arrival=str(row.born),
        )

    # Writing

    def write(self, write: Write) -> Written:
        before = self.now()
        match write.kind:
            case "create":
                return self._append(write, before)
            case "update":
                return self._put(write, before)
        return self._remove(write, before)

    def make_field(self, name: str, type: Type, key: str) -> None:
        """Make a column, by its header; a sheet without a header gets one, in which the columns that are there have their
        letters."""
        read = self.now()
        columns, header = read.reading.columns, read.reading.header
        at = columns[-1].at + 1 if columns else 0
        if header is not None:
            self.sheet.put(header, {at: Cell(name)}, key)
        elif not read.reading.rows:
            self.sheet.put(0, {at: Cell(name)}, key)
        else:
            self.sheet.insert(0, [*(Cell(c.name) for c in columns), Cell(name)], key)
        self.sheet.set_type(at, type, key)

    def _after(self) -> Reading:
        """Read the sheet once more. Raises UnknownOutcomeError where it can’t be read: something was written to it."""
        try:
            return self.now().reading
        except (TransientError, PermanentError) as failure:
            raise UnknownOutcomeError(
                f"{failure}, so it is not known what was written", getattr(failure, "after", None)
            ) from None

    def _append(self, write: Write, before: Read) -> Written:
        cells = self._cells(write, before.reading)
        if not any(cell.is_filled for cell in cells.values()):
            raise PermanentError(f"nothing is filled in the row for “{self.sheet.name}”, so it would not be one", "item")
        wide = max(cells, default=-1) + 1
        at = self.sheet.append([cells.get(column, EMPTY) for column in range(wide)], write.key)
        after = self._after()
        new = [row for row in after.rows if row.id not in before.reading.by_id and self._holds(row, after, write)]
        if not new:
            raise PermanentError(self._meanwhile("a row was added, and changed or removed at once by somebody else"), "item")
        return Written("created", self._item(next((row for row in new if row.at == at), new[-1]), after))

    def _put(self, write: Write, before: Read) -> Written:
        row = self._expected(write, before.reading)
        cells = self._cells(write, before.reading)
        for at in cells:
            if before.grid.cell(row.at, at).is_formula:
                said = f"“{self._called(before.reading, at)}” is calculated in row {row.at + 1} of “{self.sheet.name}”"
                raise PermanentError(f"{said}, so it can’t be changed", "item")
        wanted = {**row.cells, **self._wanted(write)}
        if not any(cell.is_filled for cell in wanted.values()):
            raise PermanentError(f"row {row.at + 1} of “{self.sheet.name}” would be left empty. Delete it instead", "item")
        self.readings.mean(self.ref, row.id, wanted)
        self.sheet.put(row.at, cells, write.key)
        after = self._after()
        now = after.by_id.get(row.id)
        if now is None or not self._holds(now, after, write) or self._is_left(row, before.reading, after, wanted):
            raise PermanentError(self._meanwhile(f"what was meant for row {row.at + 1} may stand in another row"), "item")
        return Written("updated", self._item(now, after))

    def _remove(self, write: Write, before: Read) -> Written:
        row = before.reading.by_id.get(write.id)
        if row is None:
            return Written("already_gone", None)
        self._expected(write, before.reading)
        self.readings.mean(self.ref, row.id, None)
        self.sheet.remove(row.at, write.key)
        after = self._after()
        if row.id in after.by_id:
            held = [as_text(cell.value) for one in _also_gone(before.reading, after, row) for cell in one.cells.values()]
            lost = f"another row was deleted instead of row {row.at + 1}: {shorten(', '.join(held), 200)}"
            raise PermanentError(self._meanwhile(lost), "item")
        return Written("deleted", None)

    @staticmethod
    def _is_left(row: SheetRow, before: Reading, after: Reading, wanted: Mapping[str, Cell]) -> bool:
        """Whether there are as many rows as before that hold what a row held, though it was to hold something else."""
        alike = [sum(one.cells == row.cells for one in read.rows) for read in (before, after)]
        return wanted != row.cells and alike[1] >= alike[0]

    def _meanwhile(self, what: str) -> str:
        return f"somebody changed “{self.sheet.name}” at the same moment: {what}. Look at the sheet"

    def _expected(self, write: Write, read: Reading) -> SheetRow:
        row = _row(read, write.id, self.ref.place)
        if write.version is not None and str(row.revision) != write.version:
            raise ConflictError(f"row {row.at + 1} of “{self.sheet.name}” was changed since it was read")
        return row

    def _cells(self, write: Write, read: Reading) -> dict[int, Cell]:
        """Return what is written, by where its columns are now."""
        found: dict[int, Cell] = {}
        for id, value in write.values.items():
            column = read.column_by_id.get(id)
            if column is None:
                gone = f"a column that this line fills is not there any more in “{self.sheet.name}”"
                raise PermanentError(f"{gone}. Open the line and fill it anew", "item")
            found[column.at] = to_cell(value, self.env.zone)
        return found

    def _holds(self, row: SheetRow, read: Reading, write: Write) -> bool:
        """Whether a row holds what was written, as far as a sheet can tell."""
        return all(_same(row.cells.get(id, EMPTY), cell) for id, cell in self._wanted(write).items())

    def _wanted(self, write: Write) -> dict[str, Cell]:
        return {id: to_cell(value, self.env.zone) for id, value in write.values.items()}

    @staticmethod
    def _called(read: Reading, at: int) -> str:
        return next((c.name for c in read.columns if c.at == at), letters(at))


def _schema(read: Reading) -> Schema:
    columns = tuple(Field(c.id, c.name, c.type, can_write=not c.is_formula) for c in read.columns)
    fields = (*columns, Field("row", "Row", "number", can_write=False, counts=False))
    return Schema(
        fields, sha256(repr(fields).encode()).hexdigest(), title=columns[0].id if columns else None, identity="matched"
    )


def _row(read: Reading, id: str, place: str) -> SheetRow:
    """Return a row by its identity, or by where it stands: 12, or what a link names."""
    number = id.removeprefix(f"{place}{AT_ROW}")
    if number.isdecimal():
        found = next((row for row in read.rows if str(row.at + 1) == number), None)
    else:
        found = read.by_id.get(id)
    if found is None:
        raise GoneError("this row is not in the sheet any more, or it was changed so much that nobody can tell which it is")
    return found


def _same(one: Cell, other: Cell) -> bool:
    """Whether two cells show the same, as far as sheets keep it: moments to the second."""
    a, b = one.value, other.value
    if isinstance(a, datetime) and isinstance(b, datetime):
        return abs(a - b) < timedelta(seconds=1)
    if isinstance(a, datetime) or isinstance(b, datetime):  # midnight has no fraction, so that it reads as a day
        return _day(a) == _day(b)
    return (type(a), a) == (type(b), b) if one.is_filled or other.is_filled else True


def _day(value: CellValue) -> CellValue:
    return value.date() if isinstance(value, datetime) and value.time() == time() else value


def _also_gone(before: Reading, after: Reading, row: SheetRow) -> list[SheetRow]:
    """Return other rows that went."""
    return [one for one in before.rows if one.id not in after.by_id and one.id != row.id]
