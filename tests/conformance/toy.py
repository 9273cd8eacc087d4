"""A collection in memory that keeps to the port, and others that break it in one point each."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from kelvix.connectors.conformance import Bench
from kelvix.core import query as conditions
from kelvix.core.collection import (
    Capabilities,
    Change,
    Changes,
    Collection,
    Comment,
    ConflictError,
    GoneError,
    Item,
    Page,
    PermanentError,
    RateLimitedError,
    Ref,
    Schema,
    TransientError,
    Write,
    Written,
)
from kelvix.core.feel import Env
from kelvix.core.operators import OPERATORS
from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.values import Choice, fold

ENV = Env(datetime(2026, 11, 23, tzinfo=UTC), ZoneInfo("UTC"))
FIELDS = (Field("name", "Name", "text"), Field("note", "Note", "long_text"))


class Toy(Collection):
    capabilities = Capabilities(
        told=frozenset(("added", "changed", "deleted")),
        told_between=True,
        operators=frozenset(OPERATORS),
        orders=True,
        keys=True,
        writes=frozenset(("create", "update", "delete", "restore")),
        versions=True,
        looks=True,
        comments=True,
    )
    reach = "everything"

    def __init__(self, account: str = "ada"):
        self.ref = Ref(account, "toys")
        self.items: dict[str, Item] = {}
        self.log: list[Change] = []
        self.keys: dict[str, str] = {}
        self.bin: dict[str, Item] = {}
        self.kinds = ["Reeds"]
        self.said: dict[str, list[Comment]] = {}
        self.lock = threading.Lock()
        self.trouble = ""
        self.calls = 0

    def called(self) -> None:
        self.calls += 1
        if self.trouble == "failing":
            raise TransientError("it does not answer")
        if self.trouble == "refusing":
            raise PermanentError("the door is shut", "access")
        if self.trouble == "limited" and self.calls % 2:
            raise RateLimitedError("too many calls", 1.0)

    def schema(self) -> Schema:
        kinds = tuple(Choice(name, name) for name in self.kinds)
        kind = Field("kind", "Kind", "choice", choices=kinds, adds_choices=True)
        return Schema((*FIELDS, kind), str(len(kinds)), title="name", body="note")

    def make_choice(self, field: str, name: str, key: str) -> None:
        if name not in self.kinds:
            self.kinds.append(name)

    def one(self, id: str) -> Item:
        self.called()
        if id not in self.items:
            raise GoneError("it is missing")
        return self.items[id]

    def order(self, items: list[Item], query: Query) -> list[Item]:
        items = sorted(items, key=lambda i: -int(i.id))
        for one in reversed(query.order):
            items.sort(key=lambda i: fold(str(i.values[one.field] or "")), reverse=one.descending)
        return items

    def lets(self, query: Query, item: Item) -> bool:
        return conditions.holds(query.where, FIELDS, item.values, ENV)

    def query(self, query: Query) -> Page:
        self.called()
        with self.lock:
            found = self.order([i for i in self.items.values() if self.lets(query, i)], query)
        if query.after:
            at = json.loads(query.after)
            place = next((n for n, i in enumerate(found) if i.id == at), None)
            found = found[place + 1 :] if place is not None else [i for i in found if int(i.id) < int(at)]
        page = tuple(found[: query.limit])
        more = len(found) > query.limit
        return Page(page, json.dumps(page[-1].id) if more else None, not more)

    def head(self) -> str:
        self.called()
        return str(len(self.log))

    def changes(self, cursor: str) -> Changes:
        self.called()
        with self.lock:
            told = tuple(self.log[int(cursor) : int(cursor) + 7])
            return Changes(told, str(int(cursor) + len(told)), int(cursor) + len(told) < len(self.log))

    def known(self, key: str) -> str | None:
        return self.keys.get(key)

    def stale(self, write: Write, item: Item) -> bool:
        return item.version != write.version

    def write(self, write: Write) -> Written:
        self.called()
        known = self.known(write.key)
        if known is not None and known not in self.items:
            return Written("deleted", None)
        if known is not None:
            return Written("created" if write.kind == "create" else "updated", self.items[known])
        if write.kind == "create":
            id = self.put(str(write.values["name"]), write.values.get("note"))
            made = self.items[id]
            self.items[id] = replace(made, values={**made.values, "kind": write.values.get("kind")})
            self.keys[write.key] = id
            return Written("created", self.items[id])
        self.keys[write.key] = write.id
        if write.kind == "restore":
            self.items[write.id] = self.bin.pop(write.id)
            self.note(write.id, "added", 100)
            return Written("restored", self.items[write.id])
        if write.id not in self.items:
            return Written("already_gone", None)
        if self.stale(write, self.items[write.id]):
            del self.keys[write.key]
            raise ConflictError("it was changed")
        if write.kind == "delete":
            self.drop(write.id)
            return Written("deleted", None)
        self.set(write.id, write.values)
        return Written("updated", self.items[write.id])

    def comments(self, id: str) -> tuple[Comment, ...]:
        return tuple(self.said.get(id, ()))

    def number(self, id: str) -> str:
        """Return the identity of a comment that is added now."""
        return str(len(self.log))

    def comment(self, id: str, text: str, key: str) -> Comment:
        known = next((c for c in self.comments(id) if c.id == self.keys.get(key)), None)
        if known is not None:
            return known
        made = Comment(self.number(id), text, "ada", datetime.now(UTC))
        self.said[id] = [*self.comments(id), made]
        self.keys[key] = made.id
        self.items[id] = replace(self.items[id], comments=len(self.said[id]))
        self.set(id, {})
        return made

    def delete_comment(self, id: str, comment: str, key: str) -> None:
        self.said[id] = [c for c in self.comments(id) if c.id != comment]
        self.items[id] = replace(self.items[id], comments=len(self.said[id]))
        self.set(id, {})

    # As its user would

    def note(self, id: str, kind: str, version: int) -> None:
        self.log.append(Change(id, kind, kind, version))

    def put(self, title: str, note=None) -> str:
        with self.lock:
            id = str(len(self.log) + 1)
            now = datetime.now(UTC)
            values = {"name": title, "note": note, "kind": None}
            self.items[id] = Item(id, "1", values, title, f"toy:{id}", "toys", "Toys", now, comments=0)
            self.note(id, "added", 1)
        return id

    def put_once(self, title: str, key: str) -> None:
        if self.known(key) is None:
            self.keys[key] = self.put(title)

    def set(self, id: str, values) -> None:
        with self.lock:
            was = self.items[id]
            version = int(was.version or 0) + 1
            now = {**was.values, **values}
            self.items[id] = replace(was, version=str(version), values=now, title=str(now["name"]))
            self.note(id, "changed", version)

    def change(self, id: str, text: str) -> None:
        self.set(id, {"note": text})

    def drop(self, id: str) -> None:
        with self.lock:
            self.bin[id] = self.items.pop(id)
            self.note(id, "deleted", 99)


class ToyBench(Bench):
    troubles = frozenset(("limited", "failing", "refusing"))

    def __init__(self, kind: type[Toy] = Toy):
        self.collection = self.toy = kind()
        self.other = kind("bo")
        self.env = ENV

    def add(self, title: str) -> str:
        return self.toy.put(title)

    def change(self, id: str, text: str) -> None:
        self.toy.change(id, text)

    def delete(self, id: str) -> None:
        self.toy.drop(id)

    def write(self, title: str, key: str) -> None:
        self.toy.put_once(title, key)

    @contextmanager
    def trouble(self, trouble) -> Iterator[None]:
        self.toy.trouble = trouble
        try:
            yield
        finally:
            self.toy.trouble = ""
