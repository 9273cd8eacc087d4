"""Consumers read the journals of what they listen to, each at its own place and in transactions of its own: one that is slow,
locked, paused or broken holds up no other, and none of them holds up what is taken in."""

from __future__ import annotations

import time
from functools import partial

import structlog

from kelvix.engine.engine import Engine
from kelvix.store import arrivals, consumers, own_writes
from kelvix.store.arrivals import Arrival
from kelvix.store.consumers import Reader
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space

BATCH_SIZE = 100  # changes in one transaction
REMEMBER = 5.0  # seconds for which it is known who listens
log = structlog.stdlib.get_logger(__name__)


class Listeners:
    """Who listens to what, remembered for a while: who began meanwhile is let read on with those that are behind."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, int], tuple[float, list[Reader]]] = {}

    def get(self, space: Space, subscription_id: int) -> list[Reader]:
        key = (space.id, subscription_id)
        at, known = self._known.get(key, (-REMEMBER, []))
        if time.monotonic() - at >= REMEMBER:
            known = space.read(lambda t: consumers.readers(t, "c.subscription_id", subscription_id))
            self._known[key] = (time.monotonic(), known)
        return known


def feed(engine: Engine, server: DatabaseServer, limit: int = 50) -> int:
    """Let those read on that have not read all of their journal: how many changes they read."""
    return sum(
        _read_on(engine, engine.directory.open(workspace_id), one)
        for workspace_id, one in server.read(lambda t: consumers.behind(t, limit))
    )


def feed_of(engine: Engine, space: Space, subscription_id: int) -> int:
    """Let those who listen to one subscription read on, to the end: how many changes they read."""
    return sum(_read_on(engine, space, one, True) for one in space.read(lambda t: consumers.behind_of(t, subscription_id)))


def _read_on(engine: Engine, space: Space, consumer_id: int, to_the_end: bool = False) -> int:
    total = 0
    try:
        for one in space.read(lambda t: consumers.readers(t, "c.id", consumer_id)):
            while True:
                number, starts = space.transact(partial(read, one))
                total += number
                if starts:
                    engine.dispatch.announce(space.id, "ready")
                if not to_the_end or number < BATCH_SIZE:
                    break
    except Exception:  # its place stays where it was, and the others go on
        log.exception("a consumer could not read on", workspace=space.id, consumer=consumer_id)
    return total


def read(one: Reader, t: Transaction) -> tuple[int, bool]:
    """Within the caller's transaction, make events of what comes next: how much was read, and whether that may start
    something."""
    if one.writes_in_apps and own_writes.is_writing(t, one.to):
        return 0, False  # what is told now may be its own doing: that is known once the app has answered
    found = consumers.next_changes(t, one, BATCH_SIZE)
    if not found:
        return 0, False
    told = [
        (arrival, change.came_by, change.at)
        for change in found
        if (arrival := Arrival.of(change.item, change.told, change.revision, one.kinds))
    ]
    if one.writes_in_apps:
        own = own_writes.of(t, one.to, [arrival for arrival, _, _ in told])
        told = [each for each in told if each[0] not in own]
    arrivals.enter_all(t, one.to, told)
    consumers.read_on(t, one.consumer, found[-1].n)
    return len(found), bool(told)
