"""A sheet as it is read: rows of cells, and dates as days since 1899."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields import TYPES, fitted
from kelvix.core.fields.field_type import Taking
from kelvix.core.values import Type, Unfit, Value

CellValue = str | Decimal | bool | date | datetime | None  # a datetime without a zone: sheets know none
DAY_ZERO = datetime(1899, 12, 30)  # ECMA-376 part 1, 18.17.4.1: of the serial dates from March 1900 on
FIRST_SERIAL = 61  # before it, serial dates count a 29 February 1900 that never was
LETTERS = 26
MAX_SERIAL = 2_958_466  # the year 10000
DAY = 86_400  # seconds
PLAIN, LONG = next(iter(TYPES)), "long_text"


@dataclass(frozen=True)
class Cell:
    """What a cell shows; whether that is calculated by a formula."""

    value: CellValue = None
    is_formula: bool = False

    @property
    def is_filled(self) -> bool:
        return self.is_formula or self.value not in (None, "")


EMPTY = Cell()


@dataclass(frozen=True)
class Grid:
    """Rows from the top, each as long as it is filled; the types of columns that are set in the sheet itself, None of the
    others."""

    rows: tuple[tuple[Cell, ...], ...]
    formats: tuple[Type | None, ...] = ()

    @property
    def width(self) -> int:
        return max((len(row) for row in self.rows), default=0)

    def cell(self, row: int, column: int) -> Cell:
        of = self.rows[row] if row < len(self.rows) else ()
        return of[column] if column < len(of) else EMPTY

    def format(self, column: int) -> Type | None:
        return self.formats[column] if column < len(self.formats) else None

    def column(self, at: int, first: int) -> list[Cell]:
        """Return a column's cells, from a row on."""
        return [self.cell(row, at) for row in range(first, len(self.rows))]


def letters(column: int) -> str:
    """Return what a column is called, counted from 0: A to Z, AA, AB …"""
    name = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, LETTERS)
        name = chr(ord("A") + rest) + name
    return name


def of_serial(serial: Decimal) -> date | datetime:
    """Return the day, or the moment where the number has a fraction, to the second. Raises Unfit for one that is no date."""
    if not FIRST_SERIAL <= serial < MAX_SERIAL:
        raise Unfit(f"{serial} is not a date")
    moment = DAY_ZERO + timedelta(seconds=round(serial * DAY))
    return moment.date() if serial == serial.to_integral_value() else moment


def to_serial(day: date | datetime) -> Decimal:
    """Return the number by which a sheet keeps a day or a moment. Raises Unfit for one that sheets do not know."""
    since = _moment(day) - DAY_ZERO
    if since.days < FIRST_SERIAL:
        raise Unfit("a sheet has no dates before March 1900")
    return since.days + round(Decimal(since.seconds) / DAY, 9)


def to_value(cell: Cell, of: Type, zone: ZoneInfo) -> Value:
    """Return what a cell shows as a value of its column's type. Raises Unfit where it is none."""
    return fitted(_aware(cell.value, zone), of, Taking(zone))


def as_text(value: CellValue) -> str:
    match value:
        case bool():
            return "yes" if value else "no"
        case Decimal():
            return f"{value.normalize():f}"
        case datetime():
            return f"{value:%Y-%m-%d %H:%M}"
        case date():
            return value.isoformat()
    return value or ""


def to_cell(value: Value, zone: ZoneInfo) -> Cell:
    """Return a value as a cell shows it: one of a text, a number, a day, a moment, yes or no."""
    if isinstance(value, datetime):
        return Cell(value.astimezone(zone).replace(tzinfo=None))
    assert value is None or isinstance(value, str | Decimal | bool | date), value
    return Cell(value)


def type_of(cell: Cell) -> Type:
    """Return the type that a cell seems to be of."""
    value = _aware(cell.value, ZoneInfo("UTC"))
    if isinstance(value, str) and "\n" in value:
        return LONG
    return next((code for code, type_ in TYPES.items() if type_.holds(value)), PLAIN)


def _aware(value: CellValue, zone: ZoneInfo) -> Value:
    return value.replace(tzinfo=zone).astimezone(UTC) if isinstance(value, datetime) else value


def cell_to_json(cell: Cell) -> Any:
    value = cell.value
    match value:
        case None | str() | bool():
            kept: Any = value
        case Decimal():
            kept = ["n", str(value)]
        case datetime():
            kept = ["t", value.isoformat()]
        case _:
            kept = ["d", value.isoformat()]
    return ["f", kept] if cell.is_formula else kept


def cell_from_json(kept: Any) -> Cell:
    match kept:
        case ["f", inner]:
            return Cell(cell_from_json(inner).value, True)
        case ["n", str(text)]:
            return Cell(Decimal(text))
        case ["t", str(text)]:
            return Cell(datetime.fromisoformat(text))
        case ["d", str(text)]:
            return Cell(date.fromisoformat(text))
    return Cell(kept)


def _moment(day: date | datetime) -> datetime:
    return day if isinstance(day, datetime) else datetime.combine(day, time())
