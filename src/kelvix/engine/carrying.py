"""Carrying one run through its lines: what was recorded is taken as it was, what is new is carried out and recorded.

An effect and its outcome commit together, under the fencing token. Lines that only compute are recorded with the next effect.
"""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

from kelvix.collections.write import Actor
from kelvix.core import outcome, writing
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried, ListRow, describe
from kelvix.core.lines import ask, decide, find, kind_of, repeat
from kelvix.core.outcome import (
    AnsweredBy,
    Asked,
    AskPerson,
    ChangeRecord,
    Decided,
    End,
    FileSaved,
    FoundRecords,
    GoOn,
    MailsSent,
    NotTaken,
    Outcome,
    Plan,
    Problem,
    Requested,
    Rest,
    Rested,
    Rounds,
    SendMails,
    SendRequest,
    StartWorkflow,
    StoreFile,
    Wrote,
)
from kelvix.core.rehearsal import end_of, settled
from kelvix.core.steps import carried_from_item, step
from kelvix.core.values import Unfit
from kelvix.core.walking import LEFT, Place, Ways
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    Ask,
    Decide,
    Delete,
    Find,
    Line,
    Repeat,
    RunAnother,
    SaveFile,
    SendMail,
    Update,
    WebRequest,
    Writes,
    filling_of,
)
from kelvix.engine import calling, effects, handing_over, questioning, recording, saving, sending
from kelvix.engine.outside import Outside
from kelvix.engine.recording import place_text
from kelvix.engine.standpoint import RESTS, STUCK
from kelvix.store import questions, runs
from kelvix.store.database_server import Transaction
from kelvix.store.records import Origin
from kelvix.store.runs import RunLine
from kelvix.store.secrets import digest

LASTING = (AskPerson, ChangeRecord, Rest, SendMails, SendRequest, StartWorkflow, StoreFile)  # what is done once
MAX_STEPS = 5_000  # lines that one run carries out, those in rounds counted each time
MAX_SECONDS = 900.0  # for which a run is carried, its rests not counted


class Carrying(Outside):
    """One run, from its first line or from where it was left."""

    def carry(self) -> None:
        """Carry the run as far as it goes. Raises Fenced, TransientError, PermanentError."""
        carried = carried_from_item(self.workflow.when, self.context, self.progress.item["values"])
        _, end = self.through("", carried, ())
        if end not in (STUCK, RESTS) and not self._finished:
            self._end(end or "done")

    def line(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        self._steps += 1
        if self._steps > MAX_STEPS:
            raise PermanentError(
                f"this run carried out {MAX_STEPS:,} lines, the most that one run may: narrow its lists", "run"
            )
        if time.monotonic() - self._began > MAX_SECONDS:
            raise PermanentError(
                f"this run was carried for {MAX_SECONDS / 60:.0f} minutes, the longest that one may: let it do less, or hand "
                "a part of it to another workflow. Run again, it goes on where it is",
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
            return self._execute(line, cell, carried, place)
        left_out = isinstance(cell.would, LASTING)
        given = recording.given(line, carried, self.context.env.zone)
        code = "skipped" if left_out else cell.would.code
        self._record(line, place, kind_of(line).outcome(line, cell, code, self.context), given)
        return below, self._end_of(cell)

    def _is_due(self, line: Line, would: Plan, carried: Carried) -> bool:
        """Whether a line is to be carried out. In a try of another line it is left out, and so is what hangs on what was left
        out; a try never rests."""
        if isinstance(would, Rest):
            return self.claim.kind != "try"
        if self.claim.only_line not in (None, line.id):
            return False
        return isinstance(would, LASTING) and not (
            isinstance(line, Update | Delete) and carried.records[line.of].record is None
        )

    def _execute(self, line: Line, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Carry out what a line would do. Raises Fenced, TransientError, PermanentError."""
        match cell.would, line:
            case Rest() as would, _:
                return self._rest(line, would, carried, place), RESTS
            case AskPerson(), _:
                return self._ask(line, cell, carried, place), RESTS
            case ChangeRecord(), Add() | AddOrUpdate() | Update() | Delete():
                return self._write(line, cell, carried, place), ""
            case SendMails() as would, SendMail():
                return self._send(line, would, carried, place)
            case SendRequest() as would, WebRequest():
                return self._request(line, would, carried, place)
            case StoreFile() as would, SaveFile():
                return self._save(line, would, carried, place)
            case StartWorkflow(), RunAnother():
                return self._run_another(line, carried, place), ""
        raise TypeError(f"{type(line).__name__} cannot carry out {type(cell.would).__name__}")

    def _end_of(self, cell: Cell) -> str:
        if isinstance(cell.would, End):
            self._said = cell.would.why
        return end_of(cell)

    def _again(self, line: Line, recorded: RunLine, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Go on from a line as the run recorded it."""
        done = recorded.outcome
        if isinstance(line, Find):  # not asked again: what was done since hangs on the first answer
            database = self.context.databases.get(line.database or 0)
            if database is None:
                raise PermanentError("the database that this run looked in was deleted", "run")
            found = done if isinstance(done, FoundRecords) else FoundRecords(done.code)
            below = find.carry_found(line, database, recording.answer_of(found, database, self.context), carried, self.context)
            return below, done.end
        if isinstance(done, Asked):
            return self._answered(line, done, carried, place)
        cell, below = step(line, carried, self.context)
        self._rests += done.rested_since is not None
        match done:
            case _ if isinstance(line, Ask):
                return self._as_answered(line, done if isinstance(done, AnsweredBy) else None, carried)
            case MailsSent() if isinstance(line, SendMail):
                return sending.as_recorded(line, done, carried), ""
            case FileSaved() if isinstance(line, SaveFile):
                return saving.as_recorded(line, done, carried), ""
            case Requested() if isinstance(line, WebRequest):
                return calling.as_recorded(line, done, carried), ""
            case Wrote() if isinstance(line, Writes):
                database = writing.database_of(line, carried, self.context.databases)
                if database is None:
                    raise PermanentError("the database that this run wrote to was deleted", "run")
                return effects.carry_on(line, effects.recorded(done, database), database, carried, self.context), ""
            case Rested(code="waits"):  # its time has come, else nobody had taken the run up
                self._record(line, place, replace(done, code="waited"))
                return below, ""
        return below, done.end or self._end_of(cell)

    def _rest(self, line: Line, would: Rest, carried: Carried, place: Place) -> Carried:
        """Record how far the run came, and let it rest until the time; any worker takes it up then."""
        due = would.until
        self._record(line, place, Rested("waits", self.context.env.now.isoformat(), due.isoformat()))

        def work(t: Transaction) -> None:
            self.progress.hold(t, self.claim, None)
            runs.keep_lines(t, self.claim, self.progress.lines)
            runs.rest(t, self.claim, due)

        self.space.transact(work)
        return carried

    def _ask(self, line: Line, cell: Cell, carried: Carried, place: Place) -> Carried:
        """Ask a person, and let the run rest until there is an answer."""
        env = self.context.env
        kind: questions.Kind
        if isinstance(line, Ask):
            kind, asked = "approval", questioning.approval(line, cell, carried, env)
        else:
            assert isinstance(line, AddOrUpdate)
            database = self.context.databases[line.database or 0]
            kind, asked = "which", questioning.which(line, cell, database, self.space, self.context)
        self._record(line, place, Asked("asks", env.now.isoformat()))

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
        if isinstance(line, AddOrUpdate):
            return self._write(line, cell, carried, place, {"since": since.since, **asked.answer}), ""
        assert isinstance(line, Ask)
        answered = outcome.read("answered", {"since": since.since, "by": asked.answered_by, **asked.answer})
        assert isinstance(answered, AnsweredBy)
        self._record(line, place, answered)
        return self._as_answered(line, answered, carried)

    def _as_answered(self, line: Ask, said: AnsweredBy | None, carried: Carried) -> tuple[Carried, str]:
        if said is None:  # left out, in a try of another line
            return step(line, carried, self.context)[1], ""
        answer = questioning.answer_of(line, said, carried)
        below = ask.carry_on(line, answer, carried)
        if answer.approved or line.no == "go_on":
            return below, ""
        return below, LEFT if line.within else "passed_by"

    def decide(self, line: Decide, ways: Ways, carried: Carried, place: Place) -> tuple[str | None, Carried, str]:
        recorded = self.done.get((line.id, place_text(place)))
        if recorded is not None:
            done = recorded.outcome
            assert isinstance(done, Decided)
            return done.taken, decide.below(line, done.way, carried), ""
        choice = decide.choose(line, ways, carried, self.context.env)
        head = choice.cells[0]
        if choice.taken is None:
            return None, self._stop(line, head, carried, place), STUCK
        self._record(line, place, recording.decided(head.would.code, choice))
        for way in ways:
            code = GoOn("taken").code if way.id == choice.taken else NotTaken.code
            self._record(way, place, Outcome(code), recording.given(way, carried, self.context.env.zone))
        return choice.taken, decide.below(line, choice.name, carried), ""

    def rows(self, line: Repeat, carried: Carried, place: Place) -> tuple[tuple[ListRow, ...], str]:
        if repeat.list_of(line, carried) is None:
            return (), self._fail(line, "the list that this line goes through is no longer there", carried, place)
        try:
            return repeat.rows_of(line, carried), ""
        except Unfit as unfit:
            return (), self._fail(line, str(unfit), carried, place)

    def round_done(
        self, line: Repeat, number: int, of: int, inner: Carried, carried: Carried, place: Place
    ) -> tuple[tuple[str, ...], str]:
        try:
            more = repeat.collected(line, inner, self.context.env)
        except Unfit as unfit:
            return (), self._fail(line, str(unfit), carried, place)
        self._rounds(line, place, "repeating", number, of)
        return more, ""

    def repeated(self, line: Repeat, rounds: int, collected: tuple[str, ...], carried: Carried, place: Place) -> Carried:
        self._rounds(line, place, "repeated", rounds, rounds)
        return repeat.after(line, rounds, collected, carried)

    def _rounds(self, line: Repeat, place: Place, outcome: str, done: int, of: int) -> None:
        """How many rounds are over; of all that is said since the last commit, the last is kept."""
        key = (line.id, place_text(place))
        self.progress.lines = [row for row in self.progress.lines if row[:2] != key]
        self._record(line, place, Rounds(outcome, done, of))

    def _write(self, line: Writes, cell: Cell, carried: Carried, place: Place, answer: dict[str, Any] | None = None) -> Carried:
        """Carry an effect out: what lines below can use. Where this is the last line, the run ends with the same commit.
        `answer`: what a person said about which record is meant."""
        claim, context, progress = self.claim, self.context, self.progress
        database = writing.database_of(line, carried, context.databases)
        assert database
        actor = Actor(
            Origin(
                run=claim.run_id,
                line=line.id,
                workflow=str(claim.workflow_id),
                item=progress.item["title"][:300],
                filled=None if isinstance(line, Delete) else {f: describe(filling_of(line, f), carried) for f in cell.writes},
            )
        )
        last = line is self.workflow.lines[-1] and not line.within
        self.before_effect(claim)
        computed = progress.lines

        def keep(t: Transaction, effect: effects.Effect) -> effects.Effect:
            given = recording.filled(line, cell.results, carried)
            made = effects.output(effect, database, context, answer or {})
            runs.keep_lines(t, claim, [*computed, (line.id, place_text(place), made, given)])
            return effect

        def work(t: Transaction) -> effects.Effect:
            progress.hold(t, claim, "done" if last else None)
            by = self.recognises.get(line.id, ())
            if last and isinstance(line, Add) and not by:  # nothing below needs to know the record
                return effects.add_later(t, self.space, database, cell, actor, lambda effect: keep(t, effect))
            return keep(t, effects.execute(t, self.space.id, line, cell, carried, context, actor, answer, by))

        effect = self.space.transact(work)
        self._finished = last
        progress.written()
        self.topics.add("records")
        return effects.carry_on(line, effect, database, carried, context)

    def _run_another(self, line: RunAnother, carried: Carried, place: Place) -> Carried:
        """Start another workflow: its event and this line's outcome commit together."""
        self.before_effect(self.claim)
        key = digest("handed", self.claim.run_id, line.id, place_text(place))

        def work(t: Transaction) -> None:
            self.progress.hold(t, self.claim, None)
            made = handing_over.start(t, self.space, self.claim, line, carried, self.context, key)
            row = (line.id, place_text(place), made, None)
            runs.keep_lines(t, self.claim, [*self.progress.lines, row])

        self.space.transact(work)
        self.progress.written()
        self.topics.add("ready")
        return carried
