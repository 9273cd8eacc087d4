"""What every collection owes, as points that run against any of them: those of the apps that ship here, databases of ours, and
whatever a package brings.

A `Bench` does on the other side what its user would do there: it adds, changes and deletes items, and brings about the troubles
that an app can have. Each point raises `Broken` with a sentence where the collection does not keep to the port.
"""

from __future__ import annotations

import threading
import tracemalloc
from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, nullcontext
from dataclasses import replace
from typing import ClassVar, Literal

from kelvix.core import query as conditions
from kelvix.core.collection import (
    Change,
    Collection,
    GoneError,
    Item,
    PermanentError,
    RateLimitedError,
    TransientError,
    Unreadable,
    readable,
)
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.query import Comparison, Order, Query
from kelvix.core.schema import Field
from kelvix.core.values import Value

Trouble = Literal["limited", "failing", "refusing"]
NAMES = (
    "Rent / reeds \\\\ pipes",
    "Bellows 🎵 2026",
    "שלום עולם",
    "Café «Église»",
    'He said "no", 100%_sure',
    "x" * 255,
)
WRITERS, EACH = 4, 5  # who write at the same time, and how much
PAGES = 3  # items of a page where paging is looked at
MANY = 60  # items that are gone through where memory is measured


class Broken(AssertionError):
    """What a collection does that the port forbids."""


class Bench(ABC):
    """A collection on trial, and the hands on its other side. `other` is a collection of another account."""

    collection: Collection
    other: Collection | None = None
    env: Env
    troubles: ClassVar[frozenset[Trouble]] = frozenset()

    @abstractmethod
    def add(self, title: str) -> str:
        """Add an item: its id."""

    def called(self, name: str) -> str:
        """Return what the other side makes of a name."""
        return name

    def change(self, id: str, text: str) -> None:
        """Change an item; asked only where changes are told."""
        raise Broken("changes are claimed, and this bench cannot change an item")

    def delete(self, id: str) -> None:
        """Delete an item; asked only where deletions are told."""
        raise Broken("deletions are claimed, and this bench cannot delete an item")

    def write(self, title: str, key: str) -> None:
        """Write an item by the account's own way of writing, under an idempotency key; asked only where keys are claimed."""
        raise Broken("keys are claimed, and this bench cannot write")

    def trouble(self, trouble: Trouble) -> AbstractContextManager[None]:
        """While this lasts, the other side limits, fails, or refuses every call."""
        return nullcontext()


def _require(well: bool, sentence: str) -> None:
    if not well:
        raise Broken(sentence)


def _everything(collection: Collection, limit: int = 50) -> list[Item]:
    return [item for page in _pages(collection, limit) for item in page]


def _pages(collection: Collection, limit: int) -> Iterator[tuple[Item, ...]]:
    after: str | None = None
    while True:
        page = collection.query(Query(limit=limit, after=after))
        _require(len(page.items) <= limit, f"a page of at most {limit} has {len(page.items)} items")
        _require(page.exhaustive is (page.after is None), "a page says that it is the last, and that there is another one")
        yield page.items
        if page.after is None:
            return
        after = page.after


def _changes(collection: Collection, cursor: str) -> tuple[list[Change], str]:
    found: list[Change] = []
    more = True
    while more:
        told = collection.changes(cursor)
        _require(not told.more or told.cursor != cursor, "there is more behind a cursor that does not move")
        found, cursor, more = [*found, *told.changes], told.cursor, told.more
    return found, cursor


def _added(found: list[Change]) -> Counter[str]:
    return Counter(c.id for c in found if c.kind == "added")


# The points


def repeats(bench: Bench) -> None:
    """Ask for changes twice from one cursor, with a query and a reading between: they are the same."""
    collection = bench.collection
    cursor = collection.head()
    id = bench.add("Twice the same")
    first = collection.changes(cursor)
    collection.query(Query(limit=5))
    collection.get((id,))
    second = collection.changes(cursor)
    _require(first == second, "changes asked twice from one cursor are not the same")
    _require(_added(list(first.changes)) == {id: 1}, "what was added is not told once")


def gets_what_it_lists(bench: Bench) -> None:
    """Every item of a query is got by its id, and is the same."""
    bench.add("Listed and got")
    listed = _everything(bench.collection)
    got = bench.collection.get([item.id for item in listed])
    for item in listed:
        one = got.get(item.id)
        _require(one is not None, f"“{item.title}” is listed, and not got")
        same = one is not None and (one.version, one.values, one.title) == (item.version, item.values, item.title)
        _require(same, f"“{item.title}” is another one when it is got")


def loses_nothing(bench: Bench) -> None:
    """Under concurrent writers, a reader that goes on from cursor to cursor is told of each item once."""
    cursor = bench.collection.head()
    made: list[str] = []
    failed: list[BaseException] = []

    def write(writer: int) -> None:
        try:
            made.extend([bench.add(f"Writer {writer}, item {n}") for n in range(EACH)])
        except Exception as error:
            failed.append(error)

    writers = [threading.Thread(target=write, args=(n,)) for n in range(WRITERS)]
    for one in writers:
        one.start()
    told: list[Change] = []
    while any(one.is_alive() for one in writers):
        found, cursor = _changes(bench.collection, cursor)
        told += found
    for one in writers:
        one.join()
    found, _ = _changes(bench.collection, cursor)
    if failed:
        raise failed[0]
    _require(_added([*told, *found]) == Counter(made), "a reader beside writers was not told of each item once")


def pages_hold_each_once(bench: Bench) -> None:
    """Page by page each item is there once, also where one is added meanwhile."""
    before = {bench.add(f"Of a page {n}") for n in range(2 * PAGES)}
    seen: Counter[str] = Counter()
    for number, page in enumerate(_pages(bench.collection, PAGES)):
        seen.update(item.id for item in page)
        if number == 0:
            bench.add("Added meanwhile")
    _require(set(seen.values()) == {1}, "an item is on two pages")
    _require(before <= set(seen), "an item is on no page")


def narrows_rightly(bench: Bench) -> None:
    """Ask for items by a condition: those come of which it holds, and no other."""
    schema = bench.collection.schema()
    title = next((f for f in schema.fields if f.id == schema.title), None)
    if title is None:
        return
    for name in ("Tremulant one", "tremulant two", "Bellows"):
        bench.add(name)
    everything = _everything(bench.collection)
    for operator in TYPES[title.type].operators:
        where = Comparison(title.id, operator, title.seek("Tremulant one", bench.env.zone, bench.env.order))
        expected = {i.id for i in everything if conditions.holds(where, schema.fields, readable(i.values), bench.env)}
        asked = Query(where, limit=len(everything) + 1)
        found = {i.id for i in bench.collection.query(asked).items}
        _require(found == expected, f"“{title.name} {operator}” finds {len(found)} items where {len(expected)} are right")


def orders_or_refuses(bench: Bench) -> None:
    """Items come in the order that was asked for, or the collection says that it has none."""
    title = bench.collection.schema().title
    if title is None:
        return
    asked = Query(order=(Order(title),), limit=PAGES)
    if not bench.collection.capabilities.orders:
        try:
            bench.collection.query(asked)
        except PermanentError:
            return
        raise Broken("an order is taken that was not claimed")
    for name in ("Cedar", "Alder", "Birch", "Alder"):
        bench.add(name)
    titles: list[str] = []
    page = bench.collection.query(asked)
    while True:
        titles += [item.title.casefold() for item in page.items]
        if page.after is None:
            break
        page = bench.collection.query(replace(asked, after=page.after))
    plain = [one for one in titles if one.isascii() and one.isalpha()]
    _require(plain == sorted(plain), "items do not come in the order that was asked for")
    _require(plain.count("alder") >= 2, "an item is lost where two are the same in the order")


def says_limits(bench: Bench) -> None:
    """Where there are too many calls, that is said, with a time."""
    if "limited" not in bench.troubles:
        return
    with bench.trouble("limited"):
        try:
            for _ in range(3):
                bench.collection.head()
        except RateLimitedError as limited:
            _require(limited.after is not None, "a limit is told without a time")
            return
    raise Broken("too many calls are not told as such")


def fails_loudly(bench: Bench) -> None:
    """Where the app fails, nothing looks as if there were no items, or as if one were gone."""
    if "failing" not in bench.troubles:
        return
    collection = bench.collection
    id, cursor = bench.add("Still there"), collection.head()
    tries: tuple[Callable[[], object], ...] = (
        lambda: collection.query(Query(limit=5)),
        lambda: collection.one(id),
        lambda: collection.get((id,)),
        lambda: collection.changes(cursor),
        collection.head,
    )
    with bench.trouble("failing"):
        for one in tries:
            try:
                one()
            except TransientError:
                continue
            except PermanentError as error:
                raise Broken(f"a failure that goes by itself is told as one that stays: {error}") from None
            raise Broken("a failure looks like an answer")
    _require(id in collection.get((id,)), "what failed did not come back")


def says_access(bench: Bench) -> None:
    """Where access is refused, that is said, and no item is gone."""
    if "refusing" not in bench.troubles:
        return
    id = bench.add("Behind a door")
    with bench.trouble("refusing"):
        try:
            bench.collection.get((id,))
        except PermanentError as error:
            _require(error.about == "access" and not isinstance(error, GoneError), "refused access is told as something else")
            return
    raise Broken("refused access is not told")


def says_gone(bench: Bench) -> None:
    """Ask for what is not there any more, and for what never was: both are told as gone."""
    collection = bench.collection
    try:
        collection.one("9" * 17)
    except GoneError:
        pass
    except PermanentError as error:
        raise Broken(f"what never was is told as something else than gone: {error}") from None
    else:
        raise Broken("an item that never was is there")
    if "deleted" not in collection.capabilities.told:
        return
    id, cursor = bench.add("Soon gone"), collection.head()
    bench.delete(id)
    _require(collection.get((id,)) == {}, "a deleted item is got")
    _require(id not in {i.id for i in _everything(collection)}, "a deleted item is listed")
    found, _ = _changes(collection, cursor)
    _require([(c.id, c.kind) for c in found] == [(id, "deleted")], "a deletion is not told as one")


def keeps_accounts_apart(bench: Bench) -> None:
    """Two accounts are two collections, whatever their items are called, and none reads the other's."""
    if bench.other is None:
        return
    _require(bench.other.ref != bench.collection.ref, "two accounts have one reference")
    id = bench.add("Mine alone")
    _require(id not in {i.id for i in _everything(bench.other)}, "an item is listed in another account")
    try:
        theirs = bench.other.get((id,))
    except PermanentError:
        return
    _require(id not in theirs or theirs[id].title != "Mine alone", "an item is read by another account")


def counts_each_change(bench: Bench) -> None:
    """Change an item to B, A, B and A: these are four changes, and each is another version."""
    if "changed" not in bench.collection.capabilities.told:
        return
    collection = bench.collection
    id = bench.add("Changes")
    cursor, versions = collection.head(), [collection.one(id).version]
    for text in ("B", "A", "B", "A"):
        bench.change(id, text)
        versions.append(collection.one(id).version)
    found, _ = _changes(collection, cursor)
    mine = [c for c in found if c.id == id and c.kind == "changed"]
    _require(len(mine) == 4, f"four changes are told as {len(mine)}")
    _require(len({c.revision for c in mine}) == 4, "two changes of one item cannot be told apart")
    _require(len(set(versions)) == 5, "an item that changed has the version that it had")


def keeps_names(bench: Bench) -> None:
    """Names come as they are: with slashes, pictures, from right to left, 255 characters long."""
    for name in NAMES:
        id = bench.add(name)
        found = bench.collection.one(id)
        _require(found.title == bench.called(name), f"“{name[:40]}” is called “{found.title[:40]}”")


def keeps_to_its_schema(bench: Bench) -> None:
    """Values are of the fields that the schema has, and of their types; lists too."""
    schema = bench.collection.schema()
    id = bench.add("Of a schema")
    item = bench.collection.one(id)
    _values_fit(item.values, schema.fields)
    for key, rows in item.rows.items():
        _require(key in schema.rows, f"there is a list “{key}” that the schema does not have")
        for row in rows:
            _values_fit(row, schema.rows[key])
    title = item.values.get(schema.title or "")
    _require(schema.title is None or str(title) == item.title, "an item is not called by the field that the schema names")
    _require(bench.collection.schema().revision == schema.revision, "a schema that did not change has another revision")


def _values_fit(values: object, fields: tuple[Field, ...]) -> None:
    assert isinstance(values, dict)
    by_id = {f.id: f for f in fields}
    for key, value in values.items():
        _require(key in by_id, f"there is a value “{key}” that the schema does not have")
        of: Value | Unreadable = value
        well = of is None or isinstance(of, Unreadable) or TYPES[by_id[key].type].holds(of)
        _require(well, f"“{by_id[key].name}” has a value that is not of its type")


def begins_at_its_head(bench: Bench) -> None:
    """After the head stands only what is still to come."""
    bench.add("Before the head")
    cursor = bench.collection.head()
    told = bench.collection.changes(cursor)
    _require(not told.changes and not told.more, "changes of before are told after the head")
    id = bench.add("After the head")
    found, _ = _changes(bench.collection, cursor)
    _require(_added(found) == {id: 1}, "what was added after the head is not told")


def claims_what_it_tells(bench: Bench) -> None:
    """No kind of change is told that was not claimed."""
    collection = bench.collection
    cursor = collection.head()
    id = bench.add("Told of")
    if "changed" in collection.capabilities.told:
        bench.change(id, "Told of again")
    if "deleted" in collection.capabilities.told:
        bench.delete(id)
    found, _ = _changes(collection, cursor)
    told = {c.kind for c in found}
    _require(told <= collection.capabilities.told, f"{', '.join(sorted(told))} are told, and not all claimed")
    expected = collection.capabilities.told & {"added", "changed", "deleted"}
    _require(expected <= told, f"{', '.join(sorted(expected - told))} are claimed, and not told")


def goes_through_many(bench: Bench) -> None:
    """Go through many items: it takes the memory of a page, not of all."""
    for n in range(MANY - sum(1 for _ in _everything(bench.collection))):
        bench.add(f"Of many {n}")
    peaks: list[int] = []
    tracemalloc.start()
    try:
        for _ in _pages(bench.collection, 10):
            peaks.append(tracemalloc.get_traced_memory()[1])
            tracemalloc.reset_peak()
    finally:
        tracemalloc.stop()
    first, last = max(peaks[:2]), max(peaks[-2:])
    _require(last < 2 * first + (256 << 10), f"the last pages took {last >> 10} kB, the first {first >> 10}")


def knows_keys(bench: Bench) -> None:
    """Keep what is written twice under one key once; under another key it is there again."""
    if not bench.collection.capabilities.keys:
        return
    cursor = bench.collection.head()
    for key in ("one key", "one key", "another key"):
        bench.write("Of a key", f"{key}, {cursor}")
    added = _added(_changes(bench.collection, cursor)[0])
    _require(len(added) == 2, f"three writes under two keys made {len(added)} items")


POINTS: tuple[Callable[[Bench], None], ...] = (
    repeats,
    gets_what_it_lists,
    loses_nothing,
    pages_hold_each_once,
    narrows_rightly,
    orders_or_refuses,
    says_limits,
    fails_loudly,
    says_access,
    says_gone,
    keeps_accounts_apart,
    counts_each_change,
    keeps_names,
    keeps_to_its_schema,
    begins_at_its_head,
    claims_what_it_tells,
    goes_through_many,
    knows_keys,
)
