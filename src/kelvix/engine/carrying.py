"""Carrying one run through its lines: what was recorded is taken as it was, what is new is carried out and recorded.

An effect and its outcome commit together, under the fencing token. Lines that only compute are recorded with the next effect.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from kelvix.core import outcome
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried, ListRow
from kelvix.core.lines import kind_of
from kelvix.core.lines.held import Deciding, Repeating
from kelvix.core.outcome import (
    Asked,
    AskPerson,
    Decided,
    End,
    GoOn,
    Lasting,
    NotTaken,
    Outcome,
    Plan,
    Problem,
    Rest,
    Rested,
    Rounds,
)
from kelvix.core.rehearsal import end_of, settled
from kelvix.core.steps import carried_from_item, step
from kelvix.core.values import File, Unfit
from kelvix.core.walking import LEFT, Place, Ways
from kelvix.core.workflow import Line
from kelvix.engine import linked_files, recording
from kelvix.engine.effects import EFFECTS, effect_of
from kelvix.engine.outside import Outside
from kelvix.engine.recording import place_text
from kelvix.engine.standpoint import RESTS, STUCK
from kelvix.store import questions, runs
from kelvix.store.database_server import Transaction
from kelvix.store.runs import RunLine

MAX_STEPS = 5_000  # lines that one run carries out, those in rounds counted each time
MAX_SECONDS = 900.0  # for which a run is carried, its rests not counted


class Carrying(Outside):
    """One run, from its first line or from where it was left."""

    def carry(self) -> None:
        """Carry the run as far as it goes. Raises Fenced, TransientError, PermanentError."""
        carried = carried_from_item(self.workflow, self.context, self.progress.item["values"])
        _, end = self.through("", carried, ())
        if end not in (STUCK, RESTS) and not self.finished:
            self._end(end or "done")

    def line(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        self._steps += 1
        if self._steps > MAX_STEPS:
            raise PermanentError(f"this run reached its limit of {MAX_STEPS:,} lines. Shorten its lists", "run")
        if time.monotonic() - self._began > MAX_SECONDS:
            raise PermanentError(
                f"this run reached its limit of {MAX_SECONDS / 60:.0f} minutes. Let it do less, or move a part to "
                "another workflow. Run it again to continue",
                "run",
            )
        recorded = self.done.get((line.id, place_text(place)))
        if recorded is not None and recorded.outcome.code not in outcome.UNDER_WAY:
            return self._again(line, recorded, carried, place)
        cell, below = step(line, carried, self.context)
        cell = settled(cell, line)
        if isinstance(cell.would, Problem):
            return self._stop(line, cell, carried, place), STUCK
        if self._is_due(line, cell.would, carried):
            return self._execute(line, linked_files.kept(self.engine, self.space, cell), carried, place)
        left_out = isinstance(cell.would, Lasting)
        given = recording.given(line, carried, self.context.env.zone)
        code = "skipped" if left_out else cell.would.code
        self.record(line, place, kind_of(line).outcome(line, cell, code, self.context), given)
        return below, self._end_of(cell)

    def _is_due(self, line: Line, would: Plan, carried: Carried) -> bool:
        """Whether a line is to be carried out. In a try of another line it is left out, and so is what hangs on what was left
        out; a try never rests."""
        if isinstance(would, Rest):
            return self.claim.kind != "try"
        if self.claim.only_line not in (None, line.id):
            return False
        effect = effect_of(line)
        return isinstance(would, Lasting) and (effect is None or effect.has_something(line, carried))

    def _execute(self, line: Line, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Carry out what a line would do. Raises Fenced, TransientError, PermanentError."""
        if isinstance(cell.would, Rest):
            return self._rest(line, cell.would, carried, place), RESTS
        if isinstance(cell.would, AskPerson):
            return self._ask(line, cell, carried, place), RESTS
        return EFFECTS[line.verb].execute(self, line, cell, carried, place)

    def _end_of(self, cell: Cell) -> str:
        if isinstance(cell.would, End):
            self._said = cell.would.why
        return end_of(cell)

    def _again(self, line: Line, recorded: RunLine, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Go on from a line as the run recorded it."""
        done, effect = recorded.outcome, effect_of(line)
        if isinstance(done, Asked):
            return self._answered(line, done, carried, place)
        if effect is not None and isinstance(done, effect.recalls):
            self._rests += done.rested_since is not None
            return effect.as_recorded(self, line, done, carried)
        cell, below = step(line, carried, self.context)
        self._rests += done.rested_since is not None
        if isinstance(done, Rested) and done.code == "waits":  # its time has come, else nobody had taken the run up
            self.record(line, place, replace(done, code="waited"))
            return below, ""
        return below, done.end or self._end_of(cell)

    def _rest(self, line: Line, would: Rest, carried: Carried, place: Place) -> Carried:
        """Record how far the run came, and let it rest until the time; any worker takes it up then."""
        due = would.until
        self.record(line, place, Rested("waits", self.context.env.now.isoformat(), due.isoformat()))

        def work(t: Transaction) -> None:
            self.progress.hold(t, self.claim, None)
            runs.keep_lines(t, self.claim, self.progress.lines)
            runs.rest(t, self.claim, due)

        self.space.transact(work)
        return carried

    def _ask(self, line: Line, cell: Cell, carried: Carried, place: Place) -> Carried:
        """Ask a person, and let the run rest until there is an answer."""
        env = self.context.env
        kind, asked = EFFECTS[line.verb].question(self, line, cell, carried)
        self.record(line, place, Asked("asks", env.now.isoformat()))

        def work(t: Transaction) -> None:
            self.progress.hold(t, self.claim, None)
            runs.keep_lines(t, self.claim, self.progress.lines)
            questions.ask(t, self.claim, line.id, place_text(place), kind, asked)

        self.space.transact(work)
        self.topics.add("needs")
        return carried

    def _answered(self, line: Line, since: Asked, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Go on from a line that asked, with the answer; else let the run rest on."""
        asked = self._asked(line, place)
        if asked is None or asked.answer is None:
            return self._rest_on(carried), RESTS
        cell, _ = step(line, carried, self.context)  # as it was when it asked
        self._rests += 1
        answer = {"since": since.since, "by": asked.answered_by, **asked.answer}
        return EFFECTS[line.verb].answered(self, line, cell, carried, place, answer)

    def upcoming(self, line: Line, place: Place, most: int) -> list[tuple[Place, Cell]]:
        within = self.repeating[-1] if self.repeating else None
        if within is None or within.line.id != line.within or within.place != place[:-1]:
            return []
        body = self.blocks[within.line.id]
        above = body[: body.index(line)]
        if not all(_only_computes(other) for other in body if other is not line):
            return []
        found: list[tuple[Place, Cell]] = []
        for number, row in enumerate(within.rows[place[-1] :], place[-1] + 1):
            if len(found) >= min(most, (MAX_STEPS - self._steps) // len(body)):
                break
            cell, end = self._foreseen(line, above, within.enter(number, row))
            if end == LEFT:
                continue
            if cell is None:  # the run may not come further than to this round
                break
            found.append(((*within.place, number), cell))
        return found

    def _foreseen(self, line: Line, above: Sequence[Line], carried: Carried) -> tuple[Cell | None, str]:
        """Return what a line will do in a round, where it can do it as it is; LEFT where the round does not come to it."""
        for other in above:
            cell, carried = step(other, carried, self.context)
            cell = settled(cell, other)
            if isinstance(cell.would, Problem):
                return None, ""
            if end := end_of(cell):
                return None, end
        cell = settled(step(line, carried, self.context)[0], line)
        has_files = any(isinstance(value, File) for value in cell.writes.values())
        can = isinstance(cell.would, Lasting) and self._is_due(line, cell.would, carried) and not has_files
        return cell if can else None, ""

    def decide(
        self, kind: Deciding[Any], line: Line, ways: Ways, carried: Carried, place: Place
    ) -> tuple[str | None, Carried, str]:
        recorded = self.done.get((line.id, place_text(place)))
        if recorded is not None:
            done = recorded.outcome
            assert isinstance(done, Decided)
            return done.taken, kind.below(line, done.way, carried), ""
        choice = kind.choose(line, ways, carried, self.context.env)
        head = choice.cells[0]
        if choice.taken is None:
            return None, self._stop(line, head, carried, place), STUCK
        self.record(line, place, recording.decided(head.would.code, choice))
        for way in ways:
            code = GoOn("taken").code if way.id == choice.taken else NotTaken.code
            self.record(way, place, Outcome(code), recording.given(way, carried, self.context.env.zone))
        return choice.taken, kind.below(line, choice.name, carried), ""

    def rows(self, kind: Repeating[Any], line: Line, carried: Carried, place: Place) -> tuple[tuple[ListRow, ...], str]:
        if kind.list_of(line, carried) is None:
            return (), self._fail(line, "this line’s list is no longer available", carried, place)
        try:
            return kind.rows_of(line, carried), ""
        except Unfit as unfit:
            return (), self._fail(line, str(unfit), carried, place)

    def round_done(
        self, kind: Repeating[Any], line: Line, number: int, of: int, inner: Carried, carried: Carried, place: Place
    ) -> tuple[tuple[str, ...], str]:
        try:
            more = kind.collected(line, inner, self.context.env)
        except Unfit as unfit:
            return (), self._fail(line, str(unfit), carried, place)
        self._rounds(line, place, "repeating", number, of)
        return more, ""

    def repeated(
        self, kind: Repeating[Any], line: Line, rounds: int, collected: tuple[str, ...], carried: Carried, place: Place
    ) -> Carried:
        self._rounds(line, place, "repeated", rounds, rounds)
        return kind.after(line, rounds, collected, carried)

    def _rounds(self, line: Line, place: Place, outcome: str, done: int, of: int) -> None:
        """How many rounds are over; of all that is said since the last commit, the last is kept."""
        key = (line.id, place_text(place))
        self.progress.lines = [row for row in self.progress.lines if row[:2] != key]
        self.record(line, place, Rounds(outcome, done, of))


def _only_computes(line: Line) -> bool:
    """Say whether a line comes to the same whenever it is carried out: it neither acts nor looks anything up."""
    kind = kind_of(line)
    plain = not isinstance(kind, Deciding | Repeating) and not kind.acts and kind.is_local(line)
    return plain and kind.works_on(line) is None
