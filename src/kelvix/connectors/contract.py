"""What every connector gives. An app is added by one folder in `connectors/` that makes an `App`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Literal

from kelvix.core.collection import Capabilities, Collection, Health, PermanentError, Place, Schema
from kelvix.core.feel import Env
from kelvix.core.schema import CarriedField, CarriedList, Field

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
    """What a consent gave: the token, and for how many seconds it is good."""

    token: str
    expires_in: int | None


class Account(ABC):
    """What a connection reaches: whose it is at an app, and what lies there. Verbs raise TransientError where a failure goes by
    itself, PermanentError where somebody must do something."""

    app: App

    @abstractmethod
    def check(self) -> Health:
        """Ask the app whose account it is, and what is shared."""

    @abstractmethod
    def collection(self, place: str) -> Collection: ...

    @abstractmethod
    def subscribe(self, place: str, address: str) -> tuple[str, str]:
        """Ask for pushes: the subscription's id and the secret that signs them."""

    @abstractmethod
    def unsubscribe(self, subscription: str) -> None: ...

    def open(self, locator: str) -> Iterator[bytes]:
        """Return what a file contains that an item carries, a piece at a time."""
        raise PermanentError(f"{self.app.name} carries no files", "call")

    def send(self, message: Outgoing, key: str) -> str | None:
        """Send a message: a link to it, if the app gives one. Where the app claims `keys`, it goes out once however often it is
        sent under the same idempotency key. Raises UnknownOutcomeError too."""
        raise PermanentError(f"{self.app.name} sends nothing", "call")

    def save(self, place: str, name: str, content: Iterator[bytes], collision: Collision, key: str) -> Saved:
        """Save a file. Where the app claims `keys`, it is there once however often it is saved under the same idempotency key.
        Raises UnknownOutcomeError too."""
        raise PermanentError(f"{self.app.name} takes no files", "call")

    def make_place(self, name: str) -> Place:
        """Make a place, shared with this connection."""
        raise PermanentError(f"no {self.app.container_word} can be made in {self.app.name}", "call")


class App(ABC):
    """One app: its words, as the screen says them, what its items carry, and how one comes by an account of it."""

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
    proposed: ClassVar[tuple[tuple[str, str], ...]]  # carried keys of which a new database would be made, with names
    reach: ClassVar[str]  # how far back a query goes, and what it cannot know, as a sentence
    capabilities: ClassVar[Capabilities] = Capabilities()

    @cached_property
    def schema(self) -> Schema:
        """What its items have."""
        fields = tuple(map(_field, self.fields))
        rows = {one.key: tuple(map(_field, one.fields)) for one in self.lists}
        body = next((f.id for f in fields if f.id in self.display.body), None)
        return Schema(fields, self.code, rows, self.title, body)

    def event(self, code: str) -> Event:
        """Return an event by its code, or the first where no event has it."""
        return next((e for e in self.events if e.code == code), self.events[0])

    @abstractmethod
    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        """Where the person says what may be seen; `already` names the containers that are shared now; `send`: that it may send
        is asked for too."""

    @abstractmethod
    def exchange(self, redirect: str, code: str, verifier: str) -> Grant: ...

    @abstractmethod
    def account(self, token: str, identity: str, env: Env) -> Account:
        """Return what a token reaches. `identity`: whose it is, as the account last said; `env`: by which conditions are
        tested."""

    @abstractmethod
    def container_of_link(self, link: str) -> str | None:
        """Return the container that a pasted link means."""

    @abstractmethod
    def item_of_link(self, link: str) -> str | None: ...


def _field(carried: CarriedField) -> Field:
    return Field(carried.key, " › ".join(carried.name), carried.type)
