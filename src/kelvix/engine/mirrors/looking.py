"""Items of mirrors, looked at as they are told of: several side by side, but each by one at a time, of all mirrors."""

from __future__ import annotations

import secrets as random
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import partial
from typing import TypeVar

import structlog

from kelvix.connectors.deadline import DEADLINES, Bound
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.core.mirror.translations import Around
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import Referred, whole
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import sides as opening
from kelvix.engine.mirrors.crossing import Crossing
from kelvix.engine.mirrors.kept import Kept
from kelvix.engine.mirrors.running import Later, Running, Stop
from kelvix.engine.pacing import Paced
from kelvix.store import mirror_consumers, mirror_looks, mirrors, pairs
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space
from kelvix.store.mirror_looks import Look
from kelvix.store.mirrors import KeptMirror

THREADS = 6
BATCH_SIZE = 24  # looks that are thought of at once
BUSY = 0.2  # seconds after which an item is tried again that another looks at
MAX_PAUSE = 300.0
PATIENCE = 10.0  # seconds for which a person's step waits until nobody else looks at its item
OPEN = 15.0  # seconds for which what was opened of a mirror is taken as it was
T = TypeVar("T")
log = structlog.stdlib.get_logger(__name__)


def now() -> datetime:
    return datetime.now(UTC)


class Opening:
    """Mirrors as they are carried out, kept open for a while in each thread."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._local = threading.local()

    def get(self, space: Space, kept: KeptMirror) -> Running:
        """Return a mirror opened. Raises Stop, TransientError, PermanentError."""
        known: dict[int, tuple[float, int, Running]] = self._local.__dict__.setdefault("known", {})
        at, version, running = known.get(kept.id, (0.0, 0, None))
        if running is None or version != kept.version or time.monotonic() - at > OPEN:
            running = open_mirror(self.engine, space, kept)
            known[kept.id] = (time.monotonic(), kept.version, running)
        return running


_OPENINGS: dict[int, Opening] = {}


def opening_of(engine: Engine) -> Opening:
    """Return what this process keeps open of mirrors."""
    return _OPENINGS.setdefault(id(engine), Opening(engine))


def open_mirror(engine: Engine, space: Space, kept: KeptMirror) -> Running:
    """Open both sides of a mirror. Raises Stop, TransientError, PermanentError."""
    opened = opening.open_sides(engine, space, kept)
    refs = [opened[side].collection.ref for side in SIDES]
    found = space.transact(lambda t: tuple(mirrors.collection(t, space.id, ref.account, ref.place) for ref in refs))
    opening.check_accounts(space, kept, opened, (found[0], found[1]))
    around = Around(space.zone, space.order, partial(counterpart, space, kept))
    return opening.running(engine, space, kept, opened, around)


def counterpart(space: Space, kept: KeptMirror, side: Side, record: Referred) -> Referred | None:
    """Return what a record is paired with, by whichever mirror is between its database and one of ours."""
    number = str(record.record)

    def work(t: Transaction) -> Referred | None:
        for one in mirrors.list_all(t, space.id):
            for there in SIDES:
                if one.mirror.side(there).database == record.database and one.left_collection is not None:
                    pair = pairs.of_item(t, one.id, there, number)
                    other = pair.item(OTHER[there]) if pair is not None and pair.linked == "open" else None
                    found = whole(other) if other is not None else None
                    if found is not None:
                        return Referred(str(record), one.mirror.side(OTHER[there]).database, found)
        return None

    return space.read(work)


def look_at_all(engine: Engine, space: Space) -> int:
    """Look at all that is due, here and now, one after the other: how much that was."""
    total = 0
    while due := space.read(lambda t: mirror_looks.due(t, BATCH_SIZE)):
        for one in due:
            token = random.token_hex(16)
            claimed = space.transact(partial(_claim, space, one, token, engine.settings.lease))
            if claimed is not None:
                look(engine, opening_of(engine), space, one, token, *claimed)
                total += 1
    return total


class Looker:
    """Looks at the items whose time has come."""

    def __init__(self, engine: Engine):
        self.engine, self.opening = engine, opening_of(engine)
        self._pool = ThreadPoolExecutor(THREADS, thread_name_prefix="mirror")
        self._under_way = 0
        self._lock = threading.Lock()

    def look_due(self, server: DatabaseServer) -> int:
        """Begin to look at what is due, as far as there is room: how much that was."""
        room = THREADS - self._under_way
        if room <= 0:
            return 0
        begun = 0
        for one in server.read(lambda t: mirror_looks.due(t, BATCH_SIZE)):
            if begun >= room:
                break
            token = random.token_hex(16)
            space = self.engine.directory.open(one.workspace_id)
            claimed = space.transact(partial(_claim, space, one, token, self.engine.settings.lease))
            if claimed is None:
                continue
            begun += 1
            with self._lock:
                self._under_way += 1
            self._pool.submit(self._look, space, one, token, *claimed)
        return begun

    def _look(self, space: Space, one: Look, token: str, kept: KeptMirror, lanes: int) -> None:
        try:
            look(self.engine, self.opening, space, one, token, kept, lanes)
        except Exception:
            log.exception("an item of a mirror could not be looked at", mirror=one.mirror_id, item=one.item_id)
        finally:
            with self._lock:
                self._under_way -= 1


def _claim(space: Space, one: Look, token: str, lease: float, t: Transaction) -> tuple[KeptMirror, int] | None:
    """Take the lanes of an item, and of what it is paired with, or of all that is new where it is in no pair."""
    kept = mirrors.get(t, space.id, one.mirror_id)
    if kept is None or kept.state != "on" or not mirror_looks.hold(t, one, lease):
        return None
    if lanes := _take(t, space, kept, one.side, one.item_id, token, lease):
        return kept, lanes
    mirror_looks.put_off(t, one, BUSY, False)
    return None


def lanes_of(t: Transaction, kept: KeptMirror, side: Side, item: str) -> list[bytes]:
    pair = pairs.of_item(t, kept.id, side, item)
    own = mirror_looks.item_lane(kept.collection(side), item)
    other = pair.item(OTHER[side]) if pair is not None and pair.linked != "only" else None
    if other is not None:
        return [own, mirror_looks.item_lane(kept.collection(OTHER[side]), other)]
    return list({own, *(mirror_looks.new_lane(kept.collection(of)) for of in SIDES)})


@contextmanager
def holding(space: Space, token: str, lease: float) -> Iterator[Bound]:
    """Around what is done with lanes: no call goes on after the lease."""
    bound = Bound(time.monotonic() + lease)
    try:
        with DEADLINES.bounded(bound):
            yield bound
    finally:
        space.transact(lambda t: mirror_looks.free(t, token))


def look(engine: Engine, opening_: Opening, space: Space, one: Look, token: str, kept: KeptMirror, lanes: int) -> None:
    """Look at an item, and note when to look again, if that is not over."""
    wait: float | None = None
    failed, has_turn = True, False
    try:
        with holding(space, token, engine.settings.lease) as bound, engine.pacer.turns(one.has_turn):
            running = opening_.get(space, kept)
            crossing = crossing_of(engine, space, kept, running, token, lanes, one.since, bound)
            wait, failed = crossing.look_at(one.side, one.item_id), False
    except Paced as paced:
        wait, failed, has_turn = paced.after, False, paced.own
    except TransientError as failure:
        wait = failure.after or min(MAX_PAUSE, 2.0 ** min(one.failures, 8))
    except Stop as stop:
        stop_mirror(engine, space, kept, str(stop))
        wait = MAX_PAUSE
    except PermanentError as failure:
        engine.note_failure(space, failure.connection, failure)
        wait = min(MAX_PAUSE, 5 * 2.0 ** min(one.failures, 6))
    except Exception:
        space.transact(lambda t: mirror_looks.put_off(t, one, MAX_PAUSE, True))
        raise
    if wait is None:
        space.transact(lambda t: mirror_looks.end(t, one))
    else:
        again = max(wait, BUSY)
        space.transact(lambda t: mirror_looks.put_off(t, one, again, failed, has_turn))


def crossing_of(
    engine: Engine,
    space: Space,
    kept: KeptMirror,
    running: Running,
    token: str,
    lanes: int,
    since: datetime | None,
    bound: Bound,
) -> Crossing:
    """Return what looks at items of a mirror, for whoever holds their lanes."""

    def committed() -> None:
        bound.until = time.monotonic() + engine.settings.lease
        engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")

    keeping = Kept(space, kept, running, token, lanes, engine.settings.lease, since, committed)
    return Crossing(running, keeping, lambda: random.token_hex(12), now)


def with_pair(engine: Engine, space: Space, kept: KeptMirror, pair_id: str, work: Callable[[Crossing, pairs.KeptPair], T]) -> T:
    """Do something that a person asked for to a pair, or to an item in none, while nobody else looks at it. Raises
    NotFoundError, Later where another has it for too long, Stop, TransientError, PermanentError."""

    def of(t: Transaction) -> tuple[Side, str]:
        row = _row(t, kept, pair_id)
        side: Side = "left" if row.left_item is not None else "right"
        return side, row.item(side) or ""

    side, item = space.read(of)
    return with_item(
        engine, space, kept, side, item, lambda crossing: work(crossing, space.read(lambda t: _row(t, kept, pair_id)))
    )


def _row(t: Transaction, kept: KeptMirror, pair_id: str) -> pairs.KeptPair:
    row = pairs.get(t, kept.id, pair_id)
    if row is None or row.linked == "closed":
        raise NotFoundError("pair not found")
    return row


def with_item(engine: Engine, space: Space, kept: KeptMirror, side: Side, item: str, work: Callable[[Crossing], T]) -> T:
    """Do the same to an item of a side. Raises as `with_pair` does."""
    token = random.token_hex(16)
    until = time.monotonic() + PATIENCE
    while not (lanes := space.transact(lambda t: _take(t, space, kept, side, item, token, engine.settings.lease))):
        if time.monotonic() > until:
            raise Later(PATIENCE)
        time.sleep(BUSY / 2)
    with holding(space, token, engine.settings.lease) as bound:
        running = open_mirror(engine, space, kept)
        return work(crossing_of(engine, space, kept, running, token, lanes, None, bound))


def _take(t: Transaction, space: Space, kept: KeptMirror, side: Side, item: str, token: str, lease: float) -> int:
    """Take the lanes of an item: how many they are; none where another has one of them."""
    lanes = lanes_of(t, kept, side, item)
    if mirror_looks.take(t, space.id, lanes, token, lease):
        return len(lanes)
    mirror_looks.free(t, token)
    return 0


def stop_mirror(engine: Engine, space: Space, kept: KeptMirror, reason: str) -> None:
    """Let a mirror write nothing more until a person looked at it. What changes meanwhile is kept."""

    def work(t: Transaction) -> None:
        now = mirrors.get(t, space.id, kept.id, lock=True)
        if now is not None and now.state in ("on", "planning"):
            mirrors.set_state(t, space.id, kept.id, "stopped", reason)
            mirror_consumers.set_state(t, space.id, kept.id, "paused")

    space.transact(work)
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")
