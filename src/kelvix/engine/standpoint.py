"""What carrying a run is built on: where it stands, what it has recorded, and the ways in which it ends or rests."""

from __future__ import annotations

import time
from abc import ABC
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from kelvix.core.cells import Cell
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.outcome import Failed, Outcome, Problem
from kelvix.core.values import FieldId
from kelvix.core.walking import Place, Walk
from kelvix.core.workflow import Line, Workflow
from kelvix.engine import recording
from kelvix.engine.engine import Engine
from kelvix.engine.leases import Leases
from kelvix.engine.recording import place_text
from kelvix.store import questions, runs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.runs import Claim, LineRow, RunLine

STUCK, RESTS = "stuck", "rests"  # ends at which the run was already put away


@dataclass
class Progress:
    """What was computed since the last commit, and is written with the next effect. `lease`: seconds that a claim holds."""

    lease: float
    item: dict[str, Any]
    new_item: bool
    lines: list[LineRow] = field(default_factory=list)

    def hold(self, t: Transaction, claim: Claim, end: str | None, problem: runs.Problem | None = None) -> None:
        runs.hold(t, claim, self.lease, self.item if self.new_item else None, end, problem)

    def written(self) -> None:
        self.new_item, self.lines = False, []


class Standpoint(Walk, ABC):
    """One run: what was recorded of it, and what is recorded now. `before_effect` is called before each transaction that
    writes."""

    def __init__(
        self,
        engine: Engine,
        space: Space,
        claim: Claim,
        workflow: Workflow,
        context: Context,
        progress: Progress,
        recorded: dict[tuple[str, str], RunLine],
        before_effect: Callable[[Claim], None],
        leases: Leases,
    ):
        super().__init__(workflow)
        self.engine, self.space, self.claim = engine, space, claim
        self.progress, self.before_effect, self.leases = progress, before_effect, leases
        self.done = {key: r for key, r in recorded.items() if not isinstance(r.outcome, Failed)}
        self.topics: set[str] = set()
        self.failed = False
        self.recognises: Mapping[str, Sequence[FieldId]] = {}
        self._now = context
        since = sorted(since for r in self.done.values() if (since := r.outcome.rested_since))
        self._clocks = [self._as_of(datetime.fromisoformat(s)) for s in since]
        self._rests = self._steps = 0
        self._began = time.monotonic()
        self.finished = False  # whether the run ended with an effect
        self._said = ""

    @property
    def context(self) -> Context:
        """What is above a line that rested is as it was when that began: the clock stands still there."""
        return self._clocks[self._rests] if self._rests < len(self._clocks) else self._now

    def _as_of(self, moment: datetime) -> Context:
        env = self._now.env
        return replace(self._now, env=replace(env, now=moment))

    def record(self, line: Line, place: Place, outcome: Outcome, given: Any = None) -> None:
        self.progress.lines.append((line.id, place_text(place), outcome, given))

    def _asked(self, line: Line, place: Place) -> questions.Question | None:
        return self.space.read(lambda t: questions.of_line(t, self.space.id, self.claim.run_id, line.id, place_text(place)))

    def _rest_on(self, carried: Carried) -> Carried:
        """Nobody answered yet."""

        def rest(t: Transaction) -> None:
            self.progress.hold(t, self.claim, None)
            questions.rest(t, self.claim)

        self.space.transact(rest)
        return carried

    def _stop(self, line: Line, cell: Cell, carried: Carried, place: Place) -> Carried:
        """End at a line that cannot be carried out with this item: nothing is written for it, and the run says why."""
        self.failed = True
        wrong = [recording.said(r) for r in cell.results if r.state == "put_right"] or [cell.note]
        given = recording.filled(line, cell, carried) or recording.given(line, carried, self.context.env.zone)
        self.record(line, place, Failed("failed", wrong), given)

        def work(t: Transaction) -> None:
            problem = {"sentence": "; ".join(wrong), "line": line.id, "place": place_text(place)}
            self.progress.hold(t, self.claim, "failed", problem)
            runs.keep_lines(t, self.claim, self.progress.lines)

        self.space.transact(work)
        return carried

    def _fail(self, line: Line, sentence: str, carried: Carried, place: Place) -> str:
        self._stop(line, Cell(line.id, Problem(), sentence), carried, place)
        return STUCK

    def _end(self, state: str) -> None:
        """Where no effect was the end of the run."""
        self.failed = state == "failed"
        problem = {"sentence": self._said or "a Stop line ended this run"} if state == "failed" else None

        def work(t: Transaction) -> None:
            self.progress.hold(t, self.claim, state, problem)
            runs.keep_lines(t, self.claim, self.progress.lines)

        self.space.transact(work)
