"""Reading the apps' feeds: the net under the pushes, and the only way where an app cannot push."""

from __future__ import annotations

import random
import threading
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import structlog

from kelvix.core.collection import Changes, PermanentError, RateLimitedError, TransientError
from kelvix.engine import metrics
from kelvix.engine.engine import Engine
from kelvix.engine.pacing import Paced
from kelvix.store import usage, watches
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.watches import Told, Watch

EVERY_WITH_PUSH = 60.0  # seconds between checks where pushes come too
EVERY = 20.0
MAX_PAUSE = 900.0
LEASE = 60.0
FULL = 60.0  # seconds between checks where the workspace has no room for what arrives
THREADS = 24
MAX_OF_ONE = 3  # watches of one workspace that are checked at once
MAX_READS = 20  # of the feed, in one check
log = structlog.stdlib.get_logger(__name__)


def pause(watch: Watch) -> float:
    return EVERY_WITH_PUSH if watch.push_id else EVERY


class Poller:
    """Checks watches side by side, a few of each workspace at most: one whose app is slow holds up no other."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._under_way: Counter[int] = Counter()  # by workspace
        self._lock = threading.Lock()
        self._pool = ThreadPoolExecutor(THREADS, thread_name_prefix="poll")

    def check_due(self, server: DatabaseServer) -> int:
        """Begin to check the watches whose time has come: how many there were."""
        begun = 0
        for workspace_id in server.read(watches.workspaces_due):
            with self._lock:
                room = min(MAX_OF_ONE - self._under_way[workspace_id], THREADS - sum(self._under_way.values()))
            if room <= 0:
                continue
            due = server.transact(partial(watches.due, workspace_id=workspace_id, limit=room, lease=LEASE))
            for watch in due:
                with self._lock:
                    self._under_way[workspace_id] += 1
                self._pool.submit(self._check, watch)
            begun += len(due)
        return begun

    def _check(self, watch: Watch) -> None:
        try:
            check(self.engine, watch)
        except Exception:
            log.exception("a feed could not be read", watch=watch.id)
        finally:
            with self._lock:
                self._under_way[watch.workspace_id] -= 1


def check(engine: Engine, watch: Watch) -> int:
    """Read a watch's feed from its cursor and take in what arrived: how many events were new. What goes wrong is noted
    on the watch, with the time of the next check."""
    space = engine.directory.open(watch.workspace_id)
    cursor, new = watch.cursor_at, 0
    problem: str | None = None
    wait, has_turn = pause(watch), bool(watch.turn)
    try:
        source = engine.account(space, watch.connection_id).collection(watch.container)
        for _ in range(MAX_READS):
            with engine.pacer.calls(space, watch.connection_id, has_turn):
                found = source.changes(cursor)
            has_turn = False
            holds = watch.state == "paused" or space.read(lambda t: usage.is_over(t, space.id))
            arrived = [told for c in found.changes if (told := watch.takes(c.id, c.told, c.revision))]

            def take(
                t: Transaction,
                arrived: list[Told] = arrived,
                was: str = cursor,
                found: Changes = found,
                holds: bool = holds,
            ) -> int:
                if holds:
                    taken = watches.hold(t, space, watch.workflow_id, watch.id, watch.container, arrived, "poll")
                else:
                    taken = watches.take_in_many(
                        t, watch.workspace_id, watch.workflow_id, watch.version_id, watch.container, arrived, "poll"
                    )
                watches.checked(t, watch, was, found.cursor, 0.0 if found.more else wait, None)
                return taken

            taken = space.transact(take)
            metrics.TAKEN_IN.labels("poll").inc(taken)
            new += taken
            cursor = found.cursor
            if not found.more:
                break
    except Paced as paced:  # no check yet, and nothing that anybody need be told of
        after, own = paced.after, paced.own
        space.transact(lambda t: watches.put_off(t, watch, after, own))
        return new
    except TransientError as failure:
        problem = str(failure)
        spread = 1 if isinstance(failure, RateLimitedError) else 2 ** min(watch.failures, 8)
        wait = failure.after or min(MAX_PAUSE, wait * spread) * random.uniform(0.8, 1.2)
    except usage.Full as full:
        problem, wait = f"{full}: what arrives stays with the app until there is room", FULL
    except PermanentError as failure:
        problem = str(failure)
        wait = MAX_PAUSE
        engine.note_failure(space, watch.connection_id, failure)
    if problem:
        space.transact(lambda t: watches.checked(t, watch, cursor, cursor, wait, problem))
    if new or problem != watch.problem or not problem:  # the same problem is not told of at each check
        engine.dispatch.announce(watch.workspace_id, *(["ready"] if new else []), f"workflow:{watch.workflow_id}")
    return new
