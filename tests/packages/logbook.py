"""An app that a Python package of its own brings: the books of a workshop, which are files of JSON lines in a folder. Whoever may
read the folder may connect; nothing is written to it."""

from __future__ import annotations

import json
import os
from datetime import datetime
from pathlib import Path

from kelvix.connectors.contract import Account, App, Display, Event, Grant
from kelvix.core import query as conditions
from kelvix.core.collection import (
    Capabilities,
    Change,
    Changes,
    Collection,
    GoneError,
    Health,
    Item,
    Page,
    PermanentError,
    Place,
    Ref,
    Schema,
    typed,
)
from kelvix.core.feel import Env
from kelvix.core.query import Query
from kelvix.core.schema import CarriedField

FOLDER = "LOGBOOK_FOLDER"  # the environment variable that names it


class Book(Collection):
    """One file; an entry is known by its line's number."""

    def __init__(self, account: Books, place: str):
        self.account, self.place = account, place
        self.ref = Ref(f"logbook:{account.folder}", place)
        self.capabilities, self.reach = account.app.capabilities, account.app.reach

    def schema(self) -> Schema:
        return self.account.app.schema

    def entries(self) -> list[Item]:
        try:
            text = (self.account.folder / f"{self.place}.jsonl").read_text()
        except OSError:
            raise PermanentError(f"there is no book “{self.place}” any more", "container") from None
        lines = text.split("\n")[:-1]  # what has no end yet is still being written
        return [self.item(number, json.loads(line)) for number, line in enumerate(lines, 1)]

    def item(self, number: int, raw: dict[str, str]) -> Item:
        values = typed(raw | {"book": self.place}, self.schema().fields)
        link = f"file://{self.account.folder}/{self.place}.jsonl#{number}"
        return Item(str(number), "1", values, raw["what"], link, self.place, self.place, datetime.fromisoformat(raw["at"]))

    def one(self, id: str) -> Item:
        entries = self.entries()
        if not id.isdecimal() or not 0 < int(id) <= len(entries):
            raise GoneError("this entry is not in the book")
        return entries[int(id) - 1]

    def query(self, query: Query) -> Page:
        if query.order:
            raise PermanentError("a book has its own order only", "call")
        fields, before = self.schema().fields, int(query.after or 10**9)
        found = [
            item
            for item in reversed(self.entries())
            if int(item.id) < before and conditions.holds(query.where, fields, item.values, self.account.env)
        ]
        page = tuple(found[: query.limit])
        more = len(found) > query.limit
        return Page(page, page[-1].id if more else None, not more)

    def head(self) -> str:
        return str(len(self.entries()))

    def changes(self, cursor: str) -> Changes:
        entries = self.entries()
        return Changes(tuple(Change(e.id, "added", "new", 1) for e in entries[int(cursor) :]), str(len(entries)), False)


class Books(Account):
    def __init__(self, app: Logbook, folder: str, env: Env):
        self.app, self.folder, self.env = app, Path(folder), env

    def check(self) -> Health:
        books = sorted(self.folder.glob("*.jsonl"))
        places = tuple(Place(b.stem, b.stem, f"file://{b}", len(b.read_text().splitlines())) for b in books)
        return Health(self.folder.name, places)

    def open_place(self, place: str) -> Collection:
        return Book(self, place)

    def subscribe(self, place: str, address: str) -> tuple[str, str]:
        raise PermanentError("a folder tells nobody of what is new", "call")

    def unsubscribe(self, subscription: str) -> None:
        raise PermanentError("a folder tells nobody of what is new", "call")


class Logbook(App):
    code, name, monogram = "logbook", "Logbook", "Lo"
    container_word, containers_word, item_word, items_word = "book", "books", "entry", "entries"
    events = (Event("arrives", "an entry is written", ("new",)),)
    title = "what"
    display = Display("The entry", "what", (("At", ("at",)), ("Hertz", ("hertz",))), ())
    fields = (
        CarriedField("what", ("Entry", "What"), "text"),
        CarriedField("hertz", ("Entry", "Hertz"), "number"),
        CarriedField("at", ("Entry", "At"), "datetime"),
        CarriedField("book", ("Entry", "Book"), "text"),
    )
    proposed = (("what", "Name"), ("hertz", "Hertz"))
    reach = "Logbook gives every entry of the book."
    capabilities = Capabilities(told=frozenset(("added",)))

    def __init__(self, address: str):
        """No address is needed: the folder is on this machine."""

    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        return f"{redirect}?code=here&state={state}"

    def exchange(self, redirect: str, code: str, verifier: str) -> Grant:
        return Grant(os.environ[FOLDER], None)

    def account(self, token: str, identity: str, env: Env) -> Account:
        return Books(self, token, env)

    def container_of_link(self, link: str) -> str | None:
        return Path(link.removeprefix("file://")).stem if link.startswith("file://") else None

    def item_of_link(self, link: str) -> str | None:
        return link.rpartition("#")[2] or None


CONNECTOR = Logbook
