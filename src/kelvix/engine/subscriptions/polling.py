"""Reading what apps tell of, into journals: the net under the pushes, and the only way where an app cannot push."""

from __future__ import annotations

import random
import threading
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import structlog

from kelvix.core.collection import Collection, PermanentError, RateLimitedError, TransientError
from kelvix.engine import metrics
from kelvix.engine.engine import Engine
from kelvix.engine.pacing import Paced
from kelvix.engine.subscriptions import feeding, pushes
from kelvix.store import consumers, journal, subscriptions
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space
from kelvix.store.subscriptions import Subscription

EVERY_WITH_PUSH = 60.0  # seconds between checks where pushes come too
EVERY = 20.0
MAX_PAUSE = 900.0
LEASE = 60.0
FULL = 60.0  # seconds between checks where there is no room for what arrives
THREADS = 24
MAX_OF_ONE = 3  # subscriptions of one workspace that are checked at once
MAX_READS = 20  # of an app's changes, in one check
log = structlog.stdlib.get_logger(__name__)


def pause(one: Subscription) -> float:
    return EVERY_WITH_PUSH if one.push_id else EVERY


class Poller:
    """Checks subscriptions side by side, a few of each workspace at most: one whose app is slow holds up no other."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._under_way: Counter[int] = Counter()  # by workspace
        self._lock = threading.Lock()
        self._pool = ThreadPoolExecutor(THREADS, thread_name_prefix="poll")

    def check_due(self, server: DatabaseServer) -> int:
        """Begin to check the subscriptions whose time has come: how many there were."""
        begun = 0
        for workspace_id in server.read(subscriptions.workspaces_due):
            with self._lock:
                room = min(MAX_OF_ONE - self._under_way[workspace_id], THREADS - sum(self._under_way.values()))
            if room <= 0:
                continue
            due = server.transact(partial(subscriptions.due, workspace_id=workspace_id, limit=room, lease=LEASE))
            for one in due:
                with self._lock:
                    self._under_way[workspace_id] += 1
                self._pool.submit(self._check, one)
            begun += len(due)
        return begun

    def _check(self, one: Subscription) -> None:
        try:
            check(self.engine, one)
        except Exception:
            log.exception("an app's changes could not be read", subscription=one.id)
        finally:
            with self._lock:
                self._under_way[one.workspace_id] -= 1


def read(engine: Engine, space: Space, one: Subscription, source: Collection, has_turn: bool = False) -> tuple[bool, int]:
    """Take what an app tells of after the subscription's cursor into its journal, and move the cursor, together: whether there
    is more, and how many changes were new. Raises Paced, TransientError, PermanentError."""
    with engine.pacer.calls(space, one.connection_id, has_turn):
        found = source.changes(one.cursor_at)
    wait = 0.0 if found.more else pause(one)

    def work(t: Transaction) -> int:
        new = journal.append(t, one, found.changes, "poll")
        subscriptions.checked(t, one, one.cursor_at, found.cursor, wait, None)
        return new

    new = space.transact(work)
    metrics.TAKEN_IN.labels("poll").inc(new)
    return found.more, new


def check(engine: Engine, one: Subscription) -> int:
    """Read what a subscription's app tells of, and let those who listen read on: how many changes were new. What goes wrong is
    noted on the subscription, with the time of the next check."""
    space = engine.directory.open(one.workspace_id)
    was, new, has_turn = one, 0, bool(one.turn)
    problem: str | None = None
    wait = pause(one)
    try:
        if space.transact(lambda t: journal.note_fullness(t, one)):
            problem = f"{journal.MAX_UNREAD:,} changes wait for a workflow: what arrives stays with the app until it goes on"
            wait = FULL
        else:
            source = engine.account(space, one.connection_id).collection(one.place)
            if one.account is None:
                space.transact(lambda t: subscriptions.name_account(t, was, source.ref.account))
            for _ in range(MAX_READS):
                more, some = read(engine, space, one, source, has_turn)
                new, has_turn = new + some, False
                one = space.read(lambda t: subscriptions.get(t, space.id, was.id)) or one
                if not more:
                    break
    except Paced as paced:  # no check yet, and nothing that anybody need be told of
        after, own = paced.after, paced.own
        space.transact(lambda t: subscriptions.put_off(t, was, after, own))
        return new
    except TransientError as failure:
        problem = str(failure)
        spread = 1 if isinstance(failure, RateLimitedError) else 2 ** min(one.failures, 8)
        wait = failure.after or min(MAX_PAUSE, wait * spread) * random.uniform(0.8, 1.2)
    except PermanentError as failure:
        engine.note_failure(space, one.connection_id, failure)
        problem, wait = str(failure), MAX_PAUSE
        if space.transact(lambda t: subscriptions.go_by(t, was)):
            wait = wait if was.failures else 0.0  # at once by the other way; where that fails too, later
            pushes.ask(engine, space, space.read(lambda t: subscriptions.get(t, space.id, was.id)) or was)
    if problem:
        space.transact(lambda t: subscriptions.checked(t, one, one.cursor_at, one.cursor_at, wait, problem))
    feeding.feed_of(engine, space, one.id)
    _meet(engine, space, one)
    if new or problem != was.problem or not problem:  # the same problem is not told of at each check
        listeners = space.read(lambda t: consumers.of_subscription(t, space.id, one.id))
        engine.dispatch.announce(space.id, *(f"workflow:{c.workflow_id}" for c in listeners))
    return new


def _meet(engine: Engine, space: Space, one: Subscription) -> None:
    """Make one of two subscriptions of a place that have read to the same cursor."""
    if one.account is None or not space.read(lambda t: subscriptions.has_branches(t, one)):
        return
    if (merged := space.transact(lambda t: journal.merge(t, one))) is not None:
        pushes.end(engine, space, merged)
        trunk = space.read(lambda t: subscriptions.find(t, space.id, merged.account or "", merged.place))
        if trunk is not None and trunk.push_id is None:
            pushes.ask(engine, space, trunk)
