"""Practice Tables: registers of tables whose fields have types: choices, people, references to other tables, what is computed.
Access is by keys of different reach. It lists by cursors, takes writes for up to 25 rows at once, and tells nobody of
deletions."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
import pathlib
from base64 import urlsafe_b64decode, urlsafe_b64encode
from datetime import UTC, date, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Request, Response, UploadFile
from fastapi.responses import RedirectResponse, StreamingResponse
from pydantic import BaseModel, ConfigDict

from kelvix.core import file_name
from kelvix.core.values import whole
from kelvix.practice.contents import Contents, Kept, body_of, pieces
from kelvix.practice.faults import MONTH, Quota
from kelvix.practice.framework import Desk, OptionName, PracticeApp, with_option
from kelvix.practice.push import Pusher
from kelvix.practice.store import Access, Store
from kelvix.settings import Settings
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

BATCH = 25
PAGE = 100
MAX_BYTES = 100 << 20
MADE = ("text", "lines", "number", "day", "moment", "check", "person")  # over the API
TYPES = (*MADE, "pick", "picks", "rows", "file", "product")
FIRST: list[dict[str, Any]] = [{"id": 1, "name": "Name", "type": "text"}]


class Changed(BaseModel):
    """A row that is changed: what is not named stays."""

    model_config = ConfigDict(extra="forbid")
    id: int
    values: dict[str, Any] = {}


class Tables(PracticeApp):
    """What Tables does, for its API and its pages alike."""

    code, name, container_word, containers_word, items_word = "tables", "Tables", "table", "tables", "rows"
    holder_word = "register"
    begins_with = ("Members",)
    has_keys = True
    pushes = lists_removed = False
    quota = Quota("month", 100_000, MONTH)

    def __init__(self, store: Store, pusher: Pusher, settings: Settings):
        super().__init__(store, pusher, settings)
        self.contents = Contents(pathlib.Path(settings.data) / "practice-rows")

    # Tables

    def fields(self, table_id: int) -> list[dict[str, Any]]:
        """Return the fields of a table, each with its number. `options` of picks have numbers too; `table`: whose rows a field
        refers to; `of`: the two numbers of which one is the product."""
        found: list[dict[str, Any]] = self.store.settings(table_id).get("fields", FIRST)
        return found

    def make_field(
        self, table_id: int, name: str, type_: str, options: tuple[str, ...] = (), table: int = 0, of: tuple[int, ...] = ()
    ) -> int:
        with self.one_by_one:
            fields = self.fields(table_id)
            number: int = max(f["id"] for f in fields) + 1
            numbered = [{"id": n, "name": option} for n, option in enumerate(options, 1)]
            made = {"id": number, "name": name[:200], "type": type_, "options": numbered, "table": table, "of": list(of)}
            self.store.set_up(table_id, {"fields": [*fields, made]})
            return number

    def make_option(self, table_id: int, number: int, name: str) -> int:
        """Give a field an option: its number, that of the one with this name where there is one."""
        with self.one_by_one:
            made, fields = with_option(self.fields(table_id), number, name, "pick", "picks")
            self.store.set_up(table_id, {"fields": fields})
            return made

    # Rows

    def as_json(self, row: Row) -> dict[str, Any]:
        found = super().as_json(row)
        found.pop("had", None)
        fields = self.fields(row["container_id"])
        values = {str(f["id"]): None for f in fields} | found["values"]
        for f in fields:
            if f["type"] == "product":
                parts = [values.get(str(number)) for number in f["of"]]
                values[str(f["id"])] = parts[0] * parts[1] if all(isinstance(p, (int, float)) for p in parts) else None
        return found | {"values": values, "register": row["holder_name"] or ""}

    def add(self, table_id: int, by: str, values: dict[str, Any], at: datetime | None = None, key: bytes | None = None) -> int:
        """Add a row: its id. Raises HTTPException for what the table does not take."""
        at = at or datetime.now(UTC)
        noted = {"created_by": by, "changed_by": by, "changed": at.isoformat()}
        kept = self._checked(table_id, values)
        body = {"values": kept, "had": _digests(kept), **noted}
        return self.store.put(self.code, table_id, body, None, at, key)

    def edit(self, row: Row, by: str, values: dict[str, Any], key: bytes | None = None) -> None:
        if self.store.made_before(key) is not None:
            return
        given = self._checked(row["container_id"], values)
        noted = {"changed_by": by, "changed": datetime.now(UTC).isoformat()}

        def change(was: dict[str, Any]) -> dict[str, Any]:
            values = {k: v for k, v in (was["values"] | given).items() if v is not None}
            return was | noted | {"values": values, "had": [*was.get("had", []), *_digests(given)]}

        self.change(row["id"], "changed", change, None, key)

    def _checked(self, table_id: int, values: dict[str, Any]) -> dict[str, Any]:
        known = {str(f["id"]): f for f in self.fields(table_id)}
        for number, value in values.items():
            if number not in known or known[number]["type"] == "product":
                raise HTTPException(422, f"this table takes nothing for field {number}")
            if value is not None and not self._fits(known[number], value):
                raise HTTPException(422, f"“{known[number]['name']}” does not take this value")
        return {n: self._kept_file(**v) if v and known[n]["type"] == "file" else v for n, v in values.items()}

    def _kept_file(self, name: str, digest: str) -> dict[str, Any]:
        """Return what a row keeps of a file that was uploaded."""
        return {"name": name[:200], "size": self.contents.size(digest), "type": file_name.kind(name), "digest": digest}

    def _fits(self, field: dict[str, Any], value: Any) -> bool:
        options = {o["id"] for o in field.get("options", ())}
        match field["type"]:
            case "number":
                return isinstance(value, (int, float)) and not isinstance(value, bool)
            case "check":
                return isinstance(value, bool)
            case "day" | "moment":
                try:
                    return bool((date if field["type"] == "day" else datetime).fromisoformat(value))
                except (TypeError, ValueError):
                    return False
            case "pick":
                return value in options
            case "picks":
                return isinstance(value, list) and all(one in options for one in value)
            case "person":
                return isinstance(value, dict) and set(value) <= {"name", "address"}
            case "file":  # one that was uploaded before
                return (
                    isinstance(value, dict)
                    and set(value) == {"name", "digest"}
                    and self.contents.size(value["digest"]) is not None
                )
            case "rows":
                return isinstance(value, list) and all(self._is_of(field["table"], one) for one in value)
        return isinstance(value, str)

    def put_file(self, row: Row, by: str, number: int, name: str, content: Kept) -> None:
        """Put a file into a field of a row."""
        kept = self._kept_file(name, content.digest)
        noted = {"changed_by": by, "changed": datetime.now(UTC).isoformat()}

        def change(was: dict[str, Any]) -> dict[str, Any]:
            had = [*was.get("had", []), content.digest]
            return was | noted | {"values": was["values"] | {str(number): kept}, "had": had}

        self.change(row["id"], "changed", change)

    def file(self, row: Row, name: str, digest: str) -> StreamingResponse:
        """Return what a file contains that a row has, or had. Raises HTTPException where it never did."""
        if digest not in json.loads(row["body"]).get("had", []):
            raise HTTPException(404, "this row has no such file")
        return self.contents.download(name, digest, self.contents.size(digest) or 0)

    def _is_of(self, table_id: int, row_id: Any) -> bool:
        row = self.store.item(self.code, row_id) if isinstance(row_id, int) else None
        return row is not None and row["container_id"] == table_id

    def title(self, row: Row) -> str:
        """Return what a row is called: by its first field."""
        first = str(self.fields(row["container_id"])[0]["id"])
        return str(json.loads(row["body"])["values"].get(first) or "")

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]
        Writer = Annotated[Access, Depends(self.writing)]
        Rows = Annotated[list[dict[str, Any]], Body(alias="rows", embed=True, min_length=1, max_length=BATCH)]

        def once(granted: Access, request: Request, n: int) -> bytes | None:
            key = request.headers.get("idempotency-key")
            return digest(granted.token_digest.hex(), key, str(n)) if key else None

        def told(ids: list[int]) -> dict[str, Any]:
            return {"rows": [self.as_json(row) for id in ids if (row := self.store.item(self.code, id))]}

        @api.get("/tables/{table}/fields")
        def fields(granted: Granted, table: str) -> dict[str, Any]:
            return {"fields": self.fields(self.shared(granted, table))}

        @api.post("/tables/{table}/fields", status_code=201)
        def make_field(
            granted: Writer,
            table: str,
            name: Annotated[str, Body(min_length=1, max_length=200)],
            type: Annotated[str, Body()],
        ) -> dict[str, int]:
            if type not in MADE:
                raise HTTPException(422, f"a field of the type {type} is made on the page of the table")
            return {"id": self.make_field(self.shared(granted, table), name, type)}

        @api.post("/tables/{table}/fields/{number}/options", status_code=201)
        def option(granted: Writer, table: str, number: int, name: OptionName) -> dict[str, int]:
            return {"id": self.make_option(self.shared(granted, table), number, name)}

        @api.get("/tables/{table}/titles")
        def titles(granted: Granted, table: str) -> dict[str, Any]:
            """List what rows are called that others refer to. Their table need not be shared: only their names are told."""
            number = whole(table) or 0
            if number not in {f.get("table") for shared in granted.shared for f in self.fields(shared)} | granted.shared:
                raise HTTPException(403, "this table was not shared")
            return {"titles": [{"id": r["id"], "name": self.title(r)} for r in self.store.items(number, 1_000)]}

        @api.get("/tables/{table}/page")
        def page(granted: Granted, table: str, cursor: str = "", size: int = 20) -> dict[str, Any]:
            size = max(1, min(size, PAGE))
            try:
                before = int(urlsafe_b64decode(cursor.encode()).decode().removeprefix("row ")) if cursor else None
            except ValueError:
                raise HTTPException(422, "this is no cursor of Tables") from None
            rows = self.store.items(self.shared(granted, table), size, before)
            more = len(rows) == size
            after = urlsafe_b64encode(f"row {rows[-1]['id']}".encode()).decode() if more else None
            return {"rows": [self.as_json(r) for r in rows], "cursor": after}

        @api.post("/tables/{table}/uploads", status_code=201)
        def upload(granted: Writer, table: str, request: Request) -> dict[str, str]:
            """Take a file that rows can be given then, by the digest of its content."""
            self.shared(granted, table)
            return {"digest": self.contents.keep(body_of(request, MAX_BYTES)).digest}

        @api.get("/rows/{row_id}/files/{digest}")
        def file(granted: Granted, row_id: str, digest: str) -> StreamingResponse:
            return self.file(self.shared_item(granted, row_id), "file", digest)

        @api.post("/tables/{table}/rows", status_code=201)
        def add(granted: Writer, table: str, rows: Rows, request: Request) -> dict[str, Any]:
            number = self.shared(granted, table)
            for one in rows:  # all or none
                self._checked(number, one)
            return told([self.add(number, granted.name, one, None, once(granted, request, n)) for n, one in enumerate(rows)])

        @api.patch("/tables/{table}/rows")
        def change(granted: Writer, table: str, rows: Rows, request: Request) -> dict[str, Any]:
            changed = [Changed.model_validate(one) for one in rows]
            known = [self.shared_item(granted, str(one.id)) for one in changed]
            for n, (row, one) in enumerate(zip(known, changed, strict=True)):
                self.edit(row, granted.name, one.values, once(granted, request, n))
            return told([one.id for one in changed])

        @api.delete("/tables/{table}/rows", status_code=204)
        def delete(granted: Writer, table: str, ids: Annotated[list[int], Body(embed=True, max_length=BATCH)]) -> None:
            for row in [self.shared_item(granted, str(id)) for id in ids]:
                self.delete(row["id"], row["container_id"])

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.get("/tables/{table_id}/fields")
        def shown_fields(account: Signed, table_id: int) -> dict[str, Any]:
            self.own_container(account, table_id)
            return {"fields": self.fields(table_id)}

        @pages.post("/tables/{table_id}")
        async def new(request: Request, account: Signed, table_id: int) -> Response:
            self.own_container(account, table_id)
            self.add(table_id, account["name"], self._of_form(table_id, dict(await request.form())))
            return RedirectResponse(f"/tables/tables/{table_id}", 303)

        @pages.post("/tables/{table_id}/fields")
        def field(
            account: Signed,
            table_id: int,
            name: Annotated[str, Form(min_length=1, max_length=200)],
            type: Annotated[str, Form()],
            options: Annotated[str, Form()] = "",
            table: Annotated[int, Form()] = 0,
        ) -> Response:
            self.own_container(account, table_id)
            if type not in TYPES[:-1]:
                raise HTTPException(422, "unknown type of field")
            if type == "rows":
                self.own_container(account, table)
            self.make_field(table_id, name.strip(), type, tuple(o.strip() for o in options.split(",") if o.strip()), table)
            return RedirectResponse(f"/tables/tables/{table_id}", 303)

        @pages.post("/rows/{row_id}/files/{number}")
        def upload(account: Signed, row_id: int, number: int, file: UploadFile) -> Response:
            row, found = self.own_item(account, row_id)
            if not any(f["id"] == number and f["type"] == "file" for f in self.fields(found["id"])):
                raise HTTPException(422, "this field holds no files")
            self.put_file(row, account["name"], number, file.filename or "file", self.contents.keep(pieces(file)))
            return RedirectResponse(f"/tables/rows/{row_id}", 303)

        @pages.get("/rows/{row_id}")
        def row(request: Request, account: Signed, row_id: int) -> Response:
            row, found = self.own_item(account, row_id)
            shown = self.as_json(row)
            fields = [f | {"shown": self._shown(f, shown["values"].get(str(f["id"])))} for f in self.fields(found["id"])]
            return desk.show(
                request,
                "tables/row.html",
                account=account,
                table=found,
                tables=self.store.containers(self.code, account["id"]),
                row=shown | {"title": self.title(row)},
                fields=fields,
            )

        @pages.post("/rows/{row_id}")
        async def write(request: Request, account: Signed, row_id: int) -> Response:
            row, found = self.own_item(account, row_id)
            self.edit(row, account["name"], self._of_form(found["id"], dict(await request.form())))
            return RedirectResponse(f"/tables/rows/{row_id}", 303)

        return pages

    def _shown(self, field: dict[str, Any], value: Any) -> str:
        """Return what stands in a form: options and rows by their names."""
        names = {o["id"]: o["name"] for o in field.get("options", ())}
        if field["type"] == "rows":
            names = {r["id"]: self.title(r) for r in self.store.items(field["table"], 1_000)}
        if field["type"] == "file":
            return value["name"] if value else ""
        if isinstance(value, dict):
            return value.get("address") or value.get("name") or ""
        several = value if isinstance(value, list) else [] if value is None else [value]
        return ", ".join(str(names.get(one, one)) for one in several)

    def _of_form(self, table_id: int, form: dict[str, Any]) -> dict[str, Any]:
        """Return values as a form gives them, by `field-3`. Raises HTTPException for what is none of a field."""
        found: dict[str, Any] = {}
        for f in self.fields(table_id):
            if (text := form.get(f"field-{f['id']}")) is not None and f["type"] not in ("product", "file"):
                found[str(f["id"])] = self._typed(f, str(text).strip())
        return found

    def _typed(self, field: dict[str, Any], text: str) -> Any:
        if not text:
            return None
        names = {o["name"].casefold(): o["id"] for o in field.get("options", ())}
        if field["type"] == "rows":
            names = {self.title(r).casefold(): r["id"] for r in self.store.items(field["table"], 1_000)}
        try:
            match field["type"]:
                case "number":
                    return float(text) if "." in text else int(text)
                case "check":
                    return text.lower() in ("yes", "true", "1")
                case "pick":
                    return names[text.casefold()]
                case "picks" | "rows":
                    return [names[one.strip().casefold()] for one in text.split(",") if one.strip()]
                case "person":
                    return {"address": text} if "@" in text else {"name": text}
                case "moment":
                    return datetime.fromisoformat(text).astimezone(UTC).isoformat()
        except (KeyError, ValueError):
            raise HTTPException(422, f"“{field['name']}” does not take “{text}”") from None
        return text.replace("\r\n", "\n")


def _digests(values: dict[str, Any]) -> list[str]:
    """Return the digests of the files among values."""
    return [value["digest"] for value in values.values() if isinstance(value, dict) and "digest" in value]
