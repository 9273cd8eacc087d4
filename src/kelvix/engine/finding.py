"""Answering the questions of Find lines. A run reads as it goes; a rehearsal really reads too, but paced: a question is read
once it has settled, so never once per keystroke, and its answer is kept for a while, with the time at which it was read."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from kelvix.core.cells import Answer
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.finding import Question
from kelvix.core.schema import Database
from kelvix.store import finding
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space, Within

Finder = Callable[[Question], Answer | None]
AsksApp = Callable[[Space, Database, Question], Answer]

KEPT = 60.0  # seconds for which an answer is good
SETTLED = 0.25  # seconds after which a question that is asked again is read
MAX_KEPT, MAX_SIZE = 5_000, 64_000_000  # answers, and the characters of their texts
PACE, BURST = 60.0, 100.0  # reads a second and workspace, and how many may come at once


def direct(space: Space, databases: Mapping[int, Database], ask: AsksApp) -> Finder:
    """Return what reads each time that it is asked: a database of ours, or an app."""

    def find(question: Question) -> Answer | None:
        database = databases[question.database]
        if database.outside is not None:
            return ask(space, database, question)
        return space.read(lambda t: finding.find(t, database, question, space.zone))

    return find


def _unless_it_fails(read: Finder) -> Finder:
    """Return what says of an app that can’t be asked why that is, where nothing is carried out."""

    def find(question: Question) -> Answer | None:
        try:
            return read(question)
        except (TransientError, PermanentError) as failure:
            return Answer(0, None, {}, datetime.now(UTC), problem=str(failure))

    return find


def holding(space: Within, databases: Mapping[int, Database]) -> Finder:
    """Return what reads each time that it is asked; what may be a thing that is added if it is not there is held first, until
    the transaction ends, so that it need not be looked for again when it is added."""

    def find(question: Question) -> Answer | None:
        def work(t: Transaction) -> Answer:
            if question.recognises:
                finding.hold(t, space.id, question)
            return finding.find(t, databases[question.database], question, space.zone)

        return space.read(work)

    return find


@dataclass
class _Known:
    """A question: when it was first asked, and its answer with the time at which that was read."""

    asked: float
    answer: Answer | None = None
    read: float = 0.0


def _weight(answer: Answer | None) -> int:
    """Return the characters of an answer's texts."""
    return sum(len(v) for v in answer.values.values() if isinstance(v, str)) if answer else 0


class Lookups:
    """The answers that rehearsals share, by workspace."""

    def __init__(self, now: Callable[[], float] = time.monotonic, sleep: Callable[[float], None] = time.sleep):
        self.now, self.sleep = now, sleep
        self._size = 0
        self._known: OrderedDict[tuple[int, Question], _Known] = OrderedDict()
        self._allowed: dict[int, tuple[float, float]] = {}  # by workspace: reads that are left, as of when
        self._lock = threading.Lock()

    def finder(self, space: Space, databases: Mapping[int, Database], ask: AsksApp, again: bool = False) -> Finder:
        """For a rehearsal: gives nothing where a question has not settled, or the workspace reads too much at once; it is to be
        asked again a little later. `again` reads anew what was read before."""
        read = _unless_it_fails(direct(space, databases, ask))

        def find(question: Question) -> Answer | None:
            with self._lock:
                known = self._note((space.id, question))
                now = self.now()
                good = known.answer is not None and now - known.read < KEPT and not again
                settled = known.answer is not None or now - known.asked >= SETTLED
                if good or not settled or not self._take(space.id, now):
                    return known.answer
            return self._keep((space.id, question), known, read(question))

        return find

    def patient(self, space: Space, databases: Mapping[int, Database], ask: AsksApp) -> Finder:
        """For a backcast, which has time: waits for its turn to read."""
        read = _unless_it_fails(direct(space, databases, ask))

        def find(question: Question) -> Answer | None:
            with self._lock:
                known = self._note((space.id, question))
                if known.answer is not None and self.now() - known.read < KEPT:
                    return known.answer
            while True:
                with self._lock:
                    if self._take(space.id, self.now(), spare=BURST / 2):
                        break
                self.sleep(1 / PACE)
            return self._keep((space.id, question), known, read(question))

        return find

    def _note(self, key: tuple[int, Question]) -> _Known:
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = _Known(self.now())
        self._known.move_to_end(key)
        self._let_go()
        return known

    def _keep(self, key: tuple[int, Question], known: _Known, answer: Answer | None) -> Answer | None:
        with self._lock:
            if self._known.get(key) is known:  # else it was let go meanwhile
                self._size += _weight(answer) - _weight(known.answer)
            known.answer, known.read = answer, self.now()
            self._let_go()
        return answer

    def _let_go(self) -> None:
        """Forget what was asked for longest ago, where there are too many answers or they are too large."""
        while len(self._known) > MAX_KEPT or self._size > MAX_SIZE:
            self._size -= _weight(self._known.popitem(last=False)[1].answer)

    def _take(self, workspace: int, now: float, spare: float = 0.0) -> bool:
        """Whether one more read is allowed now; `spare` are left for others."""
        left, since = self._allowed.get(workspace, (BURST, now))
        left = min(BURST, left + (now - since) * PACE)
        allowed = left >= 1 + spare
        self._allowed[workspace] = (left - 1 if allowed else left, now)
        return allowed
