"""Cells of practice Sheets: how what is typed is taken, and what formulas come to.

A cell is a text, a number, a yes or no, {"days": n} for a date, or {"formula": "=B*C"}, which counts with other cells of its
row.
"""

from __future__ import annotations

import ast
import operator
import re
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from typing import Any

from kelvix.core.sheets.grid import as_text, letters, of_serial, to_serial

FORMATS = ("", "text", "lines", "number", "date", "moment", "check")
Cell = Any
Row = list[Cell]
SIGNS: dict[type[ast.operator], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}


def typed(text: str, format_: str = "") -> Cell:
    """Return what a person's typing makes of a cell, in a column of this format."""
    text = text.strip()
    if not text:
        return None
    if format_ in ("text", "lines"):
        return text
    if text.startswith("="):
        return {"formula": text}
    if format_ == "check" and text.lower() in ("yes", "no"):
        return text.lower() == "yes"
    if re.fullmatch(r"-?\d{1,12}(\.\d{1,9})?", text):
        return float(text) if "." in text else int(text)
    for pattern in ("%Y-%m-%d", "%Y-%m-%d %H:%M"):
        try:
            moment = datetime.strptime(text, pattern)
        except ValueError:
            continue
        return {"days": float(to_serial(moment))}
    return text


def shown(cell: Cell) -> str:
    """Return what stands on the page."""
    if isinstance(cell, dict):
        return shown(cell.get("value")) if "formula" in cell else as_text(of_serial(Decimal(str(cell["days"]))))
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    return "" if cell is None else f"{cell:g}" if isinstance(cell, float) else str(cell)


def worked_out(row: Row) -> Row:
    """Return a row with what its formulas come to; one that can't be worked out comes to a text that says so."""
    return [cell | {"value": _worth(cell["formula"], row)} if _is_formula(cell) else cell for cell in row]


def shifted(row: Row, at: int, by: int) -> Row:
    """Return a row whose formulas mean the same cells after a column was inserted before `at`, or deleted there."""

    def letter(found: re.Match[str]) -> str:
        column = next(n for n in range(26) if letters(n) == found[0])
        return letters(column + by) if column >= at else found[0]

    return [{"formula": re.sub(r"[A-Z]", letter, cell["formula"])} if _is_formula(cell) else cell for cell in row]


def sort_key(cell: Cell) -> tuple[int, Any]:
    """Return what rows are sorted by: numbers and dates, then texts, then what is empty."""
    if isinstance(cell, dict):
        cell = cell.get("value") if "formula" in cell else cell["days"]
    if cell is None or cell == "":
        return 2, ""
    return (0, float(cell)) if isinstance(cell, (int, float)) else (1, str(cell).casefold())


def _is_formula(cell: Cell) -> bool:
    return isinstance(cell, dict) and "formula" in cell


def _worth(formula: str, row: Row) -> Cell:
    def of(node: ast.expr) -> float:
        match node:
            case ast.BinOp(left, op, right) if type(op) in SIGNS:
                return float(SIGNS[type(op)](of(left), of(right)))
            case ast.Constant(int() | float() as number):
                return float(number)
            case ast.Name(name):
                at = next((n for n, _ in enumerate(row) if letters(n) == name), None)
                cell = row[at] if at is not None else None
                if cell is None or (isinstance(cell, (int, float)) and not isinstance(cell, bool)):
                    return float(cell or 0)
        raise ValueError

    try:
        found = of(ast.parse(formula[1:].strip(), mode="eval").body)
    except (ValueError, SyntaxError, ZeroDivisionError, RecursionError):
        return "can’t be calculated"
    return int(found) if found.is_integer() else round(found, 6)
