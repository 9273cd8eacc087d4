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
    GoneError,
    Item,
    Page,
    PermanentError,
    RateLimitedError,
    Ref,
    Schema,
    TransientError,
)
from kelvix.core.feel import Env
from kelvix.core.operators import OPERATORS
from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.values import fold

ENV = Env(datetime(2026, 11, 23, tzinfo=UTC), ZoneInfo("UTC"))
FIELDS = (Field("name", "Name", "text"), Field("note", "Note", "long_text"))


class Toy(Collection):
    capabilities = Capabilities(
        told=frozenset(("added", "changed", "deleted")),
        told_between=True,
        operators=frozenset(OPERATORS),
        orders=True,
        keys=True,
    )
    reach = "everything"

    def __init__(self, account: str = "ada"):
        self.ref = Ref(account, "toys")
        self.items: dict[str, Item] = {}
        self.log: list[Change] = []
        self.keys: set[str] = set()
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
        return Schema(FIELDS, "1", title="name", body="note")

    def one(self, id: str) -> Item:
        self.called()
        if id not in self.items:
            raise GoneError("it is not there")
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

    # As its user would

    def note(self, id: str, kind: str, version: int) -> None:
        self.log.append(Change(id, kind, kind, version))

    def put(self, title: str) -> str:
        with self.lock:
            id = str(len(self.log) + 1)
            now = datetime.now(UTC)
            self.items[id] = Item(id, "1", {"name": title, "note": None}, title, f"toy:{id}", "toys", "Toys", now)
            self.note(id, "added", 1)
        return id

    def write(self, title: str, key: str) -> None:
        if key not in self.keys:
            self.keys.add(key)
            self.put(title)

    def change(self, id: str, text: str) -> None:
        with self.lock:
            was = self.items[id]
            version = int(was.version or 0) + 1
            self.items[id] = replace(was, version=str(version), values={**was.values, "note": text})
            self.note(id, "changed", version)

    def drop(self, id: str) -> None:
        with self.lock:
            del self.items[id]
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
        self.toy.write(title, key)

    @contextmanager
    def trouble(self, trouble) -> Iterator[None]:
        self.toy.trouble = trouble
        try:
            yield
        finally:
            self.toy.trouble = ""
