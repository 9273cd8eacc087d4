"""Calling apps no faster than they allow: who was refused for calling too often waits its turn, with all who call by the same
connection, in all workers."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Literal

from kelvix.core.collection import PermanentError, RateLimitedError, TransientError, UnknownOutcomeError
from kelvix.store import connections, pace
from kelvix.store.directory import Space

LOOK = 1.0  # seconds for which it is taken as known whose calls are kept apart
MAX_SLEEP = 0.5  # seconds that a caller waits itself
UNSAID = 2.0  # seconds, where an app refuses and does not say how long to wait


class Paced(Exception):
    """The turn of this call comes later. `own`: it was given to this caller, who need not ask again."""

    def __init__(self, after: float, own: bool):
        super().__init__(f"waiting {after:.0f} seconds: the app is limiting calls")
        self.after, self.own = after, own


Waits = Literal["briefly", "not", "long"]


class Pacer:
    def __init__(self) -> None:
        self._kept: set[tuple[int, int]] = set()
        self._failing: set[tuple[int, int]] = set()
        self._looked: dict[int, float] = {}  # by server
        self._given = threading.local()

    @contextmanager
    def turn(self, is_given: bool) -> Iterator[None]:
        """While a thread carries something that waited for its turn, let its first call that is kept apart be made at once."""
        self._given.turn = is_given
        try:
            yield
        finally:
            self._given.turn = False

    @contextmanager
    def turns(self, is_given: bool) -> Iterator[None]:
        """While a thread does something by several calls, none of which is of use without the others: where its turn was given,
        all of them are made at once, and those of others come later by as much."""
        with self.turn(is_given), self._waiting("not" if is_given else "briefly"):
            yield

    @contextmanager
    def patient(self) -> Iterator[None]:
        """While a thread does what would begin again if it was put off, let it wait for its turns itself."""
        with self._waiting("long"):
            yield

    @contextmanager
    def _waiting(self, waits: Waits) -> Iterator[None]:
        before = self._waits()
        self._given.waits = waits
        try:
            yield
        finally:
            self._given.waits = before

    def _waits(self) -> Waits:
        found: Waits = getattr(self._given, "waits", "briefly")
        return found

    def _take_turn(self) -> bool:
        taken = getattr(self._given, "turn", False)
        self._given.turn = False
        return taken

    @contextmanager
    def calls(self, space: Space, connection_id: int, has_turn: bool = False) -> Iterator[None]:
        """Around calls of an app: whether it answers is noted. Raises Paced before they are made, and what they raise."""
        key = (space.id, connection_id)
        if self._is_kept(space, key) and not has_turn and not self._take_turn():
            after, own = space.transact(lambda t: pace.turn(t, *key))
            waits = self._waits() if own else "briefly"
            if after > MAX_SLEEP and waits == "briefly":
                raise Paced(after, own)
            time.sleep(after if waits != "not" else 0)
        try:
            yield
        except RateLimitedError as limited:
            after = limited.after if limited.after is not None else UNSAID
            space.transact(lambda t: pace.refused(t, *key, after))
            self._kept.add(key)
            limited.connection = connection_id
            self._note_failing(space, key, str(limited))
            raise
        except TransientError as failure:
            failure.connection = connection_id
            self._note_failing(space, key, str(failure))
            raise
        except UnknownOutcomeError as unanswered:
            unanswered.connection = connection_id
            self._note_failing(space, key, str(unanswered))
            raise
        except PermanentError as failure:
            failure.connection = connection_id
            raise
        if key in self._failing:
            self.note_answer(space, connection_id)
        if key in self._kept:
            space.transact(lambda t: pace.went_through(t, *key))

    def hold(self, space: Space, connection_id: int, wait: float) -> None:
        """Let no call be made for so many seconds: the app said that it would refuse it."""
        space.transact(lambda t: pace.hold(t, space.id, connection_id, wait))
        self._kept.add((space.id, connection_id))

    def note_answer(self, space: Space, connection_id: int) -> bool:
        """Note that an app answered; True where it did not before."""
        self._failing.discard((space.id, connection_id))
        return space.transact(lambda t: connections.note_answer(t, space.id, connection_id))

    def _note_failing(self, space: Space, key: tuple[int, int], why: str) -> None:
        if key not in self._failing:
            self._failing.add(key)
            space.transact(lambda t: connections.note_failing(t, *key, why))

    def _is_kept(self, space: Space, key: tuple[int, int]) -> bool:
        server = id(space.server)
        if time.monotonic() - self._looked.get(server, -LOOK) >= LOOK:
            self._looked[server] = time.monotonic()
            self._kept, self._failing = space.read(lambda t: (pace.kept(t), connections.failing(t)))
        return key in self._kept
