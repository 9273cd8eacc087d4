"""The port: the one way to whatever holds items, be it a container of an outside app or a database of ours.

An account is what a connection reaches. It has places, some of which are collections of items. A collection tells its schema,
gives items by identity or by a query, and says what changed since a cursor. It keeps nothing: what it answers depends on what
it is given, so that whoever asks decides what was taken in.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from kelvix.core.fields import from_wire
from kelvix.core.operators import Operator
from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.values import Unfit, Value, Wire, to_wire


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


class GoneError(PermanentError):
    """An item is certainly not there any more: deleted, or never known."""


class UnknownOutcomeError(Exception):
    """Something was sent, and nobody knows whether it was carried out: after its first byte there was a time-out, a break or a
    5xx. `after` and `connection` as with TransientError, which a write raises only where it was certainly not carried out."""

    def __init__(self, sentence: str, after: float | None = None):
        super().__init__(sentence)
        self.after = after
        self.connection: int | None = None


@dataclass(frozen=True)
class Ref:
    """A collection: an account, which is an app, its server and whose it is there, or this workspace itself; and a place in
    it."""

    account: str
    place: str


@dataclass(frozen=True)
class Place:
    """A place of an account that holds items. `items`: how many, where that is known."""

    id: str
    name: str
    link: str
    items: int | None = None


@dataclass(frozen=True)
class Health:
    """What an account answers of itself: whose it is, the places that are shared with the connection, the names of those that
    are not, and whether it may be written to."""

    account: str
    places: tuple[Place, ...]
    hidden: tuple[str, ...] = ()
    may_write: bool = False


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
    read of it, in words; `arrival`: the cursor at which it came here last, where the app says."""

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


@dataclass(frozen=True)
class Capabilities:
    """What a collection can do; what is not claimed is not used. `told`: the kinds of change of which it tells; `told_between`:
    whether a value that was there only between two readings is told of. `operators`: those that it answers itself; by all
    others it is read, and tested here. `orders`: whether it can be asked for items by a field's order; `keys`: whether a write
    under an idempotency key that it has seen is not done again."""

    push: bool = False
    told: frozenset[ChangeKind] = frozenset()
    told_between: bool = False
    operators: frozenset[Operator] = frozenset()
    orders: bool = False
    keys: bool = False


class Collection(ABC):
    """Items of one place. Every verb raises TransientError where a failure goes by itself, PermanentError where somebody must
    do something."""

    ref: Ref
    capabilities: Capabilities
    reach: str  # how far back a query goes, and what it cannot know, as a sentence

    @abstractmethod
    def schema(self) -> Schema:
        """Return what its items have."""

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

    @abstractmethod
    def head(self) -> str:
        """Return the cursor after which only what is still to come stands."""

    @abstractmethod
    def changes(self, cursor: str) -> Changes:
        """Return what changed after a cursor, the same however often it is asked."""

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
