"""What every connector gives. An app is added by one folder in `connectors/` that makes an `App`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping, Set
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Literal

from kelvix.connectors.several import SeveralPlaces, is_several
from kelvix.core.collection import Capabilities, Changes, Collection, Health, PermanentError, Place, Schema
from kelvix.core.feel import Env
from kelvix.core.schema import LINK, CarriedField, CarriedList, Field
from kelvix.core.sheets.kept import Readings

Collision = Literal["number", "replace", "skip"]  # what becomes of a file whose name is taken


@dataclass(frozen=True)
class Outgoing:
    """A message to be sent, its text in both forms."""

    to: tuple[str, ...]
    subject: str
    text: str
    html: str


@dataclass(frozen=True)
class Event:
    """What can start a workflow: `words` stand after "When", `kinds` are the changes that it means."""

    code: str
    words: str
    kinds: tuple[str, ...]


TOLD = (
    "new",
    "changed",
    "renamed",
    "moved",
    "restored",
    "commented",
    "unsure",
    "gone",
)  # all words by which apps tell of changes


@dataclass(frozen=True)
class Display:
    """How an item is shown as itself, by keys of carried values: `heading` stands largest, `particulars` beside their labels
    above it or below, `body` is its text, `markdown` says that this is set as such."""

    word: str  # "The message"
    heading: str
    particulars: tuple[tuple[str, tuple[str, ...]], ...]
    body: tuple[str, ...]
    markdown: bool = False


@dataclass(frozen=True)
class Saved:
    """A file that was saved, and whether it was added, replaced one, or one was there."""

    id: str
    name: str
    link: str
    happened: Literal["added", "replaced", "there"]


@dataclass(frozen=True)
class Grant:
    """What a consent gave: the token, for how many seconds it is good, and what renews it before it ends, if the app has
    that."""

    token: str
    expires_in: int | None
    refresh: str | None = None


class Account(ABC):
    """What a connection reaches: whose it is at an app, and what lies there. Verbs raise TransientError where a failure goes by
    itself, PermanentError where somebody must do something."""

    app: App
    readings: Readings  # of its sheets; whoever opens it gives them, where `App.has_sheets`
    called: Callable[[Mapping[str, str]], None] | None = None  # is told of each call, with the headers of its answer

    @abstractmethod
    def check(self) -> Health:
        """Ask the app whose account it is, and what is shared."""

    @abstractmethod
    def open_place(self, place: str) -> Collection:
        """Return one place."""

    def collection(self, place: str) -> Collection:
        """Return a place, or several as one."""
        return SeveralPlaces(self, place) if is_several(place) else self.open_place(place)

    def feed_head(self) -> str | None:
        """Return the cursor of all places together, where the app tells of them in one feed."""
        return None

    def changes_among(self, places: frozenset[str], cursor: str) -> Changes | None:
        """Return what changed in some places after such a cursor."""
        return None

    def place_of_item(self, id: str) -> str | None:
        """Return the place in which an item lies; None where that can't be told. Raises PermanentError where it is not
        shared."""
        return None

    @abstractmethod
    def subscribe(self, place: str, address: str) -> tuple[str, str]:
        """Ask for pushes of a place, or of several (connectors/several.py); who asks sorts out what is of another. The
        subscription's id and the secret that signs them."""

    @abstractmethod
    def unsubscribe(self, subscription: str) -> None: ...

    def open(self, locator: str) -> Iterator[bytes]:
        """Return what a file contains that an item carries, a piece at a time."""
        raise PermanentError(f"{self.app.name} has no files", "call")

    def send(self, message: Outgoing, key: str) -> str | None:
        """Send a message: a link to it, if the app gives one. Where the app claims `keys`, it goes out once however often it is
        sent under the same idempotency key. Raises UnknownOutcomeError too."""
        raise PermanentError(f"{self.app.name} can’t send", "call")

    def save(self, place: str, name: str, content: Iterator[bytes], collision: Collision, key: str) -> Saved:
        """Save a file. Where the app claims `keys`, it is there once however often it is saved under the same idempotency key.
        Raises UnknownOutcomeError too."""
        raise PermanentError(f"{self.app.name} can’t save files", "call")

    def make_place(self, name: str) -> Place:
        """Make a place, shared with this connection."""
        raise PermanentError(f"{self.app.name} can’t create a {self.app.container_word}", "call")


class App(ABC):
    """One app: its words, as the screen says them, what its items carry, and how one comes by an account of it."""

    address: str = ""  # of its usual server
    code: ClassVar[str]
    name: ClassVar[str]
    monogram: ClassVar[str]
    container_word: ClassVar[str]
    containers_word: ClassVar[str]
    item_word: ClassVar[str]
    items_word: ClassVar[str]
    events: ClassVar[tuple[Event, ...]]  # the first is what one usually wants
    display: ClassVar[Display]
    fields: ClassVar[tuple[CarriedField, ...]]
    lists: ClassVar[tuple[CarriedList, ...]] = ()
    title: ClassVar[str]  # the key of the field by which an item is called
    counted: ClassVar[tuple[str, str, str] | None] = None  # the key of a carried number that is told at once; one, several
    sends: ClassVar[bool] = False  # whether messages can be sent by it
    saves: ClassVar[bool] = False  # whether files can be saved in it
    makes_places: ClassVar[bool] = False  # whether places can be made in it
    proposed: ClassVar[tuple[tuple[str, str], ...]]  # carried keys of which a new database would be made, with names
    reach: ClassVar[str]  # how far back a query goes, and what it cannot know, as a sentence
    capabilities: ClassVar[Capabilities] = Capabilities()
    connects: ClassVar[Literal["consent", "key"]] = "consent"  # by its consent window, or by a key that is pasted
    has_servers: ClassVar[bool] = False  # whether it runs on several, so that an address is told with the key
    key_help: ClassVar[str] = ""  # where its user finds or makes a key, as a sentence
    varies: ClassVar[bool] = False  # whether each of its places has fields of its own
    has_sheets: ClassVar[bool] = False  # whether places are sheets, whose rows have no identity (connectors/sheet.py)

    @cached_property
    def schema(self) -> Schema:
        """What its items have."""
        fields = tuple(map(_field, self.fields))
        rows = {one.key: tuple(map(_field, one.fields)) for one in self.lists}
        body = next((f.id for f in fields if f.id in self.display.body), None)
        return Schema(fields, self.code, rows, self.title, body)

    @cached_property
    def all_events(self) -> tuple[Event, ...]:
        """Its own events, and those that any app has whose items can be compared with what they were."""
        one = f"{'an' if self.item_word[0] in 'aeiou' else 'a'} {self.item_word}"
        told = self.capabilities.told
        of_any = (
            ("changed", f"{one} changes", "changed" in told),
            ("reached", f"a field of {one} reaches a value", "changed" in told),
            ("came", f"{one} is moved here", "left" in told),
            ("left", f"{one} is moved away", "left" in told),
            ("removed", f"{one} is removed", bool(told)),
        )
        return (*self.events, *(Event(code, words, TOLD) for code, words, has in of_any if has))

    def event(self, code: str) -> Event:
        """Return an event by its code, or the first where no event has it."""
        return next((e for e in self.all_events if e.code == code), self.events[0])

    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        """Where the person says what may be seen; `already` names the containers that are shared now; `send`: that it may send
        is asked for too."""
        raise PermanentError(f"{self.name} is connected by a key", "call")

    def exchange(self, redirect: str, code: str, verifier: str) -> Grant:
        """Take what the consent window gave."""
        raise PermanentError(f"{self.name} is connected by a key", "call")

    def renew(self, refresh: str) -> Grant:
        """Renew access. Raises PermanentError where the app refuses that."""
        raise PermanentError(f"{self.name} doesn’t renew access by itself", "access")

    def at(self, server: str | None, reachable: Set[str] = frozenset()) -> App:
        """Return the app on a server that somebody named, itself where none is; `reachable`: hosts of private networks that are
        let through, as name:port."""
        return self

    @abstractmethod
    def account(self, token: str, identity: str, env: Env) -> Account:
        """Return what a token reaches. `identity`: whose it is, as the account last said; `env`: by which conditions are
        tested."""

    @abstractmethod
    def container_of_link(self, link: str) -> str | None:
        """Return the container that a pasted link means."""

    @abstractmethod
    def item_of_link(self, link: str) -> str | None: ...


# What every item has of its own, beside the fields that its app gives it, unless these are among them.
OWN_DATA = (
    Field(LINK, "Link", "link", can_write=False, counts=False),
    Field("place", "Place", "text", can_write=False, counts=False),
    Field("created", "Created", "datetime", can_write=False, counts=False),
    Field("changed", "Changed", "datetime", can_write=False, counts=False),
)


def _field(carried: CarriedField) -> Field:
    return Field(carried.key, " › ".join(carried.name), carried.type, can_write=False)
