"""The Issues connector: projects of issues, each with kinds, statuses and fields of its own, which have numbers. Issues knows
no idempotency keys: what may have been written is looked for."""

from __future__ import annotations

from decimal import Decimal
from hashlib import sha256
from typing import Any

from kelvix.connectors.commented import CommentedCollection
from kelvix.connectors.contract import Display, Event
from kelvix.connectors.listed import ListedAccount, ListedApp, Read
from kelvix.core.collection import Capabilities, Happened, Schema, Write
from kelvix.core.schema import Field
from kelvix.core.values import Choice, ItemValue, Person, Type, Value, to_wire

WORD = "Issue"
TYPES: dict[str, Type] = {"text": "text", "number": "number", "date": "date", "option": "choice"}
ABOVE = (Field("title", "Title", "text", required=True), Field("text", "Text", "long_text"))
BELOW = (
    Field("person", "Person", "person"),
    Field("number", "Number", "number", can_write=False),
    Field("project", "Project", "text", can_write=False),
    Field("comments", "Comments", "number", can_write=False),
    Field("link", "Link", "link", can_write=False),
    Field("created", "Created", "datetime", can_write=False),
    Field("created_by", "Created by", "text", can_write=False),
    Field("changed", "Changed", "datetime", can_write=False, counts=False),
    Field("changed_by", "Changed by", "text", can_write=False, counts=False),
)


class IssuesAccount(ListedAccount):
    app: Issues

    def read(self, raw: dict[str, Any]) -> Read:
        person = raw["person"]
        values: dict[str, ItemValue] = {
            "title": raw["title"],
            "text": raw["text"] or None,
            "kind": _text(raw["kind"]),
            "status": _text(raw["status"]),
            **{f"f{number}": _text(value) for number, value in raw["fields"].items()},
            "person": Person(person["name"], person["address"]).wire() if person else None,
            "number": str(raw["number"]),
            "project": raw["container_name"],
            "comments": str(raw["comments"]),
            "link": raw["link"],
            "created": raw["received"],
            "created_by": raw["created_by"],
            "changed": raw["changed"],
            "changed_by": raw["changed_by"],
        }
        return Read(raw["title"], values)


class Project(CommentedCollection):
    """The issues of a project."""

    account: IssuesAccount

    def read_schema(self) -> Schema:
        raw = self.account.call("GET", f"/projects/{self.place}")
        kind = Field("kind", "Kind", "choice", choices=_choices(raw["kinds"]))
        status = Field("status", "Status", "choice", choices=_choices(raw["statuses"]))
        own = [
            Field(
                f"f{f['id']}", f["name"], TYPES[f["type"]], choices=_choices(f["options"]), adds_choices=f["type"] == "option"
            )
            for f in raw["fields"]
        ]
        fields = (*ABOVE, kind, status, *own, *BELOW)
        return Schema(fields, sha256(repr(fields).encode()).hexdigest(), title="title", body="text")

    def carry_out(self, write: Write, schema: Schema) -> tuple[Happened, dict[str, Any] | None]:
        where = f"/issues/{write.id}"
        match write.kind:
            case "create":
                body = self._body(write, schema)
                return "created", self.account.call("POST", f"/projects/{self.place}/issues", json=body, key=write.key)
            case "update":
                return "updated", self.account.call("PATCH", where, json=self._body(write, schema), key=write.key)
        self.account.call("DELETE", where, key=write.key)
        return "deleted", None

    def make_choice(self, field: str, name: str, key: str) -> None:
        where = f"/projects/{self.place}/fields/{field.removeprefix('f')}/options"
        self.account.call("POST", where, json={"name": name}, key=key)
        self.look_anew()

    def _body(self, write: Write, schema: Schema) -> dict[str, Any]:
        body: dict[str, Any] = {}
        types = {f.id: f.type for f in schema.fields}
        for key, value in write.values.items():
            if key in ("title", "text", "person", "kind", "status"):
                body[key] = "" if key == "text" and value is None else _sent(value, types[key])
            else:
                body.setdefault("fields", {})[key.removeprefix("f")] = _sent(value, types[key])
        return body


class Issues(ListedApp):
    code, name, monogram = "issues", "Issues", "Is"
    container_word, containers_word, item_word, items_word = "project", "projects", "issue", "issues"
    title = "title"
    connects, varies, has_servers = "key", True, True
    key_help = "Open Keys in Issues, create a key for the projects that Kelvix needs, and paste it here."
    accounts, collections = IssuesAccount, Project
    capabilities = Capabilities(
        told=frozenset(("added", "changed", "left", "deleted")),
        writes=frozenset(("create", "update", "delete")),
        looks=True,
        settles=3.0,
        comments=True,
    )
    events = (
        Event("arrives", "an issue is added", ("new",)),
        Event("any_change", "an issue is added or changed", ("new", "changed", "moved", "commented")),
    )
    display = Display(
        "The issue",
        "title",
        (
            ("Project", ("project", "number")),
            ("Kind", ("kind",)),
            ("Status", ("status",)),
            ("Person", ("person",)),
            ("Created", ("created", "created_by")),
            ("Changed", ("changed", "changed_by")),
            ("Opens", ("link",)),
        ),
        ("text",),
        markdown=True,
    )
    fields = tuple(f.carried(f.id, (WORD, f.name)) for f in (*ABOVE, *BELOW))
    proposed = (("title", "Name"), ("text", "Text"), ("person", "Person"), ("link", "Issue"))
    reach = "Includes every issue now in this project, but not earlier versions or issues deleted or moved since then."


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def _choices(options: list[dict[str, Any]]) -> tuple[Choice, ...]:
    return tuple(Choice(str(o["id"]), o["name"]) for o in options)


def _sent(value: Value, type_: Type) -> Any:
    """Return a value as Issues takes it: options by their numbers."""
    if isinstance(value, Person):
        return {"name": value.name, "address": value.address}
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() else float(value)
    if type_ == "choice" and value is not None:
        return int(str(value))
    return to_wire(value)


CONNECTOR = Issues
