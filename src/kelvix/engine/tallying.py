"""Counting calls of apps, whoever makes them, and noting what the apps say of how many they take. Written down every few
seconds, so that no call waits for that; who has had all its calls is kept from making the next one, which would be refused."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

import structlog

from kelvix.core import limits
from kelvix.core.limits import Limit
from kelvix.engine.pacing import Pacer
from kelvix.formats import rate_limits
from kelvix.store import calls
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

WRITTEN_AFTER = 2.0  # seconds
log = structlog.stdlib.get_logger(__name__)


class Tallies:
    """The calls of this process that are still to be written down. Safe to share between threads."""

    def __init__(self, pacer: Pacer) -> None:
        self._pacer = pacer
        self._lock = threading.Lock()
        self._spaces: dict[int, Space] = {}
        self._made: Counter[tuple[int, int]] = Counter()  # by workspace and connection
        self._said: dict[tuple[int, int], tuple[datetime, tuple[Limit, ...]]] = {}
        self._timer: threading.Timer | None = None

    def called(self, space: Space, connection_id: int, headers: Mapping[str, str]) -> None:
        """Count a call that was answered with these headers."""
        now = datetime.now(UTC)
        said = tuple(
            Limit(p.name, p.most, p.window, p.left, now + timedelta(seconds=p.resets))
            for p in rate_limits.read(headers.get("ratelimit-policy"), headers.get("ratelimit"))
        )
        key = (space.id, connection_id)
        with self._lock:
            self._spaces[space.id] = space
            self._made[key] += 1
            if said:
                self._said[key] = now, said
            if self._timer is None:
                self._begin_timer()
        if (wait := limits.wait(said, now)) > 0:
            try:
                self._pacer.hold(space, connection_id, wait)
            except Exception:  # the answer that told it is none the worse for that
                log.exception("the next call could not be put off", workspace=space.id, connection=connection_id)

    def _begin_timer(self) -> None:
        self._timer = threading.Timer(WRITTEN_AFTER, self.write)
        self._timer.daemon = True
        self._timer.start()

    def write(self) -> None:
        """Write down what was counted. What can't be written is kept, for the next time."""
        with self._lock:
            made, said, self._timer = self._made, self._said, None
            self._made, self._said = Counter(), {}
        for key, number in made.items():
            space, connection_id = self._spaces[key[0]], key[1]

            def work(t: Transaction, space: Space = space, connection_id: int = connection_id, number: int = number) -> None:
                calls.count(t, space.id, connection_id, datetime.now(UTC).date(), number)
                if (space.id, connection_id) in said:
                    at, limits = said[space.id, connection_id]
                    calls.keep_limits(t, space.id, connection_id, limits, at)

            try:
                space.transact(work)
            except Exception:
                log.exception("calls could not be counted; they will be with the next ones", workspace=space.id)
                with self._lock:
                    self._made[key] += number
