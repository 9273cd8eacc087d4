"""Taking in pushes: proved by their signature, committed, and only then said to be accepted."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from http import HTTPStatus

from kelvix.engine.engine import Engine
from kelvix.formats import webhook_signature
from kelvix.store import watches

MOST_BYTES = 64 * 1024
REMEMBER = 5.0  # seconds for which a watch is taken as it was, so that a push costs one journey to the server


@dataclass(frozen=True)
class Listening:
    """A watch, as the intake knows it."""

    workspace_id: int
    workflow_id: int
    version_id: int
    container: str
    on: bool
    secret: str | None
    known_at: float


class Intake:
    def __init__(self, engine: Engine):
        self.engine = engine
        self._known: dict[int, Listening] = {}

    def forget(self, watch_id: int) -> None:
        self._known.pop(watch_id, None)

    def _listening(self, workspace_id: int, watch_id: int) -> Listening | None:
        known = self._known.get(watch_id)
        if known and known.workspace_id == workspace_id and time.monotonic() - known.known_at < REMEMBER:
            return known
        try:
            space = self.engine.directory.open(workspace_id)
        except LookupError:
            return None
        row = space.read(lambda t: watches.for_push(t, watch_id))
        if row is None or row["workspace_id"] != workspace_id:
            return None
        secret = self.engine.vault.open(row["push_secret"], workspace_id, f"watch/{watch_id}") if row["push_secret"] else None
        found = Listening(
            workspace_id,
            row["workflow_id"],
            row["version_id"],
            row["container"],
            row["state"] == "on",
            secret,
            time.monotonic(),
        )
        self._known[watch_id] = found
        return found

    def push(
        self, workspace_id: int, watch_id: int, message_id: str, timestamp: str, signature: str, body: bytes
    ) -> HTTPStatus:
        """What to answer. An unknown address and a wrong signature look the same from outside."""
        listening = self._listening(workspace_id, watch_id)
        if (
            listening is None
            or listening.secret is None
            or not webhook_signature.verify(listening.secret, message_id, timestamp, signature, body, time.time())
        ):
            return HTTPStatus.UNAUTHORIZED
        if not listening.on:
            return HTTPStatus.GONE
        try:
            told = json.loads(body)
            container, item = str(told["container"]), str(told["item"])
        except (ValueError, KeyError, TypeError):
            return HTTPStatus.BAD_REQUEST
        if container == listening.container:
            self.engine.directory.open(workspace_id).read(
                lambda t: watches.take_in(t, workspace_id, listening.workflow_id, listening.version_id, container, item, "push")
            )
            self.engine.dispatch.announce(workspace_id, "ready")
        return HTTPStatus.ACCEPTED
