"""Practice Sheets: workbooks of sheets. Rows have no identities and no versions; a header is a row like any other. Nobody is
told of changes."""

# No deferred annotations here: routes within functions name types that only exist there.
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Request, Response
from fastapi.responses import RedirectResponse

from kelvix.core.sheets.grid import letters
from kelvix.practice.apps.sheets import cells
from kelvix.practice.framework import Desk, PracticeApp
from kelvix.practice.store import Access
from kelvix.store.database_server import Row

MAX_ROW = 100_000
EMPTY: dict[str, Any] = {"rows": [], "formats": []}
Change = Callable[[list[cells.Row], list[str]], None]


class Sheets(PracticeApp):
    """What Sheets does, for its API and its pages alike."""

    code, name, container_word, containers_word, items_word = "sheets", "Sheets", "sheet", "sheets", "rows"
    holder_word = "workbook"
    begins_with = ("Ledger",)
    sends = "add, change and delete rows"
    keeps_items = pushes = False

    def sheet(self, sheet_id: int) -> dict[str, Any]:
        """Return rows of cells, and the formats of columns, a blank for one without."""
        return EMPTY | self.store.settings(sheet_id)

    def containers(self, account_id: int) -> list[Row]:
        return [c | {"items": len(self.sheet(c["id"])["rows"])} for c in super().containers(account_id)]

    def edit(self, sheet_id: int, change: Change) -> None:
        """Change the rows and formats of a sheet; what is empty at its end goes."""
        with self.one_by_one:
            sheet = self.sheet(sheet_id)
            rows, formats = [list(row) for row in sheet["rows"]], list(sheet["formats"])
            change(rows, formats)
            rows = [_trimmed(row) for row in rows]
            while rows and not rows[-1]:
                rows.pop()
            self.store.set_up(sheet_id, {"rows": rows, "formats": formats})

    def add(self, sheet_id: int, row: cells.Row, before: int | None = None) -> int:
        """Add a row below the last, or before one: where it stands, counted from 0."""
        at = 0

        def change(rows: list[cells.Row], _: list[str]) -> None:
            nonlocal at
            at = len(rows) if before is None else before
            rows.insert(at, row)

        self.edit(sheet_id, change)
        return at

    def put(self, sheet_id: int, row: int, values: dict[int, cells.Cell]) -> None:
        def change(rows: list[cells.Row], _: list[str]) -> None:
            while len(rows) <= row:
                rows.append([])
            for at, value in values.items():
                rows[row] += [None] * (at + 1 - len(rows[row]))
                rows[row][at] = value

        self.edit(sheet_id, change)

    def remove(self, sheet_id: int, row: int) -> None:
        def change(rows: list[cells.Row], _: list[str]) -> None:
            del rows[row : row + 1]

        self.edit(sheet_id, change)

    def set_format(self, sheet_id: int, column: int, format_: str) -> None:
        """Set what a column holds. Raises HTTPException for a format that there is none of."""
        if format_ not in cells.FORMATS:
            raise HTTPException(422, "unknown format")

        def change(_: list[cells.Row], formats: list[str]) -> None:
            formats += [""] * (column + 1 - len(formats))
            formats[column] = format_

        self.edit(sheet_id, change)

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]
        Writer = Annotated[Access, Depends(self.writing)]

        @api.post("/sheets", status_code=201)
        def make(granted: Writer, name: Annotated[str, Body(embed=True, min_length=1, max_length=200)]) -> dict[str, Any]:
            made = self.make_container(granted.account_id, name)
            self.store.share(granted, made)
            return {"id": str(made), "name": name.strip(), "link": self.container_link(made)}

        @api.get("/sheets/{sheet}/cells")
        def read(granted: Granted, sheet: str) -> dict[str, Any]:
            number = self.shared(granted, sheet)
            found = self.sheet(number)
            name = next(c["name"] for c in self.store.containers(self.code, granted.account_id) if c["id"] == number)
            return {"name": name, "rows": list(map(cells.worked_out, found["rows"])), "formats": found["formats"]}

        @api.put("/sheets/{sheet}/cells", status_code=204)
        def put(
            granted: Writer,
            sheet: str,
            row: Annotated[int, Body(ge=0, lt=MAX_ROW)],
            values: Annotated[dict[int, Any], Body(alias="cells")],
        ) -> None:
            self.put(self.shared(granted, sheet), row, values)

        @api.post("/sheets/{sheet}/rows", status_code=201)
        def add(
            granted: Writer,
            sheet: str,
            row: Annotated[list[Any], Body(alias="cells", embed=True)],
            before: Annotated[int | None, Body(ge=0)] = None,
        ) -> dict[str, int]:
            return {"row": self.add(self.shared(granted, sheet), row, before)}

        @api.post("/sheets/{sheet}/formats", status_code=204)
        def set_format(
            granted: Writer, sheet: str, column: Annotated[int, Body(ge=0, lt=200)], format: Annotated[str, Body()]
        ) -> None:
            self.set_format(self.shared(granted, sheet), column, format)

        @api.delete("/sheets/{sheet}/rows/{row}", status_code=204)
        def delete(granted: Writer, sheet: str, row: int) -> None:
            self.remove(self.shared(granted, sheet), row)

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]
        Number = Annotated[int, Form(ge=1, lt=MAX_ROW)]

        def done(sheet_id: int) -> Response:
            return RedirectResponse(f"/sheets/sheets/{sheet_id}", 303)

        @pages.get("/sheets/{sheet_id}")
        def sheet(request: Request, account: Signed, sheet_id: int, row: int = 0) -> Response:
            found, kept = self.own_container(account, sheet_id), self.sheet(sheet_id)
            rows = [list(map(cells.shown, cells.worked_out(one))) for one in kept["rows"]]
            width = max([len(kept["formats"]), 1, *map(len, rows)])
            return desk.show(
                request,
                "sheets/sheet.html",
                account=account,
                container=found,
                rows=[one + [""] * (width - len(one)) for one in rows],
                columns=[letters(at) for at in range(width)],
                formats=kept["formats"] + [""] * (width - len(kept["formats"])),
                all_formats=cells.FORMATS,
                shown=row,
            )

        @pages.post("/sheets/{sheet_id}/rows")
        async def add_rows(request: Request, account: Signed, sheet_id: int) -> Response:
            """Add the rows that were pasted, with tabs or semicolons between their cells."""
            self.own_container(account, sheet_id)
            text, formats = str((await request.form()).get("rows", "")), self.sheet(sheet_id)["formats"]
            for line in text.splitlines():
                parts = line.split("\t" if "\t" in line else ";")
                self.add(sheet_id, [cells.typed(part, _at(formats, n)) for n, part in enumerate(parts)])
            return done(sheet_id)

        @pages.post("/sheets/{sheet_id}/cell")
        def write(
            account: Signed, sheet_id: int, row: Number, column: Annotated[str, Form()], text: Annotated[str, Form()] = ""
        ) -> Response:
            self.own_container(account, sheet_id)
            at = _column(column)
            self.put(sheet_id, row - 1, {at: cells.typed(text, _at(self.sheet(sheet_id)["formats"], at))})
            return done(sheet_id)

        @pages.post("/sheets/{sheet_id}/insert")
        def insert(
            account: Signed, sheet_id: int, row: Annotated[int, Form(ge=0)] = 0, column: Annotated[str, Form()] = ""
        ) -> Response:
            """Insert an empty row, or an empty column."""
            self.own_container(account, sheet_id)

            def change(rows: list[cells.Row], formats: list[str]) -> None:
                if row:
                    rows.insert(row - 1, [])
                    return
                at = _column(column)
                if at < len(formats):
                    formats.insert(at, "")
                rows[:] = [cells.shifted([*one[:at], None, *one[at:]], at, 1) for one in rows]

            self.edit(sheet_id, change)
            return done(sheet_id)

        @pages.post("/sheets/{sheet_id}/remove")
        def take_out(
            account: Signed, sheet_id: int, row: Annotated[int, Form(ge=0)] = 0, column: Annotated[str, Form()] = ""
        ) -> Response:
            """Delete a row, or a column."""
            self.own_container(account, sheet_id)
            if row:
                self.remove(sheet_id, row - 1)
                return done(sheet_id)

            def change(rows: list[cells.Row], formats: list[str]) -> None:
                at = _column(column)
                del formats[at : at + 1]
                rows[:] = [cells.shifted(one[:at] + one[at + 1 :], at + 1, -1) for one in rows]

            self.edit(sheet_id, change)
            return done(sheet_id)

        @pages.post("/sheets/{sheet_id}/sort")
        def sort(account: Signed, sheet_id: int, column: Annotated[str, Form()], first: Number = 2) -> Response:
            """Sort the rows from one on by a column."""
            self.own_container(account, sheet_id)
            at = _column(column)

            def change(rows: list[cells.Row], _: list[str]) -> None:
                ranked = sorted(rows[first - 1 :], key=lambda row: cells.sort_key((cells.worked_out(row) + [None] * 30)[at]))
                rows[first - 1 :] = ranked

            self.edit(sheet_id, change)
            return done(sheet_id)

        @pages.post("/sheets/{sheet_id}/format")
        def format_column(
            account: Signed, sheet_id: int, column: Annotated[str, Form()], format: Annotated[str, Form()] = ""
        ) -> Response:
            self.own_container(account, sheet_id)
            self.set_format(sheet_id, _column(column), format)
            return done(sheet_id)

        return pages


def _column(name: str) -> int:
    """Return where a column stands; raises HTTPException for what is none."""
    found = next((at for at in range(200) if letters(at) == name.strip().upper()), None)
    if found is None:
        raise HTTPException(422, f"there is no column {name}")
    return found


def _at(formats: list[str], at: int) -> str:
    return formats[at] if at < len(formats) else ""


def _trimmed(row: cells.Row) -> cells.Row:
    """Return a row without what is empty at its end."""
    last = max((at for at, cell in enumerate(row) if cell not in (None, "")), default=-1)
    return row[: last + 1]
