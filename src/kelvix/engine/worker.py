"""A worker process: claims work that is ready, carries it, and reads feeds when their time has come."""

from __future__ import annotations

import contextlib
import os
import signal
import threading
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import structlog

from kelvix.core.not_found import NotFoundError
from kelvix.engine import catching_up, holding, upkeep
from kelvix.engine.alone import Alone
from kelvix.engine.dispatch import JOURNAL
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import listening as sides_of_mirrors
from kelvix.engine.mirrors import looking, stages
from kelvix.engine.runner import Runner
from kelvix.engine.subscriptions import feeding, polling, records, schedules, watching
from kelvix.room import Room
from kelvix.store import ready, runs
from kelvix.store.consumers import Reader
from kelvix.store.database_server import DatabaseError, DatabaseServer, Transaction
from kelvix.store.runs import Claim

COMPUTING = 5  # runs that compute at once
THREADS = 40  # runs under way, those that wait for others outside among them
MAX_OF_ONE = 4  # of them that one workspace has, so that another finds room
BATCH_SIZE = 32  # runs that are carried in one transaction, where their lines allow it
MAX_READERS = 3  # consumers that read on together with a claim
MAX_BATCHES = 2  # of such transactions: they compute more than they wait, and threads that compute slow each other down
LOOK = 0.1  # seconds between looks for work that nobody announced
TIDY = 1.0  # seconds between looks for what died workers held
log = structlog.stdlib.get_logger(__name__)


class Worker:
    def __init__(self, engine: Engine, runner: Runner | None = None):
        self.engine, self.runner = engine, runner or Runner(engine)
        self.disk = Room(engine.settings.data)
        self._stopping = threading.Event()
        self._free = threading.Semaphore(COMPUTING)
        self.runner.leases.leave, self.runner.leases.return_ = self._free.release, self._free.acquire
        self._alone = Alone(engine.settings)
        self._poller = polling.Poller(engine, self.runner.versions)
        self._under_way: Counter[int] = Counter()  # by workspace
        self._ended = 0  # how many were carried
        self._held_back = False  # whether there was work for which its workspace had no more room
        self._counting = threading.Lock()
        self._journals: set[tuple[int, int]] = set()  # workspaces and subscriptions of which more was taken in
        self._listeners = feeding.Listeners()
        self._behind = threading.Event()  # whether consumers are to be let read on at once
        self._mirrored = threading.Event()  # whether sides of mirrors are to be let read on at once
        self._looker = looking.Looker(engine)
        self._together: set[tuple[int, int]] = set()  # queues whose runs are carried together
        self._computing = threading.Semaphore(MAX_BATCHES)
        self._pool = ThreadPoolExecutor(THREADS, thread_name_prefix="run")

    def stop(self, *_: object) -> None:
        """Take up nothing more; what was begun is finished. Asked again, end at once: its leases run out, and others go on."""
        if self._stopping.is_set():
            os._exit(1)
        self._stopping.set()

    def run(self) -> None:
        """Work until told to stop."""
        self.engine.dispatch.listen("work")
        feeds = threading.Thread(target=self._read_feeds, name="feeds", daemon=True)
        feeds.start()
        own = threading.Thread(target=self._follow_own, name="own", daemon=True)
        own.start()
        threading.Thread(target=self._mirror, name="mirrors", daemon=True).start()
        threading.Thread(target=self._mirror_in_full, name="mirrors in full", daemon=True).start()
        threading.Thread(target=self._look_after, name="upkeep", daemon=True).start()
        tidied = 0.0
        while not self._stopping.is_set():
            try:
                now = time.clock_gettime(time.CLOCK_BOOTTIME)  # which goes on while the machine sleeps
                gap = abs(now - tidied)
                if gap > TIDY:
                    if gap > self.engine.settings.lease / 2:  # leases may have run out that are well kept
                        self.runner.leases.renew()
                    tidied = now
                    self._tidy()
                if not self.disk.is_left():
                    self._stopping.wait(1)
                    continue
                ended, self._held_back = self._ended, False
                if not self._take_up() and not (self._held_back and ended != self._ended):
                    self._hear(LOOK)
            except Exception:
                log.exception("the worker continues after a failure")
                self._stopping.wait(1)
        with contextlib.suppress(DatabaseError):
            self.engine.dispatch.leave()
        self._pool.shutdown(wait=True)
        self._alone.stop()
        feeds.join(2)
        own.join(2)

    def _tidy(self) -> None:
        """Put back what died workers held; have what is suspect carried in processes of its own."""
        for server in self.engine.directory.servers.values():
            self._alone.lost(server.transact(runs.release_expired))
            self._alone.start(server.read(ready.suspect_workspaces))

    def _hear(self, seconds: float) -> None:
        """Wait until there is work, and hear which journals have more."""
        for workspace_id, topics in self.engine.dispatch.wait(seconds):
            told = (t[len(JOURNAL) :] for t in topics if t.startswith(JOURNAL))
            heard = {(workspace_id, int(number)) for number in told if number.isdecimal()}
            self._journals |= heard
            if heard:
                self._mirrored.set()

    def _readers(self, server: DatabaseServer) -> list[Reader]:
        """Return the consumers of a server that are let read on together with the claim, which saves a commit; where there are
        many, they read on beside it."""
        found: list[Reader] = []
        for key in list(self._journals):
            try:
                space = self.engine.directory.open(key[0])
            except NotFoundError:  # deleted since, or never there
                self._journals.discard(key)
                continue
            if space.server is server:
                self._journals.discard(key)
                found += self._listeners.get(space, key[1])
        if len(found) > MAX_READERS:
            self._behind.set()
            return []
        return found

    def _claim(self, free: int, readers: list[Reader], t: Transaction) -> list[Claim]:
        for one in readers:
            feeding.read(one, t)
        return runs.claim(t, free, self.engine.settings.lease, several=self._several, room=self._room)

    def _take_from(self, server: DatabaseServer, free: int) -> list[Claim]:
        """Claim of one server. Mostly there is nothing: no transaction for that."""
        readers = self._readers(server)
        if readers:
            try:
                return server.transact(partial(self._claim, free, readers))
            except Exception:
                log.exception("a consumer could not read on together with a claim")
                self._behind.set()
        if not server.read(ready.queues):
            return []
        return server.transact(partial(self._claim, free, []))

    def _take_up(self) -> int:
        """Claim as much as can be computed at once: how much it was."""
        free, room = 0, THREADS - sum(self._under_way.values())
        while free < min(COMPUTING, room) and self._free.acquire(blocking=False):
            free += 1
        if room <= 0:
            return 0
        if not free:
            with self._free:  # until one is free again
                return 1
        taken = 0
        try:
            for server in self.engine.directory.servers.values():
                for some in self._grouped(self._take_from(server, free - taken)) if taken < free else ():
                    taken += 1
                    if taken > free:  # there are more groups than were reckoned with
                        self._free.acquire()
                    with self._counting:
                        self._under_way[some[0].workspace_id] += 1
                    self._pool.submit(self._carry, some)
        finally:
            for _ in range(free - taken):
                self._free.release()
        return taken

    def _room(self, workspace_id: int) -> int:
        room = MAX_OF_ONE - self._under_way[workspace_id]
        self._held_back |= room <= 0
        return room

    def _several(self, queue: tuple[int, int]) -> int:
        """How many runs of a queue are claimed at once: more than one where the last were carried together."""
        return BATCH_SIZE if queue in self._together else 1

    def _grouped(self, claims: list[Claim]) -> list[list[Claim]]:
        """Those that are carried together, and the others one by one."""
        groups: dict[tuple[int, int], list[list[Claim]]] = {}
        single: list[list[Claim]] = []
        for claim in claims:
            queue = (claim.workspace_id, ready.queue_of(claim.workflow_id, claim.catch_up_id is not None))
            try:
                together = self.runner.goes_together(claim)
            except Exception:  # carried by itself, it says what is wrong
                together = False
            if not together:
                self._together.discard(queue)
                single.append([claim])
                continue
            self._together.add(queue)
            own = groups.setdefault((claim.workspace_id, claim.version_id), [[]])
            if len(own[-1]) == BATCH_SIZE:
                own.append([])
            own[-1].append(claim)
        return [*single, *(some for own in groups.values() for some in own)]

    def _carry(self, claims: list[Claim]) -> None:
        try:
            if len(claims) > 1:
                with self._computing:
                    self.runner.carry_together(claims)
            else:
                self.runner.carry(claims[0])
        except Exception:
            runs_ = [claim.run_id for claim in claims]
            log.exception("a run could not continue; another worker will take it when its lease ends", runs=runs_)
        finally:
            with self._counting:
                self._under_way[claims[0].workspace_id] -= 1
                self._ended += 1
            self._free.release()
            if self._held_back:
                self.engine.dispatch.wake()

    def _follow_own(self) -> None:
        """Let consumers read on that are behind, of journals and of records; take up times that come round."""
        versions = self.runner.versions
        while not self._stopping.is_set():
            new = 0
            try:
                if not self.disk.is_left():
                    self._stopping.wait(1)
                    continue
                for server in self.engine.directory.servers.values():
                    new += feeding.feed(self.engine, server)
                    new += watching.follow(self.engine, versions, server)
                    new += records.follow(self.engine, versions, server)
                    new += records.settle(self.engine, versions, server)
                    new += schedules.come_round(self.engine, versions, server)
                    new += catching_up.feed(self.engine, server)
                    new += holding.let_go_on(self.engine, server)
            except Exception:
                log.exception("following changes continues after a failure")
                self._stopping.wait(1)
            self._behind.wait(0 if new else LOOK)
            self._behind.clear()

    def _mirror(self) -> None:
        """Let the sides of mirrors read on, and look at what they were told of."""
        while not self._stopping.is_set():
            new = 0
            try:
                for server in self.engine.directory.servers.values() if self.disk.is_left() else ():
                    new += sides_of_mirrors.follow(server, self.engine)
                    new += self._looker.look_due(server)
            except Exception:
                log.exception("mirroring continues after a failure")
                self._stopping.wait(1)
            self._mirrored.wait(0.01 if new else LOOK)
            self._mirrored.clear()

    def _mirror_in_full(self) -> None:
        """Read plans of mirrors, carry them out, and sweep both sides."""
        while not self._stopping.is_set():
            steps = 0
            try:
                for server in self.engine.directory.servers.values() if self.disk.is_left() else ():
                    steps += stages.work_due(self.engine, server)
            except Exception:
                log.exception("reading mirrors in full continues after a failure")
                self._stopping.wait(1)
            self._stopping.wait(0 if steps else 0.5)

    def _look_after(self) -> None:
        while not self._stopping.is_set():
            try:
                for server in self.engine.directory.servers.values():
                    upkeep.look_after(self.engine, server)
            except Exception:
                log.exception("maintenance continues after a failure")
            self._stopping.wait(5)

    def _read_feeds(self) -> None:
        while not self._stopping.is_set():
            try:
                if not self.disk.is_left():
                    self._stopping.wait(1)
                    continue
                for server in self.engine.directory.servers.values():
                    self._poller.check_due(server)
                    self._poller.look_due(server)
            except Exception:
                log.exception("reading the feeds continues after a failure")
                self._stopping.wait(1)
            self._stopping.wait(0.25)


def main(engine: Engine) -> None:
    worker = Worker(engine)
    signal.signal(signal.SIGTERM, worker.stop)
    signal.signal(signal.SIGINT, worker.stop)
    log.info("taking up work")
    worker.run()
