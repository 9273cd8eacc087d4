"""Reading what apps tell of, into journals: the net under the pushes, and the only way where an app cannot push."""

from __future__ import annotations

import random
import threading
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import structlog

from kelvix.core.collection import Collection, PermanentError, RateLimitedError, TransientError
from kelvix.engine import metrics
from kelvix.engine.engine import Engine
from kelvix.engine.pacing import Paced
from kelvix.engine.subscriptions import feeding, pushes, watching
from kelvix.engine.versions import Versions
from kelvix.store import consumers, journal, settling, subscriptions
from kelvix.store.database_server import DatabaseServer, Row, Transaction
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


def pause(space: Space, one: Subscription) -> float:
    """Return for how many seconds the next check is put off: as long as all who listen allow, and longer beside pushes."""
    return lasting(space.read(lambda t: consumers.every(t, one.id)) or EVERY, one)


def lasting(every: float, one: Subscription) -> float:
    """Return for how many seconds a pause that was wished for lasts: longer beside pushes."""
    return max(every, EVERY_WITH_PUSH) if one.push_id else every


class Poller:
    """Checks subscriptions side by side, a few of each workspace at most: one whose app is slow holds up no other."""

    def __init__(self, engine: Engine, versions: Versions):
        self.engine, self.versions = engine, versions
        self._under_way: Counter[int] = Counter()  # by workspace
        self._settling: set[tuple[int, str]] = set()  # workflows and items that are looked at, whether they are quiet
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
                self._begin(workspace_id, partial(_check, one=one))
            begun += len(due)
        return begun

    def look_due(self, server: DatabaseServer) -> int:
        """Begin to look at what apps told of, for those who want to know what changed; at what was left alone for long enough;
        and for what is there no more where apps do not tell of that: how much there was."""
        with self._lock:
            free = THREADS - sum(self._under_way.values())
        if free <= 0:
            return 0
        looks = server.transact(partial(subscriptions.due_looks, limit=free, lease=watching.LEASE))
        sweeps = server.transact(partial(subscriptions.due_sweeps, limit=1, pause=watching.SWEEP))
        for of in looks:
            if self._under_way[of.workspace_id] < MAX_OF_ONE:
                self._begin(of.workspace_id, partial(watching.look_at, one=of))
            else:  # its others come first
                server.transact(partial(subscriptions.look_again, one=of, wait=0))
        for of in sweeps:
            self._begin(of.workspace_id, partial(watching.sweep, one=of))
        quiet = server.read(partial(settling.due, limit=free, of_apps=True))
        for row in quiet:
            key = (row["workflow_id"], str(row["record_id"]))
            if key not in self._settling and self._under_way[row["workspace_id"]] < MAX_OF_ONE:
                self._settling.add(key)
                self._begin(row["workspace_id"], partial(self._settle, row=row))
        return len(looks) + len(sweeps) + len(quiet)

    def _settle(self, engine: Engine, space: Space, row: Row) -> None:
        try:
            watching.settle(engine, self.versions, space, row)
        finally:
            self._settling.discard((row["workflow_id"], str(row["record_id"])))

    def _begin(self, workspace_id: int, work: Callable[[Engine, Space], object]) -> None:
        with self._lock:
            self._under_way[workspace_id] += 1
        self._pool.submit(self._do, workspace_id, work)

    def _do(self, workspace_id: int, work: Callable[[Engine, Space], object]) -> None:
        try:
            work(self.engine, self.engine.directory.open(workspace_id))
        except (Paced, TransientError, PermanentError) as failure:  # of a sweep; the next one comes
            log.info("an app's items could not be read", workspace=workspace_id, why=str(failure))
        except Exception:
            log.exception("an app's changes could not be read", workspace=workspace_id)
        finally:
            with self._lock:
                self._under_way[workspace_id] -= 1


def read(engine: Engine, space: Space, one: Subscription, source: Collection, has_turn: bool = False) -> tuple[bool, int]:
    """Take what an app tells of after the subscription's cursor into its journal, and move the cursor, together: whether there
    is more, and how many changes were new. Raises Paced, TransientError, PermanentError."""
    with engine.pacer.calls(space, one.connection_id, has_turn):
        found = source.changes(one.cursor_at)
    wait = 0.0 if found.more else pause(space, one)

    def work(t: Transaction) -> int:
        new = journal.append(t, one, found.changes, "poll")
        subscriptions.checked(t, one, one.cursor_at, found.cursor, wait, None)
        return new

    new = space.transact(work)
    metrics.TAKEN_IN.labels("poll").inc(new)
    return found.more, new


def _check(engine: Engine, space: Space, one: Subscription) -> int:
    return check(engine, one)


def check(engine: Engine, one: Subscription) -> int:
    """Read what a subscription's app tells of, and let those who listen read on: how many changes were new. What goes wrong is
    noted on the subscription, with the time of the next check."""
    space = engine.directory.open(one.workspace_id)
    was, new, has_turn = one, 0, bool(one.turn)
    problem: str | None = None
    wait = pause(space, one)
    try:
        if space.transact(lambda t: journal.note_fullness(t, one)):
            problem = f"{journal.MAX_UNREAD:,} changes are waiting for a workflow. New items stay in the app until it continues"
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
    if one.keeps_marks:
        watching.look_at(engine, space, one)
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
