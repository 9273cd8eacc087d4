"""Schedules: a time that came round is an event, once. Times that were missed while nothing ran are told of with the last."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from typing import Any

from kelvix.core import schedule, sources
from kelvix.core.values import Unfit, as_text, to_wire
from kelvix.core.workflow import Schedule
from kelvix.engine.engine import Engine
from kelvix.engine.versions import Versions
from kelvix.store import events, listening
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space
from kelvix.store.secrets import digest


def item_of(space: Space, at: datetime, before: datetime | None, missed: int) -> dict[str, Any]:
    """Return a time as an event, a sample or a run keeps it."""
    return {
        "id": to_wire(at),
        "title": as_text(at, space.zone),
        "link": None,
        "app": "kelvix",
        "container": "",
        "values": sources.time_values(at, before, missed, space.env(at)),
    }


def come_round(engine: Engine, versions: Versions, server: DatabaseServer, limit: int = 20) -> int:
    """Take in the times that have come: how many there were."""
    new = 0
    for one in server.read(lambda t: listening.due(t, limit)):
        space = engine.directory.open(one.workspace_id)
        own = versions.get(space, one.version_id).when.own if one.version_id else None
        if isinstance(own, Schedule):
            found = space.transact(partial(_take_in, space, one.id, own))
            if found:
                engine.dispatch.announce(space.id, "ready", "workflows")
            new += found
    return new


def _take_in(space: Space, listening_id: int, own: Schedule, t: Transaction) -> int:
    one = listening.locked(t, listening_id)
    if one is None or one.state != "on" or one.version_id is None or one.next_at is None:
        return 0
    now = datetime.now(UTC)
    since = one.last_at or one.next_at
    try:
        at, missed = schedule.last_before(own, space.zone, since, now)
        coming = schedule.next_times(own, space.zone, now, 1)
    except Unfit:
        at, missed, coming = None, 0, []
    if at is None:
        listening.came_round(t, one, since, coming[0] if coming else None)
        return 0
    known = digest("time", at.isoformat())
    made = events.take_in(t, space.id, one.workflow_id, one.version_id, known, item_of(space, at, one.last_at, missed), "time")
    listening.came_round(t, one, at, coming[0] if coming else None)
    return int(made is not None)
