"""The Tasks connector: lists of tasks, read and written. Each write names the version that it saw."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from hashlib import sha256
from typing import Any

from kelvix.connectors.commented import CommentedCollection
from kelvix.connectors.consented import ConsentedApp
from kelvix.connectors.contract import Display, Event
from kelvix.connectors.listed import ListedAccount, Read
from kelvix.core.collection import Capabilities, GoneError, Happened, Place, Schema, Write
from kelvix.core.schema import CarriedField, CarriedList, Field, Operation
from kelvix.core.values import Choice, ItemValue, Person, Value, to_wire

WORD = "Task"
FIELDS = (
    Field("title", "Title", "text", required=True),
    Field("notes", "Notes", "long_text"),
    Field("due", "Due", "date"),
    Field("done", "Done", "yes_no"),
    Field("person", "Person", "person"),
    Field("labels", "Labels", "labels", grows=True),
    Field("list", "List", "text", can_write=False),
    Field("area", "Area", "text", can_write=False),
    Field("link", "Link", "link", can_write=False),
    Field("number", "Number", "number", can_write=False),
    Field("comments", "Comments", "number", can_write=False),
    Field("created", "Created", "datetime", can_write=False),
    Field("created_by", "Created by", "text", can_write=False),
    Field("changed", "Changed", "datetime", can_write=False, counts=False),
    Field("changed_by", "Changed by", "text", can_write=False, counts=False),
    Field("done_at", "Done at", "datetime", can_write=False),
)
EMPTY = {"notes": "", "done": False, "labels": []}  # all others are null
SUBTASKS = (Field("title", "Title", "text", can_write=False), Field("done", "Done", "yes_no", can_write=False))


class TasksAccount(ListedAccount):
    def read(self, raw: dict[str, Any]) -> Read:
        person = raw["person"]
        values: dict[str, ItemValue] = {
            "title": raw["title"],
            "notes": raw["notes"] or None,
            "due": raw["due"],
            "done": raw["done"],
            "person": Person(person["name"], person["address"]).wire() if person else None,
            "labels": raw["labels"] or None,
            "subtasks": raw["subtasks"],
            "list": raw["container_name"],
            "area": raw["area"] or None,
            "link": raw["link"],
            "number": raw["id"],
            "comments": str(raw["comments"]),
            "created": raw["received"],
            "created_by": raw["created_by"],
            "changed": raw["changed"],
            "changed_by": raw["changed_by"],
            "done_at": raw["done_at"],
        }
        return Read(raw["title"], values)

    def make_place(self, name: str) -> Place:
        raw = self.call("POST", "/lists", json={"name": name})
        return Place(raw["id"], raw["name"], raw["link"], 0)


class TaskList(CommentedCollection):
    """A list of tasks."""

    def read_schema(self) -> Schema:
        """Return the fields of a task, with the labels that there are."""
        labels = tuple(Choice(name, name) for name in self.account.call("GET", "/labels")["labels"])
        fields = tuple(replace(f, choices=labels) if f.id == "labels" else f for f in FIELDS)
        revision = sha256(repr(fields).encode()).hexdigest()
        return replace(self.account.app.schema, fields=fields, revision=revision)

    def carry_out(self, write: Write, schema: Schema) -> tuple[Happened, dict[str, Any] | None]:
        body = {key: _sent(value, EMPTY.get(key)) for key, value in write.values.items()}
        where, more = f"/tasks/{write.id}", {"key": write.key, "version": write.version}
        if write.values.get("labels"):
            self.look_anew()  # some may be new
        match write.kind:
            case "create":
                return "created", self.account.call("POST", f"/lists/{self.place}/tasks", json=body, key=write.key)
            case "update":
                return "updated", self.account.call("PATCH", where, json=body, **more)
            case "delete":
                try:
                    self.account.call("DELETE", where, **more)
                except GoneError:
                    return "already_gone", None
                return "deleted", None
        return "restored", self.account.call("POST", f"{where}/restore", key=write.key)

    def operations(self) -> tuple[Operation, ...]:
        title = Field("title", "Subtask", "text", required=True)
        return (Operation("subtask", "add a subtask", (title,), knows_keys=True), *super().operations())

    def perform(self, operation: str, id: str, values: Mapping[str, Value], key: str) -> str | None:
        if operation != "subtask":
            return super().perform(operation, id, values, key)
        self.account.call("POST", f"/tasks/{id}/subtasks", json={"title": values.get("title")}, key=key)
        return None


class Tasks(ConsentedApp):
    code, name, monogram = "tasks", "Tasks", "Ta"
    container_word, containers_word, item_word, items_word = "list", "lists", "task", "tasks"
    makes_places = True
    title = "title"
    accounts, collections = TasksAccount, TaskList
    capabilities = Capabilities(
        push=True,
        told=frozenset(("added", "changed", "left", "deleted")),
        keys=True,
        writes=frozenset(("create", "update", "delete", "restore")),
        versions=True,
        comments=True,
    )
    events = (
        Event("arrives", "a task is added", ("new",)),
        Event("any_change", "a task is added or changed", ("new", "changed", "moved", "restored", "commented")),
    )
    display = Display(
        "The task",
        "title",
        (
            ("List", ("area", "list")),
            ("Due", ("due",)),
            ("Person", ("person",)),
            ("Labels", ("labels",)),
            ("Done", ("done",)),
            ("Created", ("created", "created_by")),
            ("Changed", ("changed", "changed_by")),
            ("Opens", ("link",)),
        ),
        ("notes",),
        markdown=True,
    )
    fields = tuple(f.carried(f.id, (WORD, f.name)) for f in FIELDS)
    lists = (CarriedList("subtasks", ("Subtasks",), tuple(CarriedField(f.id, ("Subtask", f.name), f.type) for f in SUBTASKS)),)
    proposed = (
        ("title", "Name"),
        ("notes", "Text"),
        ("due", "Due"),
        ("person", "Person"),
        ("labels", "Labels"),
        ("link", "Task"),
    )
    reach = "Includes every task now in this list, but not earlier versions or tasks deleted or moved since then."


def _sent(value: Value, empty: Any) -> Any:
    """Return a value as Tasks takes it; `empty` is what it calls empty in this field."""
    if value is None:
        return empty
    if isinstance(value, Person):
        return {"name": value.name, "address": value.address}
    return to_wire(value)


CONNECTOR = Tasks
