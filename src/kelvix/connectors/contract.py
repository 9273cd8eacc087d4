"""What every connector gives. An app is added by one folder in `connectors/` that makes an `App`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from datetime import datetime
from typing import ClassVar

from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import ItemValue


class Passing(Exception):
    """A failure that goes by itself: time-out, 429, 5xx, no answer. `after` is how long the app asks to wait, seconds."""

    def __init__(self, sentence: str, after: float | None = None):
        super().__init__(sentence)
        self.after = after


class Limited(Passing):
    """The app asks for fewer calls."""


class Standing(Exception):
    """A failure that stays until somebody does something. `about` says what it concerns."""

    def __init__(self, sentence: str, about: str = "item"):
        super().__init__(sentence)
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
    seq: int
    container: str
    item: str
    kind: str


@dataclass(frozen=True)
class Grant:
    """What a consent gave: the token, and for how many seconds it is good."""

    token: str
    expires_in: int | None


class App(ABC):
    """One app. Methods that call it raise Passing or Standing. Words are the app's own, for the screen."""

    code: ClassVar[str]
    name: ClassVar[str]
    monogram: ClassVar[str]
    container_word: ClassVar[str]
    containers_word: ClassVar[str]
    item_word: ClassVar[str]
    items_word: ClassVar[str]
    event_words: ClassVar[str]  # after "When"
    fields: ClassVar[tuple[CarriedField, ...]]
    lists: ClassVar[tuple[CarriedList, ...]] = ()
    sends: ClassVar[bool] = False  # whether messages can be sent by it
    proposed: ClassVar[tuple[tuple[str, str], ...]]  # carried keys of which a new database would be made, with names

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
        raise Standing(f"{self.name} sends nothing", "call")

    @abstractmethod
    def container_of_link(self, link: str) -> str | None:
        """The container that a pasted link means."""

    @abstractmethod
    def item_of_link(self, link: str) -> str | None: ...
