"""Where a sheet's header is, and of which types its columns are: neither is said by the sheet itself."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from kelvix.core.fields import TYPES
from kelvix.core.sheets.grid import PLAIN, Cell, Grid, letters, type_of
from kelvix.core.values import Type

LOOKED_AT = 20  # rows from the top, for a header
SHARE = 0.75  # of a column's filled cells are of its type; the others can’t be read


@dataclass(frozen=True)
class Rule:
    """What a person said of a sheet. `header`: its row, counted from 1; 0: it has none; None: it is found. `key`: the column,
    by its id, by which rows are told apart; None: they are told apart by their contents."""

    header: int | None = None
    key: str | None = None


def find_header(grid: Grid) -> int | None:
    """Return the first row that is as wide as the sheet, give or take a third, if it holds texts only, each once; None
    otherwise. So the one row of a sheet is its header where it could be: it names what is still to come."""
    width = max((_filled(row) for row in grid.rows), default=0)
    for at, row in enumerate(grid.rows[:LOOKED_AT]):
        if 3 * _filled(row) < 2 * width or not _filled(row):
            continue
        texts = [cell.value for cell in row if cell.is_filled]
        is_one = all(isinstance(t, str) and "\n" not in t for t in texts) and len({str(t) for t in texts}) == len(texts)
        return at if is_one and not any(cell.is_formula for cell in row) else None
    return None


def find_again(grid: Grid, names: Sequence[str]) -> int | None:
    """Return the row in which most of these names stand, at least half of them."""
    wanted = {name for name in names if name}
    counted = [
        (sum(isinstance(cell.value, str) and cell.value.strip() in wanted for cell in row), -at)
        for at, row in enumerate(grid.rows[:LOOKED_AT])
    ]
    most, at = max(counted, default=(0, 0))
    return -at if wanted and 2 * most >= len(wanted) else None


def names_of(grid: Grid, header: int | None) -> list[str | None]:
    """Return the columns' names by the header, None where it is empty. What is formatted is a column too."""
    width = max(grid.width, len(grid.formats))
    cells = [grid.cell(header, at) for at in range(width)] if header is not None else []
    return [" ".join(str(c.value).split()) if c.is_filled else None for c in cells] or [None] * width


def called(names: Sequence[str | None]) -> list[str]:
    """Return what columns are called: each by a name of its own, by its letters where it has none."""
    found: list[str] = []
    for at, name in enumerate(names):
        word = name or f"Column {letters(at)}"
        found.append(word if word not in found else f"{word} ({letters(at)})")
    return found


def type_of_column(cells: Sequence[Cell], format_: Type | None) -> Type:
    """Return the type that is set for a column, or that most of its cells have; a text where they differ."""
    if format_ is not None:
        return format_
    counted = Counter(type_of(cell) for cell in cells if cell.is_filled and cell.value is not None)
    by_family: dict[str, list[Type]] = defaultdict(list)
    for code in counted:
        by_family[TYPES[code].family].append(code)
    for family in by_family.values():  # of days and moments all are moments, of lines and texts of several lines all are these
        widest = max(family, key=lambda code: TYPES[code].rank)
        counted[widest] = sum(counted.pop(code) for code in family)
    if not counted:
        return PLAIN
    most, count = counted.most_common(1)[0]
    return most if count >= SHARE * counted.total() else PLAIN


def _filled(row: Sequence[Cell]) -> int:
    return sum(cell.is_filled for cell in row)
