"""Leases of runs that are outside: while an app or a receiver has the word, or a file is read, a run's lease goes on, so that
it is not taken for a lost one; each such call has a deadline of its own. Computing keeps none: what hangs is found out."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial

from kelvix.connectors.deadline import DEADLINES, Bound
from kelvix.store import runs
from kelvix.store.database_server import DatabaseError
from kelvix.store.directory import Space
from kelvix.store.runs import Claim


class Leases:
    """The runs of this process that are outside. `leave` and `return_` are called as one goes and comes back: a worker lets
    another run compute meanwhile."""

    def __init__(self, lease: float, leave: Callable[[], object] = lambda: None, return_: Callable[[], object] = lambda: None):
        self.lease, self.leave, self.return_ = lease, leave, return_
        self._outside: dict[int, tuple[Space, Claim, Bound]] = {}
        self._lock = threading.Lock()
        self._wanted = threading.Event()
        self._keeper: threading.Thread | None = None

    @contextmanager
    def outside(self, space: Space, claim: Claim, since: float | None = None) -> Iterator[None]:
        """Around what a run does outside. Its calls break off when the lease does, which began at `since` by the monotonic
        clock: whoever takes the run up next knows that none of them is under way any more."""
        key, bound = id(claim), Bound((time.monotonic() if since is None else since) + self.lease)
        with self._lock:
            self._outside[key] = (space, claim, bound)
            if self._keeper is None:
                self._keeper = threading.Thread(target=self._keep, name="leases", daemon=True)
                self._keeper.start()
        self._wanted.set()
        self.leave()
        try:
            with DEADLINES.bounded(bound):
                yield
        finally:
            self.return_()
            with self._lock:
                self._outside.pop(key, None)

    def renew(self) -> None:
        """Begin the leases of all that are outside anew."""
        for space, claim, bound in self._outside_now().values():
            began = time.monotonic()
            with contextlib.suppress(DatabaseError):
                if space.read(partial(runs.renew, claim=claim, lease=self.lease)):
                    bound.until = began + self.lease

    def _keep(self) -> None:
        while True:
            self._wanted.wait()
            self._wanted.clear()
            while self._outside_now():
                time.sleep(self.lease / 4)
                self.renew()

    def _outside_now(self) -> dict[int, tuple[Space, Claim, Bound]]:
        with self._lock:
            return dict(self._outside)
