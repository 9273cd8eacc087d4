"""Files of values with commas between them (CSV: RFC 4180), or semicolons, or tabs; and changes of a row, which leave all other
rows as they are, byte by byte."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from io import StringIO

from kelvix.core.patterns import short
from kelvix.core.sheets.grid import Cell, CellValue, as_text

MARKS = ",;\t|"
ENDS = ("\r\n", "\n", "\r")
NUMBER = short(r"-?(0|[1-9][0-9]{0,14})(\.[0-9]{1,9})?", most=26, worst="1")
DAY = short(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", most=10, worst="2026")
MOMENT = short(r"[0-9]{4}-[0-9]{2}-[0-9]{2}[ T][0-9]{2}:[0-9]{2}(:[0-9]{2})?", most=19, worst="2026")


@dataclass(frozen=True)
class Table:
    """`rows`: each as it stands in the file, with its line end, and its cells as texts."""

    encoding: str
    mark: str
    end: str
    rows: tuple[tuple[str, tuple[str, ...]], ...]


def read(content: bytes) -> Table:
    """Read a file; never raises. One that is no UTF-8 is taken for Windows-1252, in which most programs write else (common
    practice)."""
    try:
        text, encoding = content.decode("utf-8-sig"), "utf-8-sig" if content.startswith(b"\xef\xbb\xbf") else "utf-8"
    except UnicodeDecodeError:
        text, encoding = content.decode("cp1252", "replace"), "cp1252"
    mark = _mark(text)
    rows = tuple(_rows(text, mark))
    end = next((end for raw, _ in rows for end in ENDS if raw.endswith(end)), "\n")
    return Table(encoding, mark, end, rows)


def cells(table: Table) -> list[list[Cell]]:
    return [[Cell(_value(text)) for text in row] for _, row in table.rows]


def put(table: Table, row: int, values: Mapping[int, CellValue]) -> bytes:
    """Return the file with cells of a row written; one below the last adds a row."""
    rows = list(table.rows)
    while len(rows) <= row:
        if rows and not rows[-1][0].endswith(("\n", "\r")):
            rows[-1] = (rows[-1][0] + table.end, rows[-1][1])
        rows.append((table.end, ()))
    raw, was = rows[row]
    found = list(was)
    for at, value in values.items():
        found += [""] * (at + 1 - len(found))
        found[at] = as_text(value)
    end = raw[len(raw.rstrip("\r\n")) :]
    rows[row] = (_written(found, table.mark) + end, tuple(found))
    return _encoded(table, rows)


def remove(table: Table, row: int) -> bytes:
    """Return the file without a row."""
    return _encoded(table, [one for at, one in enumerate(table.rows) if at != row])


def _mark(text: str) -> str:
    """Return what stands between values: what splits the first lines into most, and each into as many."""
    lines = [line for line in text.splitlines()[:20] if line.strip()]

    def rank(mark: str) -> tuple[bool, int]:
        counts = {len(row) for row in csv.reader(lines, delimiter=mark)}
        return len(counts) == 1, max(counts, default=1)

    return max(MARKS, key=lambda mark: (rank(mark)[1] > 1, *rank(mark)))


def _rows(text: str, mark: str) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Return each row with the lines that it took: a value in quotes may hold line ends."""
    taken: list[str] = []

    def lines() -> Iterator[str]:
        for line in StringIO(text, newline=""):
            taken.append(line)
            yield line

    for row in csv.reader(lines(), delimiter=mark):
        yield "".join(taken), tuple(row)
        taken.clear()


def _written(row: Sequence[str], mark: str) -> str:
    out = StringIO()
    csv.writer(out, delimiter=mark, lineterminator="").writerow(row)
    return out.getvalue()


def _encoded(table: Table, rows: Sequence[tuple[str, tuple[str, ...]]]) -> bytes:
    return "".join(raw for raw, _ in rows).encode(table.encoding, "xmlcharrefreplace")


def _value(text: str) -> CellValue:
    """Return what a text seems to be: a number, a day, a moment, else itself. 007 is a text, as it has zeros that tell."""
    if NUMBER.fullmatch(text):
        return Decimal(text)
    try:
        if DAY.fullmatch(text):
            return date.fromisoformat(text)
        if MOMENT.fullmatch(text):
            return datetime.fromisoformat(text)
    except ValueError:
        pass
    return text or None
