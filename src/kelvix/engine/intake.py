"""Taking in pushes: proved by their signature, committed, and only then said to be accepted."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from http import HTTPStatus

from kelvix.core.not_found import NotFoundError
from kelvix.engine import metrics
from kelvix.engine.engine import Engine
from kelvix.formats import webhook_signature
from kelvix.store import usage, watches
from kelvix.store.database_server import Transaction
from kelvix.store.watches import Told

MAX_BYTES = 64 * 1024
REMEMBER = 5.0  # seconds for which a watch is taken as it was, so that a push costs one journey to the server


@dataclass(frozen=True)
class Listening:
    """A watch, as the intake knows it: what proves a push, and what it must be about."""

    workflow: int
    container: str
    kinds: tuple[str, ...]
    secret: str
    known_at: float


class Intake:
    def __init__(self, engine: Engine):
        self.engine = engine
        self._known: dict[tuple[int, int], Listening] = {}

    def _listening(self, workspace_id: int, watch_id: int, anew: bool = False) -> Listening | None:
        """Remembered for a while, so that a push costs one journey to the server."""
        known = self._known.get((workspace_id, watch_id))
        if known and not anew and time.monotonic() - known.known_at < REMEMBER:
            return known
        try:
            space = self.engine.directory.open(workspace_id)
        except NotFoundError:
            return None
        row = space.read(lambda t: watches.for_push(t, workspace_id, watch_id))
        if row is None:
            return None
        secret = self.engine.vault.open(row["push_secret"], workspace_id, f"watch/{watch_id}")
        found = Listening(row["workflow_id"], row["container"], tuple(row["kinds"].split(",")), secret, time.monotonic())
        self._known[(workspace_id, watch_id)] = found
        return found

    def _proved(
        self, workspace_id: int, watch_id: int, message_id: str, timestamp: str, signature: str, body: bytes
    ) -> Listening | None:
        """Return the watch that a push proves to be for. A secret that was changed meanwhile is looked up before refusing."""
        for anew in (False, True):
            listening = self._listening(workspace_id, watch_id, anew)
            if listening and webhook_signature.verify(listening.secret, message_id, timestamp, signature, body, time.time()):
                return listening
        return None

    def push(
        self, workspace_id: int, watch_id: int, message_id: str, timestamp: str, signature: str, body: bytes
    ) -> HTTPStatus:
        """Return what to answer. An unknown address and a wrong signature look the same from outside."""
        listening = self._proved(workspace_id, watch_id, message_id, timestamp, signature, body)
        if listening is None:
            return HTTPStatus.UNAUTHORIZED
        try:
            told = json.loads(body)
            container, kind = str(told["container"]), str(told.get("kind", "new"))
            what = Told.of(str(told["item"]), kind, int(told.get("revision", 1)), listening.kinds)
        except (ValueError, KeyError, TypeError):
            return HTTPStatus.BAD_REQUEST
        if container == listening.container and kind in listening.kinds:
            space = self.engine.directory.open(workspace_id)
            took = space.read(lambda t: watches.take_in(t, workspace_id, watch_id, container, what, "push"))
            if took == "ordered":
                took = space.transact(lambda t: watches.take_in_ordered(t, workspace_id, watch_id, container, what, "push"))
            if took == "off":
                return self._held(workspace_id, watch_id, listening, what)
            if took == "new":
                metrics.TAKEN_IN.labels("push").inc()
                self.engine.dispatch.announce(workspace_id, "ready")
        return HTTPStatus.ACCEPTED

    def _held(self, workspace_id: int, watch_id: int, listening: Listening, what: Told) -> HTTPStatus:
        """Hold a push for a workflow that is paused, or whose workspace has had its runs."""
        space = self.engine.directory.open(workspace_id)

        def work(t: Transaction) -> bool:
            if not watches.is_paused(t, workspace_id, watch_id):
                return False
            watches.hold(t, space, listening.workflow, watch_id, listening.container, [what], "push")
            return True

        try:
            if not space.transact(work):
                return HTTPStatus.GONE
        except usage.Full:
            return HTTPStatus.SERVICE_UNAVAILABLE
        self.engine.dispatch.announce(workspace_id, f"workflow:{listening.workflow}")
        return HTTPStatus.ACCEPTED
