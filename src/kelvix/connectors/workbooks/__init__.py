"""The Workbooks connector: XLSX and CSV files in Files as sheets. A file is written as a whole, and only if it is the version
that was read; a workbook that holds what writing would lose can only be read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from kelvix.connectors.listed import CalledAccount
from kelvix.connectors.sheet import CAPABILITIES, Read, Sheet, SheetCollection
from kelvix.connectors.sheet_app import SheetApp
from kelvix.core.collection import Collection, Health, PermanentError, Place, Ref
from kelvix.core.sheets.grid import Cell, Grid, cell_from_json, cell_to_json
from kelvix.core.values import Type, shorten
from kelvix.formats import csv_rows
from kelvix.formats.workbook import Book
from kelvix.readers import contents
from kelvix.readers.pool import NotRead
from kelvix.remembering import Remembered

ENDINGS = (".xlsx", ".csv")
MAX_BYTES = 20 << 20  # of a file that is read as sheets
MAX_FILES = 500  # of a folder that are looked at
WITHIN = "/"  # between a file and the name of a sheet in it


@dataclass(frozen=True)
class Version:
    """A file as Files told of it, and what it contains."""

    raw: Mapping[str, Any]
    content: bytes

    @property
    def name(self) -> str:
        return str(self.raw["name"])

    @property
    def is_book(self) -> bool:
        return self.name.lower().endswith(".xlsx")


class WorkbooksAccount(CalledAccount):
    app: Workbooks

    def check(self) -> Health:
        """Return the sheets of all files in shared folders, instead of these."""
        found = super().check()
        places = [place for folder in found.places for raw in self._files(folder.id) for place in self._sheets(raw, folder)]
        return replace(found, places=tuple(places))

    def _files(self, folder: str) -> Iterator[dict[str, Any]]:
        before: str | None = None
        for _ in range(MAX_FILES // 100):
            params = {"limit": 100} | ({"before": before} if before else {})
            some = self.call("GET", f"/folders/{folder}/files", params=params)["items"]
            yield from (raw for raw in some if raw["name"].lower().endswith(ENDINGS) and raw["size"] <= MAX_BYTES)
            if len(some) < 100:
                return
            before = some[-1]["id"]

    def _sheets(self, raw: dict[str, Any], folder: Place) -> Iterator[Place]:
        if not raw["name"].lower().endswith(".xlsx"):
            yield Place(raw["id"], raw["name"], raw["link"], path=(folder.name,), above=(folder.link,))
            return
        for sheet in self.book(self.version(raw)).sheets:
            place = f"{raw['id']}{WITHIN}{sheet.name}"
            path, above = (folder.name, raw["name"]), (folder.link, raw["link"])
            yield Place(place, sheet.name, raw["link"], len(sheet.rows), path, above)

    def version(self, raw: Mapping[str, Any]) -> Version:
        """Return a file as it is told of, with its content, read once for each version."""
        return self.app.versions.get((self.identity, raw["id"], raw["revision"]), lambda: self._fetch(raw))

    def _fetch(self, raw: Mapping[str, Any]) -> Version:
        if raw["size"] > MAX_BYTES:
            raise PermanentError(f"“{raw['name']}” is too large to be read as sheets", "container")
        link = str(self.call("GET", f"/files/{raw['id']}")["content_link"])
        if not link.startswith(f"{self.caller.address}/"):
            raise PermanentError("Files gave a link that leads elsewhere", "call")
        return Version(raw, b"".join(self.content(link.removeprefix(self.caller.address))))

    def book(self, file: Version) -> Book:
        key = (self.identity, file.raw["id"], file.raw["revision"])
        return self.app.books.get(key, lambda: contents.workbook(file.content))

    def open_place(self, place: str) -> Collection:
        number, _, name = place.partition(WITHIN)
        ref = Ref(f"{self.app.code}:{self.app.address}:{self.identity}", place)
        return FileCollection(ref, FileSheet(self, number, name), self.readings, self.env)

    def place_of_item(self, id: str) -> str | None:
        return None


class FileSheet(Sheet):
    """A sheet of a workbook, or a file of rows."""

    app_name = "the file"

    def __init__(self, account: WorkbooksAccount, file: str, sheet: str):
        self.account, self.file, self.sheet, self.name = account, file, sheet, ""
        self.seen: Version | None = None  # when it was read last

    def now(self) -> Version:
        self.seen = self.account.version(self.account.call("GET", f"/files/{self.file}"))
        self.name = f"{self.seen.name} › {self.sheet}" if self.sheet else self.seen.name
        return self.seen

    def read(self) -> Grid:
        version = self.now()
        if not version.is_book:
            return Grid(tuple(tuple(row) for row in csv_rows.cells(csv_rows.read(version.content))))
        book = self.account.book(version)
        if book.problem:
            raise PermanentError(f"“{version.name}” can’t be read: {book.problem}", "container")
        sheet = next((sheet for sheet in book.sheets if sheet.name == self.sheet), None)
        if sheet is None:
            raise PermanentError(f"“{version.name}” has no sheet “{self.sheet}” any more. Choose another", "container")
        return Grid(tuple(tuple(map(cell_from_json, row)) for row in sheet.rows), tuple(sheet.formats))

    def lost(self) -> str:
        """Return what writing to it would lose."""
        version = self.seen or self.now()
        return self.account.book(version).lost if version.is_book else ""

    def can_delete(self) -> bool:
        version = self.seen or self.now()
        sheets = self.account.book(version).sheets if version.is_book else ()
        return all(sheet.can_delete for sheet in sheets if sheet.name == self.sheet)

    def put(self, row: int, cells: Mapping[int, Cell], key: str) -> None:
        self._edit({"put": row, "cells": {str(at): cell_to_json(cell) for at, cell in cells.items()}}, key)

    def append(self, cells: Sequence[Cell], key: str) -> int | None:
        row = len(self.read().rows)
        self.put(row, {at: cell for at, cell in enumerate(cells) if cell.is_filled}, key)
        return row

    def set_type(self, column: int, type: Type, key: str) -> None:
        """Do nothing: each cell of a file holds what is put into it."""

    def remove(self, row: int, key: str) -> None:
        self._edit({"remove": row}, key)

    def _edit(self, change: dict[str, Any], key: str) -> None:
        """Write the version that was read last, changed. Raises ConflictError where it is not the newest any more."""
        version = self.seen or self.now()
        if version.is_book:
            try:
                content = contents.edit_workbook(version.content, self.sheet, change)
            except NotRead as why:
                raise PermanentError(f"“{version.name}” can’t be written: {why}", "container") from None
        else:
            table = csv_rows.read(version.content)
            if "remove" in change:
                content = csv_rows.remove(table, change["remove"])
            else:
                values = {int(at): cell_from_json(raw).value for at, raw in change["cells"].items()}
                content = csv_rows.put(table, change["put"], values)
        params = {"name": version.name, "collision": "replace"}
        self.account.call(
            "POST",
            f"/folders/{version.raw['container']}/files",
            params=params,
            body=iter((content,)),
            key=key,
            version=str(version.raw["revision"]),
        )

    def link(self, row: int) -> str:
        return f"{self.account.app.address}/files/files/{self.file}?row={row + 1}"


class FileCollection(SheetCollection):
    """The rows of a sheet in a file. What it takes depends on what else is in the file."""

    sheet: FileSheet

    def now(self) -> Read:
        read = super().now()
        lost, can_delete = self.sheet.lost(), self.sheet.can_delete()
        self.capabilities = CAPABILITIES if can_delete else replace(CAPABILITIES, writes=CAPABILITIES.writes - {"delete"})
        self.why_not = "" if can_delete else "rows can’t be deleted below formulas, merged cells or tables of a file"
        if lost:
            self.capabilities = replace(CAPABILITIES, writes=frozenset(), makes=False)
            self.why_not = f"{shorten(self.sheet.name, 100)} can only be read, since writing to it would lose its {lost}"
        return read


class Workbooks(SheetApp):
    code, name, monogram, service = "workbooks", "Workbooks", "Wb", "files"
    container_word, containers_word, item_word, items_word = "sheet", "sheets", "row", "rows"
    accounts: ClassVar[type[CalledAccount]] = WorkbooksAccount

    def __init__(self, address: str):
        super().__init__(address)
        self.versions: Remembered[Version] = Remembered(most=20)
        self.books: Remembered[Book] = Remembered(most=50)

    def container_of_link(self, link: str) -> str | None:
        """Return the file that a link opens: the sheet, where it has one only."""
        return self._in_link(link, "files")


CONNECTOR = Workbooks
