"""The Tables connector: tables of registers, whose fields have types of their own. Rows are listed by cursors and written under
idempotency keys. Tables tells nobody of deletions."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from hashlib import sha256
from typing import Any

from kelvix.connectors.contract import Display, Event
from kelvix.connectors.listed import MAX_PAGE, ListedAccount, ListedApp, Read, VaryingCollection
from kelvix.core.collection import Capabilities, GoneError, Happened, Item, PermanentError, Schema, Write, Written
from kelvix.core.schema import Field
from kelvix.core.values import Choice, File, ItemValue, Person, Type, Value, to_wire

WORD = "Row"
TYPES: Mapping[str, Type] = {
    "text": "text",
    "lines": "long_text",
    "number": "number",
    "day": "date",
    "moment": "datetime",
    "check": "yes_no",
    "pick": "choice",
    "picks": "labels",
    "person": "person",
    "file": "file",
    "rows": "labels",  # of rows of another table, by their names
    "product": "number",
}
OWN = (
    Field("table", "Table", "text", can_write=False),
    Field("register", "Register", "text", can_write=False),
    Field("number", "Number", "number", can_write=False),
    Field("link", "Link", "link", can_write=False),
    Field("created", "Created", "datetime", can_write=False),
    Field("created_by", "Created by", "text", can_write=False),
    Field("changed", "Changed", "datetime", can_write=False, counts=False),
    Field("changed_by", "Changed by", "text", can_write=False, counts=False),
)
MADE = ("text", "lines", "number", "day", "moment", "check", "person")  # types of fields that can be made over the API
BELOW = "#"  # between a cursor and a row of its page


class TablesAccount(ListedAccount):
    app: Tables

    def read(self, raw: dict[str, Any]) -> Read:
        values: dict[str, ItemValue] = {
            **{f"f{number}": _told(value, raw["id"]) for number, value in raw["values"].items()},
            "table": raw["container_name"],
            "register": raw["register"] or None,
            "number": raw["id"],
            "link": raw["link"],
            "created": raw["received"],
            "created_by": raw["created_by"],
            "changed": raw["changed"],
            "changed_by": raw["changed_by"],
        }
        return Read(str(raw["values"].get("1") or ""), values)

    def open(self, locator: str) -> Iterator[bytes]:
        row, _, digest = locator.partition("/")
        if not (row.isdecimal() and digest.isalnum()):
            raise PermanentError("this is not a file of Tables", "item")
        return self.content(f"{self.api}/rows/{row}/files/{digest}")


class Table(VaryingCollection):
    """The rows of a table."""

    account: TablesAccount

    def read_schema(self) -> Schema:
        raw = self.account.call("GET", f"/tables/{self.place}/fields")["fields"]
        fields = (*(self._field(f, n == 0) for n, f in enumerate(raw)), *OWN)
        return Schema(fields, sha256(repr(fields).encode()).hexdigest(), title=fields[0].id)

    def _field(self, raw: dict[str, Any], is_title: bool) -> Field:
        named = raw.get("options", [])
        if raw["type"] == "rows":
            named = self.account.call("GET", f"/tables/{raw['table']}/titles")["titles"]
        choices = tuple(Choice(str(o["id"]), o["name"]) for o in named)
        can_write = raw["type"] != "product"
        adds = raw["type"] in ("pick", "picks")
        return Field(
            f"f{raw['id']}", raw["name"], TYPES[raw["type"]], is_title, choices, can_write=can_write, adds_choices=adds
        )

    def _page(self, after: str | None, size: int) -> tuple[list[Item], str | None]:
        cursor, _, above = (after or "").partition(BELOW)
        params: dict[str, Any] = {"size": MAX_PAGE if above else size} | ({"cursor": cursor} if cursor else {})
        raw = self.account.call("GET", f"/tables/{self.place}/page", params=params)
        found = [self.item(r) for r in raw["rows"]]
        ids = [item.id for item in found]
        return found[ids.index(above) + 1 if above in ids else 0 :], raw["cursor"]

    def carry_out(self, write: Write, schema: Schema) -> tuple[Happened, dict[str, Any] | None]:
        where = f"/tables/{self.place}/rows"
        match write.kind:
            case "create":
                rows = [_row(write, schema) | self._uploaded(write)]
                return "created", _only(self.account.call("POST", where, json={"rows": rows}, key=write.key))
            case "update":
                rows = [{"id": int(write.id), "values": _row(write, schema) | self._uploaded(write)}]
                return "updated", _only(self.account.call("PATCH", where, json={"rows": rows}, key=write.key))
        try:
            self.account.call("DELETE", where, json={"ids": [int(write.id)]}, key=write.key)
        except GoneError:
            return "already_gone", None
        return "deleted", None

    def _uploaded(self, write: Write) -> dict[str, Any]:
        """Upload the files among the values, which a row is given then: what is uploaded twice is one."""
        found: dict[str, Any] = {}
        for field, value in write.values.items():
            if isinstance(value, File):
                if write.opens is None:
                    raise PermanentError(f"the content of “{value}” is not at hand", "item")
                where = f"/tables/{self.place}/uploads"
                made = self.account.call("POST", where, body=write.opens(value), key=f"{write.key}-{field}")
                found[field.removeprefix("f")] = {"name": str(value), "digest": made["digest"]}
        return found

    def write_many(self, writes: Sequence[Write], key: str) -> list[Written]:
        schema = self.schema_for(*writes)
        rows = [_row(write, schema) for write in writes]
        made = self.account.call("POST", f"/tables/{self.place}/rows", json={"rows": rows}, key=key)["rows"]
        if len(made) != len(rows):
            raise PermanentError("rows that were added were deleted since by somebody else", "item")
        return [Written("created", self.item(raw, schema)) for raw in made]

    def make_field(self, name: str, type: Type, key: str) -> None:
        word = next((word for word in MADE if TYPES[word] == type), MADE[0])
        self.account.call("POST", f"/tables/{self.place}/fields", json={"name": name, "type": word}, key=key)
        self.look_anew()

    def make_choice(self, field: str, name: str, key: str) -> None:
        where = f"/tables/{self.place}/fields/{field.removeprefix('f')}/options"
        self.account.call("POST", where, json={"name": name}, key=key)
        self.look_anew()

    def _after(self, start: str | None, item: Item) -> str:
        return f"{start or ''}{BELOW}{item.id}"


class Tables(ListedApp):
    code, name, monogram = "tables", "Tables", "Tb"
    container_word, containers_word, item_word, items_word = "table", "tables", "row", "rows"
    title = "number"
    connects, varies = "key", True
    key_help = "Open Keys in Tables, create a key for the tables that Kelvix needs, and paste it here."
    accounts, collections = TablesAccount, Table
    capabilities = Capabilities(
        told=frozenset(("added", "changed", "left")),
        keys=True,
        writes=frozenset(("create", "update", "delete")),
        makes=True,
        batch=25,
    )
    events = (
        Event("arrives", "a row is added", ("new",)),
        Event("any_change", "a row is added or changed", ("new", "changed", "moved")),
    )
    display = Display("The row", "", (), ())
    fields = tuple(f.carried(f.id, (WORD, f.name)) for f in OWN)
    proposed = ()
    reach = "Includes every row now in this table, but not earlier values or rows deleted or moved since then."


def _row(write: Write, schema: Schema) -> dict[str, Any]:
    """Return the values of a row as Tables takes them."""
    types = {f.id: f.type for f in schema.fields}
    if any(key not in types for key in write.values):
        raise PermanentError("a field that is filled is not there any more", "item")
    plain = {key: value for key, value in write.values.items() if not isinstance(value, File)}
    return {key.removeprefix("f"): _sent(value, types[key]) for key, value in plain.items()}


def _only(answer: Any) -> dict[str, Any]:
    """Return the row that was written."""
    if not answer["rows"]:
        raise GoneError("the row was deleted since")
    found: dict[str, Any] = answer["rows"][0]
    return found


def _told(value: Any, row: str) -> ItemValue:
    """Return a value as Tables tells it of a row."""
    match value:
        case {"name": str(name), "size": int(size), "type": str(kind), "digest": str(digest)}:
            return File(name, size, kind, f"{Tables.code}:{row}/{digest}").wire()
        case None | bool() | str():
            return value
        case list():
            return [str(one) for one in value] or None
        case dict():
            return Person(value.get("name", ""), value.get("address", "")).wire() or None
    return str(value)


def _sent(value: Value, type_: Type) -> Any:
    """Return a value as Tables takes it: options and rows by their numbers."""
    if isinstance(value, Person):
        return {"name": value.name, "address": value.address}
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() else float(value)
    if isinstance(value, tuple):
        return [int(str(one)) for one in value]
    if type_ == TYPES["pick"] and value is not None:
        return int(str(value))
    return to_wire(value)


CONNECTOR = Tables
