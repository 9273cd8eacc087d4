"""Reading the apps' feeds: the net under the pushes, and the only way where an app cannot push."""

from __future__ import annotations

import random

from kelvix.connectors.contract import Passing, Standing
from kelvix.engine import metrics
from kelvix.engine.engine import Engine
from kelvix.engine.pacing import Paced
from kelvix.store import watches
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.watches import Told, Watch

EVERY_WITH_PUSH = 60.0  # seconds between checks where pushes come too
EVERY = 20.0
LONGEST = 900.0
LEASE = 60.0
MOST_READS = 20  # of the feed, in one check


def pause(watch: Watch) -> float:
    return EVERY_WITH_PUSH if watch.push_id else EVERY


def check_due(engine: Engine, server: DatabaseServer, limit: int = 10) -> int:
    """Check the watches whose time has come: how many there were."""
    due = server.transact(lambda t: watches.due(t, limit, LEASE))
    for watch in due:
        check(engine, watch)
    return len(due)


def check(engine: Engine, watch: Watch) -> int:
    """Read a watch's feed from its cursor and take in what arrived: how many events were new. What goes wrong is noted
    on the watch, with the time of the next check."""
    space = engine.directory.open(watch.workspace_id)
    cursor, new = watch.cursor_at, 0
    problem: str | None = None
    wait = pause(watch)
    try:
        app, token = engine.access(space, watch.connection_id)
        for _ in range(MOST_READS):
            with engine.pacer.calls(space, watch.connection_id):
                changes, reached, more = app.changes(token, cursor)
            arrived = [told for c in changes if (told := watch.takes(c.container, c.item, c.kind, c.revision))]

            def take(t: Transaction, arrived: list[Told] = arrived, reached: int = reached, more: bool = more) -> int:
                found = watches.take_in_many(
                    t, watch.workspace_id, watch.workflow_id, watch.version_id, watch.container, arrived, "poll"
                )
                watches.checked(t, watch, reached, 0.0 if more else wait, None)
                return found

            found = space.transact(take)
            metrics.TAKEN_IN.labels("poll").inc(found)
            new += found
            cursor = reached
            if not more:
                break
    except Paced as paced:
        problem, wait = str(paced), paced.after
    except Passing as failure:
        problem = str(failure)
        wait = failure.after or min(LONGEST, wait * 2 ** min(watch.failures, 8)) * random.uniform(0.8, 1.2)
    except Standing as failure:
        problem = str(failure)
        wait = LONGEST
        engine.note_failure(space, watch.connection_id, failure)
    if problem:
        space.transact(lambda t: watches.checked(t, watch, cursor, wait, problem))
    engine.dispatch.announce(watch.workspace_id, *(["ready"] if new else []), f"workflow:{watch.workflow_id}")
    return new
