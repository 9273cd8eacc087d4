"""Taking in pushes: proved by their signature, committed to the journal, and only then said to be accepted."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from http import HTTPStatus

from kelvix.connectors.several import is_within
from kelvix.core.collection import Change
from kelvix.core.not_found import NotFoundError
from kelvix.engine import metrics
from kelvix.engine.dispatch import JOURNAL
from kelvix.engine.engine import Engine
from kelvix.formats import webhook_signature
from kelvix.store import consumers, journal, subscriptions
from kelvix.store.subscriptions import Subscription

MAX_BYTES = 64 * 1024
MAX_WORD = 20  # characters of what an app calls a change
REMEMBER = 5.0  # seconds for which a subscription is taken as it was, so that a push costs one journey to the server


@dataclass(frozen=True)
class Listening:
    """A subscription, as the intake knows it: what proves a push, what it must be about, and the workflows for which what
    arrives is held."""

    of: Subscription
    secret: str
    held_for: tuple[int, ...]
    known_at: float


class Intake:
    def __init__(self, engine: Engine):
        self.engine = engine
        self._known: dict[tuple[int, int], Listening] = {}

    def _listening(self, workspace_id: int, subscription_id: int, anew: bool = False) -> Listening | None:
        """Remembered for a while, so that a push costs one journey to the server."""
        known = self._known.get((workspace_id, subscription_id))
        if known and not anew and time.monotonic() - known.known_at < REMEMBER:
            return known
        try:
            space = self.engine.directory.open(workspace_id)
        except NotFoundError:
            return None
        of = space.read(lambda t: subscriptions.get(t, workspace_id, subscription_id))
        secret = space.read(lambda t: subscriptions.push_secret(t, self.engine.vault, workspace_id, subscription_id))
        if of is None or secret is None:
            return None
        held_for = space.read(lambda t: consumers.held_for(t, subscription_id))
        found = Listening(of, secret, tuple(held_for), time.monotonic())
        self._known[(workspace_id, subscription_id)] = found
        return found

    def _proved(
        self, workspace_id: int, subscription_id: int, message_id: str, timestamp: str, signature: str, body: bytes
    ) -> Listening | None:
        """Return the subscription that a push proves to be for. A secret that was changed meanwhile is looked up before
        refusing."""
        for anew in (False, True):
            listening = self._listening(workspace_id, subscription_id, anew)
            if listening and webhook_signature.verify(listening.secret, message_id, timestamp, signature, body, time.time()):
                return listening
        return None

    def push(
        self, workspace_id: int, subscription_id: int, message_id: str, timestamp: str, signature: str, body: bytes
    ) -> HTTPStatus:
        """Return what to answer. An unknown address and a wrong signature look the same from outside."""
        listening = self._proved(workspace_id, subscription_id, message_id, timestamp, signature, body)
        if listening is None:
            return HTTPStatus.UNAUTHORIZED
        try:
            told = json.loads(body)
            container, kind = str(told["container"]), str(told.get("kind", "new"))
            change = Change(str(told["item"]), "changed", kind, int(told.get("revision", 1)))
        except (ValueError, KeyError, TypeError):
            return HTTPStatus.BAD_REQUEST
        if len(kind) > MAX_WORD or not kind.isascii():
            return HTTPStatus.BAD_REQUEST
        return self._take_in(listening, change) if is_within(container, listening.of.place) else HTTPStatus.ACCEPTED

    def _take_in(self, listening: Listening, change: Change) -> HTTPStatus:
        workspace_id, of = listening.of.workspace_id, listening.of
        space = self.engine.directory.open(workspace_id)
        took = space.read(lambda t: journal.take_in(t, workspace_id, of.id, change, "push"))
        if took == "off":
            now = space.read(lambda t: subscriptions.get(t, workspace_id, of.id))
            return HTTPStatus.SERVICE_UNAVAILABLE if now is not None and now.state == "on" else HTTPStatus.GONE
        if took == "new":
            metrics.TAKEN_IN.labels("push").inc()
            held = (f"workflow:{one}" for one in listening.held_for)
            self.engine.dispatch.announce(workspace_id, f"{JOURNAL}{of.id}", *held)
        return HTTPStatus.ACCEPTED
