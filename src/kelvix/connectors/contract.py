"""What every connector gives. An app is added by one folder in `connectors/` that makes an `App`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import ClassVar, Literal

from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import ItemValue

Collision = Literal["number", "replace", "skip"]  # what becomes of a file whose name is taken


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


@dataclass(frozen=True)
class Container:
    """`items` is how many it holds."""

    id: str
    name: str
    items: int
    link: str


@dataclass(frozen=True)
class Sight:
    """What a connection can see, and the names of what it cannot."""

    account: str
    shared: tuple[Container, ...]
    not_shared: tuple[str, ...]
    may_send: bool = False


@dataclass(frozen=True)
class Item:
    """A source item: `values` are its carried values by key. `seq` is where its arrival stands in the feed."""

    id: str
    container: str
    container_name: str
    title: str
    link: str
    at: datetime
    values: dict[str, ItemValue]
    seq: int = 0


@dataclass(frozen=True)
class Outgoing:
    """A message to be sent, its text in both forms."""

    to: tuple[str, ...]
    subject: str
    text: str
    html: str


@dataclass(frozen=True)
class Change:
    """What happened to an item in a container: new, changed, renamed, moved (away) or gone. `revision` tells the changes of one
    item apart."""

    seq: int
    container: str
    item: str
    kind: str
    revision: int = 1


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


class App(ABC):
    """One app. Methods that call it raise TransientError or PermanentError. Words are the app's own, for the screen."""

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
    counted: ClassVar[tuple[str, str, str] | None] = None  # the key of a carried number that is told at once; one, several
    sends: ClassVar[bool] = False  # whether messages can be sent by it
    saves: ClassVar[bool] = False  # whether files can be saved in it
    proposed: ClassVar[tuple[tuple[str, str], ...]]  # carried keys of which a new database would be made, with names

    def event(self, code: str) -> Event:
        """The first, where it has none of this code."""
        return next((e for e in self.events if e.code == code), self.events[0])

    @abstractmethod
    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        """Where the person says what may be seen; `already` names the containers that are shared now; `send`: that it may send
        is asked for too."""

    @abstractmethod
    def exchange(self, redirect: str, code: str, verifier: str) -> Grant: ...

    @abstractmethod
    def look(self, token: str) -> Sight: ...

    @abstractmethod
    def newest(self, token: str, container: str, limit: int) -> list[Item]: ...

    reach: ClassVar[str]  # how far back `past` goes, and what it cannot know, as a sentence

    @abstractmethod
    def past(self, token: str, container: str, before: str | None, limit: int) -> tuple[list[Item], str | None]:
        """A page of all items that a container still has, the newest first; and what to ask with for the next, older page."""

    @abstractmethod
    def item(self, token: str, item_id: str) -> Item: ...

    @abstractmethod
    def changes(self, token: str, after: int) -> tuple[list[Change], int, bool]:
        """Changes after a cursor, the cursor to go on from, and whether there may be more at once."""

    @abstractmethod
    def head(self, token: str) -> int:
        """The cursor after which only what is still to come stands."""

    @abstractmethod
    def subscribe(self, token: str, container: str, address: str) -> tuple[str, str]:
        """Ask for pushes: the subscription's id and the secret that signs them."""

    @abstractmethod
    def unsubscribe(self, token: str, subscription: str) -> None: ...

    def send(self, token: str, message: Outgoing, key: str) -> str | None:
        """Send a message: a link to it, if the app gives one. Sent again under the same idempotency key, it goes out once."""
        raise PermanentError(f"{self.name} sends nothing", "call")

    def open(self, token: str, locator: str) -> Iterator[bytes]:
        """What a file contains that an item of this app carries, a piece at a time."""
        raise PermanentError(f"{self.name} carries no files", "call")

    def save(self, token: str, container: str, name: str, content: Iterator[bytes], collision: Collision, key: str) -> Saved:
        """Save a file. Saved again under the same idempotency key, it is there once."""
        raise PermanentError(f"{self.name} takes no files", "call")

    def make_container(self, token: str, name: str) -> Container:
        """Make a container, shared with this connection."""
        raise PermanentError(f"no {self.container_word} can be made in {self.name}", "call")

    @abstractmethod
    def container_of_link(self, link: str) -> str | None:
        """The container that a pasted link means."""

    @abstractmethod
    def item_of_link(self, link: str) -> str | None: ...
