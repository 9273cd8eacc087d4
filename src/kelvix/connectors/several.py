"""Several places of an account as one collection, or all that are shared with it, those to come among them: one stream, in
which each item names its place. It is chosen by their ids, one behind the other, or as `*`, and is read by what each of its
places can do."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from hashlib import sha256
from typing import TYPE_CHECKING

from kelvix.core.collection import (
    Change,
    Changes,
    Collection,
    GoneError,
    Item,
    Page,
    PermanentError,
    Place,
    Ref,
    Schema,
    Write,
    Written,
)
from kelvix.core.query import Query
from kelvix.core.schema import Field, Operation
from kelvix.core.values import FieldId, Value

if TYPE_CHECKING:
    from kelvix.connectors.contract import Account

ALL = "*"
BETWEEN = "\x1f"  # the unit separator, which no app has in the id of a place
MAX_PLACES = 50
MAX_NAMED = 3  # places by which several are called


def is_several(place: str) -> bool:
    return place == ALL or BETWEEN in place


def is_within(container: str, place: str) -> bool:
    """Say whether a container is a place, or one of several."""
    return place == ALL or container in place.split(BETWEEN)


def as_place(place: str, shared: Sequence[Place], words: str) -> Place | None:
    """Return several places as one; none where one of them is not shared. `words`: how the app calls them."""
    if place == ALL:
        return Place(ALL, f"All {words}", "", sum(p.items or 0 for p in shared))
    known = {p.id: p for p in shared}
    parts = [known.get(id) for id in place.split(BETWEEN)]
    there = [p for p in parts if p is not None]
    if len(there) < len(parts):
        return None
    names = [p.full_name for p in there]
    rest = f" and {len(names) - MAX_NAMED} more" if len(names) > MAX_NAMED else ""
    return Place(place, ", ".join(names[:MAX_NAMED]) + rest, there[0].link, sum(p.items or 0 for p in there))


class SeveralPlaces(Collection):
    """Whatever its places hold. What is added goes to one of them, so that this can’t be added to."""

    def __init__(self, account: Account, place: str):
        if account.app.has_sheets:
            raise PermanentError(f"{account.app.containers_word} are read one at a time. Choose one", "container")
        self.account, self.place = account, place
        first = account.open_place("" if place == ALL else place.split(BETWEEN)[0])
        self.ref = Ref(first.ref.account, place)
        can = first.capabilities
        self.capabilities = replace(can, writes=can.writes - {"create"}, makes=False, orders=False)
        self.reach = first.reach
        self.why_not = f"several {account.app.containers_word} can’t be added to. Choose one of them"

    @cached_property
    def parts(self) -> Mapping[str, Collection]:
        """Its places, as they are shared now."""
        if self.place != ALL:
            ids = self.place.split(BETWEEN)
        else:
            ids = [p.id for p in self.account.check().places]
        if len(ids) > MAX_PLACES:
            raise PermanentError(f"at most {MAX_PLACES} {self.account.app.containers_word} can be read as one", "container")
        return {id: self.account.open_place(id) for id in ids}

    def _of(self, id: str) -> Collection:
        """Return the place in which an item lies, also where it is none of these."""
        place = self.account.place_of_item(id)
        if place is None:
            raise GoneError(f"{self.account.app.name} has no such {self.account.app.item_word} any more")
        return self.parts.get(place) or self.account.open_place(place)

    def has(self, item: Item) -> bool:
        return item.place in self.parts

    # Reading

    @cached_property
    def _joined(self) -> tuple[Schema, Mapping[str, Mapping[FieldId, FieldId]]]:
        """What their items have together; and how fields of a place are called here whose identity is another field's in a
        place before it."""
        fields: dict[FieldId, Field] = {}
        called: dict[str, dict[FieldId, FieldId]] = {}
        each = {id: part.schema() for id, part in self.parts.items()}
        for place, schema in each.items():
            for f in schema.fields:
                known = fields.get(f.id)
                if known is None or _are_same(known, f):
                    fields[f.id] = f if known is None else _with_choices(known, f)
                else:
                    here = f"{f.id}@{place}"
                    called.setdefault(place, {})[f.id] = here
                    fields[here] = replace(f, id=here, name=f"{f.name} ({self._names.get(place, place)})")
        first = next(iter(each.values()), self.account.app.schema)
        revision = sha256("".join(one.revision for one in each.values()).encode()).hexdigest()
        return replace(first, fields=tuple(fields.values()) or first.fields, revision=revision), called

    @cached_property
    def _names(self) -> Mapping[str, str]:
        return {p.id: p.name for p in self.account.check().places}

    def schema(self) -> Schema:
        return self._joined[0]

    def look_anew(self) -> None:
        for part in self.parts.values():
            part.look_anew()
        self.__dict__.pop("_joined", None)

    def _here(self, item: Item) -> Item:
        """Return an item with its fields as they are called here."""
        called = self._joined[1].get(item.place)
        return replace(item, values={called.get(k, k): v for k, v in item.values.items()}) if called else item

    def _there(self, place: str, values: Mapping[FieldId, Value]) -> dict[FieldId, Value]:
        """Return values with their fields as a place calls them. Raises PermanentError for a field of another place."""
        called = {here: there for there, here in self._joined[1].get(place, {}).items()}
        found = {called.get(k, k): v for k, v in values.items()}
        own = {f.id for f in self._part(place).schema().fields}
        if not found.keys() <= own:
            raise PermanentError(f"a field that this line fills is in another {self.account.app.container_word}", "item")
        return found

    def one(self, id: str) -> Item:
        return self._here(self._of(id).one(id))

    def query(self, query: Query) -> Page:
        """Return a page, the newest of all places first. `after` holds how far each of them was read."""
        if query.order:
            raise PermanentError(f"several {self.account.app.containers_word} can’t be sorted together", "call")
        at: dict[str, str | None] = dict.fromkeys(self.parts, "")
        whole = True
        if query.after:
            at, whole = json.loads(query.after)
        pages = {id: self._part(id).query(replace(query, after=start or None)) for id, start in at.items() if start is not None}
        taken = dict.fromkeys(pages, 0)
        merged: list[Item] = []
        while len(merged) < query.limit:
            heads = [(page.items[taken[id]], id) for id, page in pages.items() if taken[id] < len(page.items)]
            if not heads:
                break
            item, id = max(heads, key=lambda one: one[0].created)
            merged.append(self._here(item))
            taken[id] += 1
        for id, page in pages.items():
            if taken[id] == len(page.items):
                at[id] = page.after
                whole = whole and (page.after is not None or page.exhaustive)
            elif taken[id]:
                at[id] = self._part(id).query(replace(query, limit=taken[id], after=at[id] or None)).after
        more = any(start is not None for start in at.values())
        return Page(tuple(merged), json.dumps([at, whole]) if more else None, not more and whole)

    def _part(self, id: str) -> Collection:
        return self.parts.get(id) or self.account.open_place(id)

    # What changes

    def head(self) -> str:
        if (shared := self.account.feed_head()) is not None:
            return shared
        return json.dumps({id: part.head() for id, part in self.parts.items()})

    def changes(self, cursor: str) -> Changes:
        if (told := self.account.changes_among(frozenset(self.parts), cursor)) is not None:
            return told
        heads: dict[str, str] = json.loads(cursor)
        found: list[Change] = []
        more = False
        for id, part in self.parts.items():
            if id not in heads:  # it came since: what it holds by now was there before
                heads[id] = part.head()
                continue
            told_there = part.changes(heads[id])
            found += told_there.changes
            heads[id] = told_there.cursor
            more = more or told_there.more
        return Changes(tuple(found), json.dumps(heads), more)

    def was_there(self, item: Item, cursor: str) -> bool | None:
        part = self._part(item.place)
        if self.account.feed_head() is not None:
            return part.was_there(item, cursor)
        head = json.loads(cursor).get(item.place)
        return part.was_there(item, head) if head is not None else None

    # Writing

    def write(self, write: Write) -> Written:
        if write.kind == "create":
            raise PermanentError(self.why_not, "call")
        there = self._of(write.id)
        written = there.write(replace(write, values=self._there(there.ref.place, write.values)))
        return replace(written, item=self._here(written.item)) if written.item else written

    def operations(self) -> tuple[Operation, ...]:
        return next((part.operations() for part in self.parts.values()), ())

    def perform(self, operation: str, id: str, values: Mapping[str, Value], key: str) -> str | None:
        return self._of(id).perform(operation, id, values, key)


def _are_same(one: Field, other: Field) -> bool:
    """Say whether fields of two places are one: called the same, of one type, and no choice of either is another there."""
    named = {c.id: c.name for c in one.choices}
    alike = all(named.get(c.id, c.name) == c.name for c in other.choices)
    return (one.name, one.type) == (other.name, other.type) and alike


def _with_choices(one: Field, other: Field) -> Field:
    """Return a field that several places have, with the choices of all."""
    known = {c.id for c in one.choices}
    return replace(one, choices=(*one.choices, *(c for c in other.choices if c.id not in known)))
