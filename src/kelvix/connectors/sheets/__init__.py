"""The Sheets connector: the rows of sheets in workbooks. Sheets gives its rows neither identities nor versions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, ClassVar

from kelvix.connectors.listed import CalledAccount
from kelvix.connectors.sheet import Sheet, SheetCollection
from kelvix.connectors.sheet_app import SheetApp
from kelvix.core.collection import Collection, Place, Ref
from kelvix.core.sheets.grid import Cell, Grid, of_serial, to_serial
from kelvix.core.values import Type, Unfit

FORMATS: Mapping[str, Type] = {
    "text": "text",
    "lines": "long_text",
    "number": "number",
    "date": "date",
    "moment": "datetime",
    "check": "yes_no",
}


class SheetsAccount(CalledAccount):
    def open_place(self, place: str) -> Collection:
        ref = Ref(f"{self.app.code}:{self.app.address}:{self.identity}", place)
        return SheetCollection(ref, OnlineSheet(self, place), self.readings, self.env)

    def make_place(self, name: str) -> Place:
        raw = self.call("POST", "/sheets", json={"name": name})
        return Place(raw["id"], raw["name"], raw["link"], 0)


class OnlineSheet(Sheet):
    """A sheet of a workbook."""

    app_name = "Sheets"

    def __init__(self, account: SheetsAccount, place: str):
        self.account, self.place, self.name = account, place, ""

    def read(self) -> Grid:
        raw = self.account.call("GET", f"/sheets/{self.place}/cells")
        self.name = raw["name"]
        rows = tuple(tuple(map(_cell, row)) for row in raw["rows"])
        return Grid(rows, tuple(FORMATS.get(word or "") for word in raw["formats"]))

    def put(self, row: int, cells: Mapping[int, Cell], key: str) -> None:
        body = {"row": row, "cells": {str(column): _sent(cell) for column, cell in cells.items()}}
        self.account.call("PUT", f"/sheets/{self.place}/cells", json=body, key=key)

    def append(self, cells: Sequence[Cell], key: str) -> int | None:
        body = {"cells": list(map(_sent, cells))}
        found = self.account.call("POST", f"/sheets/{self.place}/rows", json=body, key=key)["row"]
        return int(found)

    def insert(self, row: int, cells: Sequence[Cell], key: str) -> None:
        body = {"cells": list(map(_sent, cells)), "before": row}
        self.account.call("POST", f"/sheets/{self.place}/rows", json=body, key=key)

    def set_type(self, column: int, type: Type, key: str) -> None:
        word = next((word for word, of in FORMATS.items() if of == type), "")
        body = {"column": column, "format": word}
        self.account.call("POST", f"/sheets/{self.place}/formats", json=body, key=key)

    def remove(self, row: int, key: str) -> None:
        self.account.call("DELETE", f"/sheets/{self.place}/rows/{row}", key=key)

    def link(self, row: int) -> str:
        return f"{self.account.app.address}/sheets/sheets/{self.place}?row={row + 1}"


def _cell(raw: Any) -> Cell:
    """Return a cell: a text, a number, a yes or no, a date as a number of days, or a formula with what it comes to."""
    if isinstance(raw, dict):
        if "formula" in raw:
            return Cell(_cell(raw.get("value")).value, True)
        try:
            return Cell(of_serial(Decimal(str(raw["days"]))))
        except Unfit:
            return Cell(Decimal(str(raw["days"])))
    if isinstance(raw, (int, float)) and not isinstance(raw, bool):
        return Cell(Decimal(str(raw)))
    return Cell(raw)


def _sent(cell: Cell) -> Any:
    if isinstance(cell.value, date):
        return {"days": float(to_serial(cell.value))}
    if isinstance(cell.value, Decimal):
        return int(cell.value) if cell.value == cell.value.to_integral_value() else float(cell.value)
    return cell.value


class Sheets(SheetApp):
    code, name, monogram = "sheets", "Sheets", "Sh"
    container_word, containers_word, item_word, items_word = "sheet", "sheets", "row", "rows"
    makes_places = True
    accounts: ClassVar[type[CalledAccount]] = SheetsAccount


CONNECTOR = Sheets
