"""Both sides of a mirror, opened: their collections, what their matched fields are compared in, and their filters."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial

from kelvix.collections.write import Actor
from kelvix.core import query as conditions
from kelvix.core.collection import Changes, Collection, Comment, Item, Page, Schema, Write, Written, readable
from kelvix.core.mirror.document import Mirror
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.core.mirror.reconciling import Matched
from kelvix.core.mirror.translations import TRANSLATIONS, Around
from kelvix.core.query import Query, Where
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value
from kelvix.engine import file_content
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors.running import Running, Stop
from kelvix.engine.mirrors.through import Through
from kelvix.store import pairs, people
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror
from kelvix.store.records import Origin

OURS = "kelvix"  # how apps call what is written through a connection by consent
Calls = Callable[[], AbstractContextManager[None]]


class Paced(Through):
    """A place of an app, each call of which has its turn among all that use its connection."""

    def __init__(self, of: Collection, calls: Calls):
        super().__init__(of)
        self.calls = calls

    def one(self, id: str) -> Item:
        with self.calls():
            return self.of.one(id)

    def get(self, ids: Sequence[str]) -> dict[str, Item]:
        with self.calls():
            return self.of.get(ids)

    def query(self, query: Query) -> Page:
        with self.calls():
            return self.of.query(query)

    def head(self) -> str:
        with self.calls():
            return self.of.head()

    def changes(self, cursor: str) -> Changes:
        with self.calls():
            return self.of.changes(cursor)

    def write(self, write: Write) -> Written:
        with self.calls():
            return self.of.write(write)

    def comments(self, id: str) -> tuple[Comment, ...]:
        with self.calls():
            return self.of.comments(id)

    def comment(self, id: str, text: str, key: str) -> Comment:
        with self.calls():
            return self.of.comment(id, text, key)

    def delete_comment(self, id: str, comment: str, key: str) -> None:
        with self.calls():
            self.of.delete_comment(id, comment, key)

    def look(self, write: Write) -> Written | None:
        with self.calls():
            return self.of.look(write)


@dataclass(frozen=True)
class Opened:
    """A side that can be read and written. `connection`: by which it is reached; none of a database of ours. `fields`: by which
    its items are filtered and compared."""

    database: Database
    collection: Collection
    schema: Schema
    connection: int | None

    @property
    def is_ours(self) -> bool:
        return self.connection is None


def database_of(engine: Engine, space: Space, number: int) -> Database:
    """Return a database or a place by its number. Raises Stop if it was deleted."""
    found = space.read(lambda t: engine.known.load(t, space.id)).get(number)
    if found is None:
        raise Stop("A database of this mirror was deleted. Restore it from the trash, or choose another.")
    return found


def open_side(engine: Engine, space: Space, number: int, actor: Actor | None = None) -> Opened:
    """Open one side. Raises Stop, TransientError, PermanentError."""
    database = database_of(engine, space, number)
    if database.outside is None:
        source: Collection = engine.records(space, database, actor)
        return Opened(database, source, source.schema(), None)
    connection = database.outside.connection
    raw = engine.account(space, connection).collection(database.outside.place)
    with engine.pacer.calls(space, connection, True):
        schema = raw.schema()
    return Opened(database, Paced(raw, lambda: engine.pacer.calls(space, connection)), schema, connection)


def open_sides(engine: Engine, space: Space, kept: KeptMirror) -> dict[Side, Opened]:
    """Open both sides of a mirror, which writes in its own name. Raises Stop, TransientError, PermanentError."""
    actor = Actor(Origin(mirror=kept.id, called=kept.name))
    return {side: open_side(engine, space, of.database, actor) for side, of in kept.mirror.sides}


def matched(engine: Engine, space: Space, mirror: Mirror, sides: Mapping[Side, Opened], around: Around) -> tuple[Matched, ...]:
    """Return the matched fields, with what they are compared in. Raises Stop where one of them is there no more."""
    found = []
    for pair in mirror.fields:
        of = {}
        for side in SIDES:
            field = next((f for f in sides[side].schema.fields if f.id == pair.field(side)), None)
            if field is None:
                raise Stop(
                    f"A matched field is missing in {sides[side].database.name}. Choose another in Fields and rules, or "
                    "remove it."
                )
            of[side] = field
        left, right = of["left"], of["right"]
        translation = TRANSLATIONS[pair.translation]
        if translation.fits(left, right) is None:
            raise Stop(f"{left.name} and {right.name} can’t be matched any more: the type of one changed. Match them anew.")
        found.append(Matched(pair, translation.domain(left, right, pair.options, around)))
    return tuple(found)


def running(engine: Engine, space: Space, kept: KeptMirror, sides: Mapping[Side, Opened], around: Around) -> Running:
    """Return a mirror as it is carried out. Raises Stop."""
    persons = frozenset(space.read(lambda t: people.names(t, space.id)))

    def holds(side: Side, values: Mapping[FieldId, Value]) -> bool:
        where = kept.mirror.side(side).where
        return where is None or lets_in(space, where, sides[side], values)

    def is_person(side: Side, by: str) -> bool:
        return by in persons if sides[side].is_ours else by.casefold() != OURS

    return Running(
        kept.mirror,
        matched(engine, space, kept.mirror, sides, around),
        {side: sides[side].collection for side in SIDES},
        lambda side, item: holds(side, readable(item.values)),
        is_person,
        holds,
        partial(file_content.content, engine, space),
    )


def lets_in(space: Space, where: Where, side: Opened, values: Mapping[FieldId, Value]) -> bool:
    """Say whether a filter lets an item of such values in."""
    return conditions.holds(where, side.schema.fields, values, space.env(datetime.now(UTC)))


def check_accounts(space: Space, kept: KeptMirror, sides: Mapping[Side, Opened], found: tuple[int, int]) -> None:
    """See that both sides are what they were when their pairs were made. Raises Stop."""
    if kept.left_collection is None:
        return
    for side, was, now in zip(SIDES, (kept.left_collection, kept.right_collection), found, strict=True):
        if was != now and space.read(partial(pairs.items_of, mirror_id=kept.id, side=side)):
            raise Stop(
                f"{sides[side].database.name} now belongs to another account. Reconnect the one that it belonged to, or "
                "create a "
                "new mirror."
            )
