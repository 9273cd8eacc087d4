"""Consumers read the journals of what they listen to, each at its own place and in transactions of its own: one that is slow,
locked, paused or broken holds up no other."""

from __future__ import annotations

from functools import partial

import structlog

from kelvix.engine.engine import Engine
from kelvix.store import arrivals, consumers, journal, subscriptions
from kelvix.store.arrivals import Arrival
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space

BATCH_SIZE = 100  # changes in one transaction
log = structlog.stdlib.get_logger(__name__)


def feed(engine: Engine, server: DatabaseServer, limit: int = 50) -> int:
    """Let those read on that have not read all of their journal: how many events there were."""
    return sum(
        _read_on(engine, engine.directory.open(workspace_id), one)
        for workspace_id, one in server.read(lambda t: consumers.behind(t, limit))
    )


def feed_of(engine: Engine, space: Space, subscription_id: int) -> int:
    """Let those who listen to one subscription read on, to the end: how many events there were."""
    return sum(_read_on(engine, space, one, True) for one in space.read(lambda t: consumers.behind_of(t, subscription_id)))


def _read_on(engine: Engine, space: Space, consumer_id: int, to_the_end: bool = False) -> int:
    new = 0
    try:
        while True:
            read, made = space.transact(partial(_read, space, consumer_id))
            new += made
            if made:
                engine.dispatch.announce(space.id, "ready")
            if not to_the_end or read < BATCH_SIZE:
                return new
    except Exception:  # its place stays where it was, and the others go on
        log.exception("a consumer could not read on", workspace=space.id, consumer=consumer_id)
        return new


def _read(space: Space, consumer_id: int, t: Transaction) -> tuple[int, int]:
    """Make events of what comes next: how much was read, and how many events that made."""
    one = consumers.locked(t, consumer_id)
    of = subscriptions.get(t, space.id, one.subscription_id) if one and one.subscription_id else None
    if one is None or of is None or one.version_id is None:
        return 0, 0
    found = journal.after(t, of.id, one.read_to, BATCH_SIZE)
    new, of_whom = 0, (space.id, one.workflow_id, one.version_id, one.scope(of.account), of.place)
    for change in found:
        if arrival := Arrival.of(change.item, change.told, change.revision, one.kinds.split(",")):
            new += arrivals.enter(t, *of_whom, arrival, change.came_by, change.at)
    if found:
        consumers.read_to(t, one, found[-1].n)
    return len(found), new
