"""What every collection owes, as points that run against any of them: those of the apps that ship here, databases of ours, and
whatever a package brings.

A `Bench` does on the other side what its user would do there: it adds, changes and deletes items, and brings about the troubles
that an app can have. Each point raises `Broken` with a sentence where the collection does not keep to the port.
"""

from __future__ import annotations

import threading
import time
import tracemalloc
from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, nullcontext
from dataclasses import replace
from datetime import UTC, datetime
from secrets import token_hex
from typing import ClassVar, Literal

from kelvix.core import query as conditions
from kelvix.core.collection import (
    Change,
    Collection,
    ConflictError,
    GoneError,
    Item,
    PermanentError,
    RateLimitedError,
    TransientError,
    Unreadable,
    Write,
    WriteKind,
    Written,
    readable,
    undoing,
)
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, from_wire
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
        raise Broken("changes are claimed, and this bench can’t change an item")

    def delete(self, id: str) -> None:
        """Delete an item; asked only where deletions are told."""
        raise Broken("deletions are claimed, and this bench can’t delete an item")

    def write(self, title: str, key: str) -> None:
        """Write an item by the account's own way of writing, under an idempotency key; asked only where keys are claimed."""
        raise Broken("keys are claimed, and this bench can’t write")

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


def makes_choices(bench: Bench) -> None:
    """Give a field a choice: it is in the schema from then on, once, and an item can have it."""
    collection = bench.collection
    can = "create" in collection.capabilities.writes
    for field in [f for f in collection.schema().fields if f.adds_choices and can]:
        for key in ("made", "made again"):
            collection.make_choice(field.id, "Tremulant", key)
        now = next(f for f in collection.schema().fields if f.id == field.id)
        _require([c.name for c in now.choices].count("Tremulant") == 1, f"“Tremulant” is not a choice of “{field.name}”, once")
        item = _made(bench, "Of a new choice", {field.id: now.take("Tremulant", bench.env.zone, bench.env.order)})
        told = _named(now, item.values.get(field.id))
        _require(told in ("Tremulant", ("Tremulant",)), f"an item does not have the new choice of “{field.name}”")


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
    """Change an item to B, A, B and A: these are four changes, read one by one where they are found by comparing, and each is
    another version."""
    if "changed" not in bench.collection.capabilities.told:
        return
    collection = bench.collection
    id = bench.add("Changes")
    cursor, versions = collection.head(), [collection.one(id).version]
    found: list[Change] = []
    for text in ("B", "A", "B", "A"):
        bench.change(id, text)
        versions.append(collection.one(id).version)
        if collection.capabilities.compares:
            told, cursor = _changes(collection, cursor)
            found += told
    found += _changes(collection, cursor)[0]
    mine = [c for c in found if c.id == id and c.kind == "changed"]
    _require(len(mine) == 4, f"four changes are told as {len(mine)}")
    _require(len({c.revision for c in mine}) == 4, "two changes of one item can’t be told apart")
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
    found: list[Change] = []

    def read() -> None:
        nonlocal cursor
        some, cursor = _changes(collection, cursor)
        found.extend(some)

    between = read if collection.capabilities.compares else lambda: None
    id = bench.add("Told of")
    between()
    if "changed" in collection.capabilities.told:
        bench.change(id, "Told of again")
        between()
    if "deleted" in collection.capabilities.told:
        bench.delete(id)
    read()
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


def _made(bench: Bench, title: str, values: dict[str, Value] | None = None) -> Item:
    """Create an item by the port."""
    schema = bench.collection.schema()
    more: dict[str, Value] = {schema.title: title} if schema.title else {}
    made = bench.collection.write(Write("create", token_hex(8), values={**more, **(values or {})}))
    _require(made.happened == "created" and made.item is not None, "what was created is not told as such")
    assert made.item
    return made.item


def _examples(collection: Collection, env: Env) -> Iterator[tuple[Field, Value]]:
    """Yield the fields that can be written, each with a value that it takes."""
    for field in collection.schema().fields:
        if not field.can_write or TYPES[field.type].refers or TYPES[field.type].family == "file":
            continue
        if TYPES[field.type].has_choices:
            names = ("Reeds", "Leather, split") if field.grows else tuple(c.name for c in field.choices[:2])
            told: Value = names if TYPES[field.type].has_many else names[0]
            yield field, field.take(told, env.zone, env.order)
        else:
            raw = TYPES[field.type].example
            yield field, from_wire(raw if isinstance(raw, str | bool | list) else str(raw), field.type)


def writes_what_it_is_given(bench: Bench) -> None:
    """Every field that can be written keeps what is written to it, and is told as empty once it is cleared; the others stay."""
    collection = bench.collection
    if "create" not in collection.capabilities.writes:
        return
    examples = {f.id: value for f, value in _examples(collection, bench.env)}
    item = _made(bench, "Written whole", examples)
    _same(collection.one(item.id), item)
    for field, value in _examples(collection, bench.env):
        kept = item.values.get(field.id)
        expected = "Written whole" if field.id == collection.schema().title and field.id not in examples else value
        _require(_named(field, kept) == _named(field, expected), f"“{field.name}” keeps something else than was written")
    if "update" not in collection.capabilities.writes:
        return
    matched = collection.schema().identity == "matched"
    for field, _ in _examples(collection, bench.env):
        before = collection.one(item.id)
        others = [f for f, _ in _examples(collection, bench.env) if f.id != field.id]
        if field.required or TYPES[field.type].family == "yes_no":
            continue
        if matched and not any(before.values.get(f.id) for f in others):
            continue  # with nothing in it, it is no item
        after = collection.write(Write("update", token_hex(8), item.id, {field.id: None}, before.version)).item
        assert after
        _same(collection.one(item.id), after)
        _require(after.values.get(field.id, "not told") is None, f"“{field.name}” was cleared, and is not empty")
        stayed = all(before.values.get(f.id) == after.values.get(f.id) for f in others)
        _require(stayed, f"clearing “{field.name}” changed another field")


def _named(field: Field, value: Value | Unreadable) -> Value | Unreadable:
    """Return a value by the names of its choices: a new one has no identity of its own yet."""
    return value if isinstance(value, Unreadable) else field.named(value)


def _same(one: Item, other: Item) -> None:
    same = (one.id, one.version, one.values) == (other.id, other.version, other.values)
    _require(same, "an item is another one when it is read than when it was written")


def refuses_what_is_stale(bench: Bench) -> None:
    """Refuse to write an item that was changed since it was seen, and change nothing."""
    collection = bench.collection
    title = collection.schema().title
    if not collection.capabilities.versions or title is None:
        return
    seen = _made(bench, "Seen")
    now = collection.write(Write("update", token_hex(8), seen.id, {title: "Changed since"}, seen.version)).item
    kinds: tuple[WriteKind, ...] = ("update", "delete")
    for kind in kinds:
        values: dict[str, Value] = {title: "Lost"} if kind == "update" else {}
        try:
            collection.write(Write(kind, token_hex(8), seen.id, values, seen.version))
        except ConflictError:
            continue
        raise Broken(f"a stale {kind} is carried out")
    assert now
    _same(collection.one(seen.id), now)


def writes_once(bench: Bench) -> None:
    """Carry out once what is written twice under one key, each kind of write."""
    collection = bench.collection
    title = collection.schema().title
    if not collection.capabilities.keys or "create" not in collection.capabilities.writes or title is None:
        return
    write = Write("create", token_hex(8), values={title: "Once"})
    first, again = (collection.write(write).item for _ in range(2))
    _require(first is not None and again is not None and first.id == again.id, "one key creates two items")
    assert first
    change = Write("update", token_hex(8), first.id, {title: "Once changed"}, first.version)
    changed, again = (collection.write(change).item for _ in range(2))
    same = changed is not None and again is not None and changed.version == again.version
    _require(same, "one key changes an item twice")
    assert changed
    gone = Write("delete", token_hex(8), first.id, version=changed.version)
    told = [collection.write(gone).happened for _ in range(2)]
    _require(told[0] == "deleted" and told[1] in ("deleted", "already_gone"), "one key deletes twice")


def undoes_what_it_wrote(bench: Bench) -> None:
    """Undo what was written: the item is gone, is as it was, or is back under its own identity."""
    collection, can = bench.collection, bench.collection.capabilities
    title = collection.schema().title
    if "create" not in can.writes or title is None:
        return
    item = _made(bench, "To and fro")

    def carried_out(write: Write, before: Item) -> Written:
        done = collection.write(write)
        back = undoing(write, done, readable(before.values), can)
        if back is not None:
            collection.write(replace(back, key=token_hex(8)))
        return done

    if "update" in can.writes:
        carried_out(Write("update", token_hex(8), item.id, {title: "Fro"}, item.version), item)
        _require(collection.one(item.id).title == "To and fro", "an update that is undone is not as it was")
    if "delete" not in can.writes:
        return
    item = collection.one(item.id)
    carried_out(Write("delete", token_hex(8), item.id, version=item.version), item)
    there = _called(collection, item.id)
    if "restore" in can.writes:
        _require(there == "To and fro", "what was deleted is not back under its identity")
    else:
        _require(there is None, "what was deleted is still there")
    write = Write("create", token_hex(8), values={title: "Soon gone again"})
    made = collection.write(write)
    back = undoing(write, made, {}, can)
    assert made.item and back
    collection.write(replace(back, key=token_hex(8)))
    _require(_called(collection, made.item.id) is None, "a create that is undone is still there")


def finds_what_it_wrote(bench: Bench) -> None:
    """Find what was written and not answered, where that can be looked for; and nothing that was not written."""
    collection = bench.collection
    title, can = collection.schema().title, collection.capabilities
    if not can.looks or "create" not in can.writes or title is None:
        return
    lost = Write("create", token_hex(8), values={title: f"Unanswered {token_hex(4)}"}, at=datetime.now(UTC))
    _require(collection.look(lost) is None, "what was never written is found")
    made = collection.write(lost).item
    time.sleep(can.settles)
    found = collection.look(lost)
    same = found is not None and found.item is not None and made is not None and found.item.id == made.id
    _require(same, "what was written is not found when it is looked for")


def reads_the_same_however_it_is_asked(bench: Bench) -> None:
    """Give an item the same values one by one, together and in a list: else a mirror takes each reading for an edit."""
    collection = bench.collection
    id = bench.add("Read three ways")
    listed = next((i for page in _pages(collection, 50) for i in page if i.id == id), None)
    one, together = collection.one(id), collection.get((id,)).get(id)
    _require(together is not None and together.values == one.values, "an item has other values among several than by itself")
    _require(listed is not None and listed.values == one.values, "an item has other values in a list than by itself")


def keeps_comments(bench: Bench) -> None:
    """Keep what is said about an item in its order, under identities of its own, count it, and tell of it as of a change; a
    comment that is deleted is gone, and its identity is not given again. Under one key, a comment is added once."""
    collection = bench.collection
    if not collection.capabilities.comments:
        return
    id = bench.add("Spoken of")
    before, cursor = collection.one(id), collection.head()
    _require(before.comments == 0 and collection.comments(id) == (), "a new item has comments")
    said = [collection.comment(id, text, token_hex(8)) for text in ("One", "Two\n\nlines", "One")]
    if collection.capabilities.keys:
        key = token_hex(8)
        said += [collection.comment(id, "Once", key)]
        again = collection.comment(id, "Once", key)
        _require(again.id == said[-1].id, "a comment that is added twice under one key is there twice")
    there = collection.comments(id)
    _require([(c.id, c.text) for c in there] == [(c.id, c.text) for c in said], "comments are not there as they were added")
    _require(len({c.id for c in there}) == len(there), "two comments have one identity")
    after = collection.one(id)
    _require(after.comments == len(there), f"{len(there)} comments are counted as {after.comments}")
    _require(after.version != before.version, "an item that is spoken of has the version that it had")
    told = {c.id for c in _changes(collection, cursor)[0] if c.kind == "changed"}
    _require(id in told, "a comment is not told of")
    collection.delete_comment(id, said[0].id, token_hex(8))
    _require(
        [c.id for c in collection.comments(id)] == [c.id for c in said[1:]], "a deleted comment is there, or another is gone"
    )
    new = collection.comment(id, "New", token_hex(8))
    _require(new.id not in {c.id for c in said}, "the identity of a deleted comment is given again")


def _called(collection: Collection, id: str) -> str | None:
    """Return what an item is called, if it is there; how its absence is told is looked at elsewhere."""
    try:
        return collection.one(id).title
    except PermanentError:
        return None


POINTS: tuple[Callable[[Bench], None], ...] = (
    repeats,
    gets_what_it_lists,
    loses_nothing,
    pages_hold_each_once,
    narrows_rightly,
    orders_or_refuses,
    makes_choices,
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
    writes_what_it_is_given,
    refuses_what_is_stale,
    writes_once,
    undoes_what_it_wrote,
    finds_what_it_wrote,
    reads_the_same_however_it_is_asked,
    keeps_comments,
)
