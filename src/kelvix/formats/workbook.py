"""Workbooks (XLSX: ECMA-376) as sheets of rows, and changes of a row. What writing would lose makes one that can only be read:
it is written by openpyxl, which keeps what it knows, and drops the rest without a word."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator, Sequence
from copy import copy
from dataclasses import dataclass, field
from datetime import date, datetime, time
from decimal import Decimal
from io import BytesIO
from typing import IO, Any

import openpyxl
from openpyxl.styles.numbers import is_datetime
from openpyxl.utils import column_index_from_string, get_column_letter, range_boundaries
from openpyxl.worksheet.worksheet import Worksheet
from python_calamine import CalamineError, CalamineWorkbook

from kelvix.core.patterns import pattern
from kelvix.core.sheets.grid import Cell, CellValue, cell_from_json, cell_to_json

MAX_UNPACKED = 200 << 20  # bytes
MAX_SHEETS = 100
KEPT = pattern(
    r"(_rels/\.rels|\[Content_Types\]\.xml|docProps/(app|core|custom)\.xml|docMetadata/.*|xl/_rels/workbook\.xml\.rels"
    r"|xl/(workbook|styles|sharedStrings|calcChain|metadata)\.xml|xl/theme/.*|xl/printerSettings/.*"
    r"|xl/worksheets/sheet\d+\.xml|xl/worksheets/_rels/.*|xl/tables/.*|xl/comments.*|xl/drawings/(vmlDrawing|commentsDrawing).*)",
    worst="xl/worksheets/_rels/",
)
LOST = (
    ("xl/media/", "pictures"),
    ("xl/charts/", "charts"),
    ("xl/drawings/", "drawings"),
    ("xl/vbaProject", "macros"),
    ("xl/pivot", "pivot tables"),
    ("xl/externalLinks/", "links to other workbooks"),
)
EXTENSION = b"<extLst"  # of a sheet: sparklines, or rules that an earlier standard does not know
GENERAL, TEXT = "General", "@"
DATE, MOMENT = "yyyy-mm-dd", "yyyy-mm-dd hh:mm"


class NoWorkbook(ValueError):
    """It is no workbook, or too large a one. The message is a sentence."""


@dataclass(frozen=True)
class SheetContent:
    """`rows` of cells as JSON (core/sheets/kept.py). `can_delete`: whether rows can be deleted and nothing else goes wrong;
    `formats`: the types that are set for whole columns."""

    name: str
    rows: list[list[Any]]
    can_delete: bool = True
    formats: list[str | None] = field(default_factory=list)


@dataclass(frozen=True)
class Book:
    """`lost`: what writing to it would lose, as words; nothing, where it can be written to."""

    sheets: list[SheetContent]
    lost: str = ""
    problem: str = ""


def read(file: IO[bytes]) -> Book:
    """Read all sheets. Never raises: what is wrong is its `problem`."""
    content = file.read()
    try:
        lost = _lost(content)
        found = CalamineWorkbook.from_filelike(BytesIO(content))
        pages = {page.title: page for page in openpyxl.load_workbook(BytesIO(content)).worksheets}
    except (CalamineError, zipfile.BadZipFile, KeyError, ValueError, OSError) as why:
        return Book([], problem=str(why) if isinstance(why, NoWorkbook) else "it is no workbook that can be read")
    sheets = []
    for name in found.sheet_names[:MAX_SHEETS]:
        if name not in pages:  # a sheet of a chart
            continue
        calculated, formats = _calculated(pages[name]), _formats(pages[name])
        can_delete = not (calculated or pages[name].merged_cells.ranges or pages[name].tables)  # openpyxl moves none of them
        raw = found.get_sheet_by_name(name).to_python(skip_empty_area=False)
        rows = [[Cell(_value(v), (r, c) in calculated) for c, v in enumerate(row)] for r, row in enumerate(raw)]
        sheets.append(SheetContent(name, [[cell_to_json(cell) for cell in row] for row in _trimmed(rows)], can_delete, formats))
    return Book(sheets, lost)


def edit(file: IO[bytes], sheet: str, change: dict[str, Any]) -> bytes:
    """Return the workbook with one row changed. `change`: `put` (a row, and cells by their columns) or `remove` (a row),
    counted from 0."""
    book = openpyxl.load_workbook(file, rich_text=True)
    page = book[sheet]
    if "remove" in change:
        page.delete_rows(change["remove"] + 1)
    else:
        _put(page, change["put"] + 1, {int(at) + 1: cell_from_json(raw).value for at, raw in change["cells"].items()})
    if book.calculation is not None:
        book.calculation.fullCalcOnLoad = True  # results of formulas are not written
    out = BytesIO()
    book.save(out)
    return out.getvalue()


def _put(page: Worksheet, row: int, values: dict[int, CellValue]) -> None:
    is_new = row > page.max_row or all(cell.value is None for cell in page[row])
    for column, value in values.items():
        cell = page.cell(row, column)
        if is_new and row > 1 and page.cell(row - 1, column).has_style:
            cell._style = copy(page.cell(row - 1, column)._style)
        cell.value = float(value) if isinstance(value, Decimal) and value % 1 else value
        if isinstance(value, str):
            cell.data_type = "s"  # a text that begins with = is no formula
        elif isinstance(value, date) and not cell.is_date:
            cell.number_format = MOMENT if isinstance(value, datetime) else DATE
    for table in page.tables.values() if is_new else ():
        left, top, right, bottom = range_boundaries(table.ref)
        if bottom == row - 1:  # it ends right above: the row belongs to it
            table.ref = f"{get_column_letter(left)}{top}:{get_column_letter(right)}{row}"


def _lost(content: bytes) -> str:
    """Return what writing would lose. Raises NoWorkbook for one that is too large."""
    with zipfile.ZipFile(BytesIO(content)) as parts:
        if sum(part.file_size for part in parts.infolist()) > MAX_UNPACKED:
            raise NoWorkbook("the workbook is too large to work with")
        found = dict.fromkeys(
            next((word for start, word in LOST if name.startswith(start)), "parts of another program")
            for name in parts.namelist()
            if not name.endswith("/") and not KEPT.fullmatch(name)
        )
        sheets = [name for name in parts.namelist() if name.startswith("xl/worksheets/sheet")]
        if any(EXTENSION in parts.read(name) for name in sheets):
            found["newer formatting rules"] = None
    return ", ".join(found)


def _calculated(page: Worksheet) -> set[tuple[int, int]]:
    """Return the cells of a sheet that formulas fill."""
    return {(cell.row - 1, cell.column - 1) for row in page.iter_rows() for cell in row if cell.data_type == "f"}


def _formats(page: Worksheet) -> list[str | None]:
    """Return the types of the formats that whole columns have."""
    known = {column_index_from_string(name): column.number_format for name, column in page.column_dimensions.items()}
    return [_type(known.get(at, GENERAL)) for at in range(1, max(known, default=0) + 1)]


def _type(pattern: str) -> str | None:
    if pattern in (GENERAL, TEXT):
        return "text" if pattern == TEXT else None
    return {"date": "date", "datetime": "datetime", "time": None}.get(is_datetime(pattern), "number")


def _value(raw: object) -> CellValue:
    match raw:
        case bool() | datetime() | date():
            return raw
        case int() | float():
            return Decimal(repr(raw)) if raw % 1 else Decimal(int(raw))
        case time():
            return f"{raw:%H:%M:%S}" if raw.second else f"{raw:%H:%M}"
        case None | "":
            return None
    return str(raw)


def _trimmed(rows: Sequence[list[Cell]]) -> Iterator[list[Cell]]:
    """Return rows without what is empty at the end."""
    last = max((n for n, row in enumerate(rows) if any(cell.is_filled for cell in row)), default=-1)
    for row in rows[: last + 1]:
        yield row[: max((n for n, cell in enumerate(row, 1) if cell.is_filled), default=0)]
