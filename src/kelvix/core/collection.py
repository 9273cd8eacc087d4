"""The port: the one way to whatever holds items, be it a container of an outside app or a database of ours.

An account is what a connection reaches. It has places, some of which are collections of items. A collection tells its schema,
gives items by identity or by a query, and says what changed since a cursor. It keeps nothing: what it answers depends on what
it is given, so that whoever asks decides what was taken in.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

from kelvix.core.fields import from_wire
from kelvix.core.operators import Operator
from kelvix.core.query import Query
from kelvix.core.schema import Field, Operation
from kelvix.core.values import File, Type, Unfit, Value, Wire, to_wire

LOOKED_AT, PAGES_LOOKED_AT = 100, 20  # of the newest items, where one is looked for that may have been added
CLOCKS = timedelta(seconds=30)  # by which an app's clock may differ from ours


class TransientError(Exception):
    """A failure that goes by itself: time-out, 429, 5xx, no answer. `after` is how long the app asks to wait, seconds;
    `connection` the one by which it was called, where that is known."""

    def __init__(self, sentence: str, after: float | None = None):
        super().__init__(sentence)
        self.after = after
        self.connection: int | None = None


class RateLimitedError(TransientError):
    """The app asks for fewer calls."""


class PermanentError(Exception):
    """A failure that stays until somebody does something. `about` says what it concerns."""

    def __init__(self, sentence: str, about: str = "item", connection: int | None = None):
        super().__init__(sentence)
        self.connection = connection
        self.about = about  # access: the token is refused; container: not shared or gone; item: gone


class ExpiredError(PermanentError):
    """Access that was good once has ended."""


class GoneError(PermanentError):
    """An item is certainly not there any more: deleted, or never known."""


class ConflictError(TransientError):
    """An item was changed since the writer saw it, so nothing was written: it is to be read again."""


class UnknownOutcomeError(Exception):
    """Something was sent, and nobody knows whether it was carried out: after its first byte there was a time-out, a break or a
    5xx. `after` and `connection` as with TransientError, which a write raises only where it was certainly not carried out."""

    def __init__(self, sentence: str, after: float | None = None):
        super().__init__(sentence)
        self.after = after
        self.connection: int | None = None


class AmbiguousError(UnknownOutcomeError):
    """It was looked whether something was carried out, and that can't be told: a person is asked."""


@dataclass(frozen=True)
class Ref:
    """A collection: an account, which is an app, its server and whose it is there, or this workspace itself; and a place in
    it."""

    account: str
    place: str


@dataclass(frozen=True)
class Place:
    """A place of an account that holds items. `items`: how many, where that is known; `path`: the names of what it stands
    within, from the top, and `above` their links, where they have any."""

    id: str
    name: str
    link: str
    items: int | None = None
    path: tuple[str, ...] = ()
    above: tuple[str, ...] = ()

    @property
    def full_name(self) -> str:
        return " › ".join((*self.path, self.name))


@dataclass(frozen=True)
class Health:
    """What an account answers of itself: whose it is, the places that are shared with the connection, the names of those that
    are not, whether it may be written to, and when this access ends, where that is known."""

    account: str
    places: tuple[Place, ...]
    hidden: tuple[str, ...] = ()
    may_write: bool = False
    ends: datetime | None = None


@dataclass(frozen=True)
class Schema:
    """What items of a collection have. `rows`: the fields of lists within an item, by the list's key. `revision` is the same
    as long as all this is."""

    fields: tuple[Field, ...]
    revision: str
    rows: Mapping[str, tuple[Field, ...]] = field(default_factory=dict)
    title: str | None = None  # the field by which an item is called
    body: str | None = None  # its text
    identity: Literal["given", "matched"] = "given"


@dataclass(frozen=True)
class Unreadable:
    """A value that is there, but is not of its field's type; it is never compared, and never written back."""

    why: str
    raw: Wire


Row = Mapping[str, Value | Unreadable]


@dataclass(frozen=True)
class Item:
    """An item as it was read. `values` by the ids of fields: None is empty, a field that is not there was not told. `rows`: its
    lists. `version` is another one whenever anything of it is; `place_name` as people call it; `problems`: what could not be
    read of it, in words; `arrival`: the cursor at which it came here last, where the app says; `comments`: how many it has,
    where items have comments."""

    id: str
    version: str | None
    values: Row
    title: str
    link: str
    place: str
    place_name: str
    created: datetime
    rows: Mapping[str, tuple[Row, ...]] = field(default_factory=dict)
    changed: datetime | None = None
    problems: str = ""
    arrival: str | None = None
    created_by: str = ""
    changed_by: str = ""
    comments: int | None = None


@dataclass(frozen=True)
class Comment:
    """What somebody said about an item. `id` is that of no other comment of the item, ever."""

    id: str
    text: str
    by: str
    at: datetime


@dataclass(frozen=True)
class Page:
    """Items that were asked for. `after`: what to ask with for the next page; none at the end. `exhaustive`: with those of the
    pages before, these are all."""

    items: tuple[Item, ...]
    after: str | None
    exhaustive: bool


ChangeKind = Literal["added", "changed", "moved", "deleted", "left"]


@dataclass(frozen=True)
class Change:
    """What happened to an item. `told` is the app's own word for it; `revision` tells the changes of one item apart; `before`
    and `after` are the fields that it touched, where the collection says; `origin` says who or what made it."""

    id: str
    kind: ChangeKind
    told: str
    revision: int
    at: datetime | None = None
    before: Row | None = None
    after: Row | None = None
    origin: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Changes:
    """What changed after a cursor, in its order; the cursor to go on from, which is opaque; and whether there is more at
    once."""

    changes: tuple[Change, ...]
    cursor: str
    more: bool


WriteKind = Literal["create", "update", "delete", "restore"]
Happened = Literal["created", "updated", "unchanged", "deleted", "restored", "already_gone"]


@dataclass(frozen=True)
class Write:
    """What is to become of an item. `values` by the ids of fields, empty ones too: what is not named stays. `version`: the
    one that the writer saw, of all but a create; `key`: the idempotency key; `at`: when it was first meant, where it may have
    been carried out since; `opens`: yields what a file contains that is among the values; `editor`: whose edit elsewhere is
    carried by it, where that is known."""

    kind: WriteKind
    key: str
    id: str = ""
    values: Mapping[str, Value] = field(default_factory=dict)
    version: str | None = None
    at: datetime | None = None
    opens: Callable[[File], Iterator[bytes]] | None = field(default=None, compare=False)
    editor: str = field(default="", compare=False)


@dataclass(frozen=True)
class Written:
    """What became of a write, and the item as it is now, unless it is gone."""

    happened: Happened
    item: Item | None


@dataclass(frozen=True)
class Capabilities:
    """What a collection can do; what is not claimed is not used. `told`: the kinds of change of which it tells; `told_between`:
    whether a value that was there only between two readings is told of; `compares`: whether what changed is found by
    comparing two readings, so that several changes between them are one, and none where it came back. `operators`: those
    that it answers itself; by all others it is read, and tested here. `orders`: whether it can be asked for items by a
    field's order; `keys`: whether a write under an idempotency key that it has seen is not done again. `writes`: the kinds
    of write that it takes; `versions`: whether a write of an item that was changed since it was seen is refused; `looks`:
    whether what may have been written can be looked for; `batch`: how many items it creates by one call; `settles`: for how
    many seconds after a write a query may not find it; `makes`: whether fields can be made; `comments`: whether its items have
    comments, which can be read, added and deleted, and of which it tells as of changes."""

    push: bool = False
    told: frozenset[ChangeKind] = frozenset()
    told_between: bool = False
    compares: bool = False
    operators: frozenset[Operator] = frozenset()
    orders: bool = False
    keys: bool = False
    writes: frozenset[WriteKind] = frozenset()
    versions: bool = False
    looks: bool = False
    batch: int = 1
    settles: float = 0.0
    makes: bool = False
    comments: bool = False


class Collection(ABC):
    """Items of one place. Every verb raises TransientError where a failure goes by itself, PermanentError where somebody must
    do something."""

    ref: Ref
    capabilities: Capabilities
    reach: str  # how far back a query goes, and what it cannot know, as a sentence
    why_not: str = ""  # why some kinds of write are not taken, as a sentence without its stop

    @abstractmethod
    def schema(self) -> Schema:
        """Return what its items have."""

    def look_anew(self) -> None:
        """Let the schema be read when it is asked for next, where it was remembered."""
        return None

    @abstractmethod
    def one(self, id: str) -> Item:
        """Return an item as it is now. Raises GoneError where it is certainly not there."""

    def get(self, ids: Sequence[str]) -> dict[str, Item]:
        """Return items as they are now, by id. One that is not among them is certainly not there."""
        found: dict[str, Item] = {}
        for id in ids:
            try:
                found[id] = self.one(id)
            except GoneError:
                continue
        return found

    @abstractmethod
    def query(self, query: Query) -> Page:
        """Return a page of items, the newest first where no order is asked for."""

    def has(self, item: Item) -> bool:
        """Say whether an item lies here."""
        return item.place == self.ref.place

    @abstractmethod
    def head(self) -> str:
        """Return the cursor after which only what is still to come stands."""

    @abstractmethod
    def changes(self, cursor: str) -> Changes:
        """Return what changed after a cursor, the same however often it is asked."""

    def write(self, write: Write) -> Written:
        """Carry a write out. Only the kinds that are claimed are asked for, and only fields that can be written. Raises
        ConflictError where the item was changed since, GoneError where it is not there, UnknownOutcomeError where it may have
        been carried out."""
        raise PermanentError("this can only be read", "call")

    def write_many(self, writes: Sequence[Write], key: str) -> list[Written]:
        """Create several items by one call, all or none, under one idempotency key: as many as `Capabilities.batch` at most.
        Raises as `write` does."""
        return [self.write(write) for write in writes]

    def make_field(self, name: str, type: Type, key: str) -> None:
        """Make a field that items can have; it is in the schema from then on. Raises as `write` does."""
        raise PermanentError("fields can’t be added here", "call")

    def make_choice(self, field: str, name: str, key: str) -> None:
        """Make a choice of a field that takes more (`Field.adds_choices`); it is in the schema from then on. Raises as `write`
        does."""
        raise PermanentError("choices can’t be added here", "call")

    def operations(self) -> tuple[Operation, ...]:
        """Return what else can be done to its items."""
        return ()

    def perform(self, operation: str, id: str, values: Mapping[str, Value], key: str) -> str | None:
        """Do an operation to an item: a link to what came of it, if the app gives one. Raises as `write` does."""
        raise PermanentError("this can’t be done here", "call")

    def comments(self, id: str) -> tuple[Comment, ...]:
        """Return the comments of an item, the first first. Raises GoneError."""
        return ()

    def comment(self, id: str, text: str, key: str) -> Comment:
        """Add a comment to an item. Raises as `write` does."""
        raise PermanentError("comments can’t be added here", "call")

    def delete_comment(self, id: str, comment: str, key: str) -> None:
        """Delete a comment of an item. Raises as `write` does; GoneError where it is not there."""
        raise PermanentError("comments can’t be deleted here", "call")

    def look(self, write: Write) -> Written | None:
        """Return what became of a write that was not answered; None if it was certainly not carried out. Raises
        AmbiguousError where that can't be told."""
        if write.kind == "create":
            return self._look_for_new(write)
        try:
            item = self.one(write.id)
        except GoneError:
            return Written("deleted" if write.kind == "delete" else "already_gone", None)
        if write.kind == "update" and all(item.values.get(f) == v for f, v in write.values.items()):
            return Written("updated", item)
        if item.version == write.version or write.kind != "update":
            return None
        raise AmbiguousError("it was changed by somebody else meanwhile")

    def _look_for_new(self, write: Write) -> Written | None:
        since = (write.at or datetime.now(UTC)) - CLOCKS
        alike: list[Item] = []
        after: str | None = None
        for _ in range(PAGES_LOOKED_AT):
            page = self.query(Query(limit=LOOKED_AT, after=after))
            new = [item for item in page.items if item.created >= since]
            alike += [i for i in new if all(i.values.get(f) == v for f, v in write.values.items() if v is not None)]
            after = page.after
            if after is None or len(new) < len(page.items):
                break
        else:
            raise AmbiguousError("so many were added since that it can't be found")
        if len(alike) > 1:
            raise AmbiguousError("several are alike, and one of them may be it")
        return Written("created", alike[0]) if alike else None

    def was_there(self, item: Item, cursor: str) -> bool | None:
        """Whether an item was in this place already when the cursor was its head; None where nobody can say."""
        return None


def typed(raw: Mapping[str, object], fields: Iterable[Field]) -> dict[str, Value | Unreadable]:
    """Return values as JSON brought them by the types of their fields; what was not told is left out."""
    found: dict[str, Value | Unreadable] = {}
    for one in fields:
        if one.id in raw:
            told = raw[one.id]
            plain = told if told is None or isinstance(told, str | bool | list) else repr(told)
            try:
                found[one.id] = from_wire(plain, one.type)
            except Unfit as unfit:
                found[one.id] = Unreadable(str(unfit), plain)
    return found


def wire(values: Row) -> dict[str, Wire]:
    """Return values as JSON keeps them; what could not be read stays as it came."""
    return {key: value.raw if isinstance(value, Unreadable) else to_wire(value) for key, value in values.items()}


def readable(values: Row) -> dict[str, Value]:
    """Return the values that could be read."""
    return {key: value for key, value in values.items() if not isinstance(value, Unreadable)}


def undoing(write: Write, written: Written, before: Mapping[str, Value], can: Capabilities) -> Write | None:
    """Return what takes a write back, but for its key; None where there is nothing to take back, or where that can't be done.
    `before`: the values that the item had."""
    version = written.item.version if written.item else None
    match written.happened:
        case "created" if written.item and "delete" in can.writes:
            return Write("delete", "", written.item.id, version=version)
        case "updated" if "update" in can.writes:
            return Write("update", "", write.id, {key: before.get(key) for key in write.values}, version)
        case "deleted" if "restore" in can.writes:
            return Write("restore", "", write.id)
        case "restored" if "delete" in can.writes:
            return Write("delete", "", write.id, version=version)
    return None
