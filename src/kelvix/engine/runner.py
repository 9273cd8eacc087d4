"""Carrying a claimed run through its lines. Effect and outcome commit together, under the fencing token."""

from __future__ import annotations

import logging
import random
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.connectors.contract import Passing, Standing
from kelvix.core import waiting, writing
from kelvix.core.cells import Answer, Cell
from kelvix.core.conditions import references
from kelvix.core.feel import Env
from kelvix.core.filling import Carried, FieldResult, describe
from kelvix.core.filling import references as used_by
from kelvix.core.rehearsal import Surroundings, carried_from_item, carry_found, step
from kelvix.core.values import as_text, shorten, to_wire
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    Delete,
    Find,
    Line,
    OnlyIf,
    Shape,
    Wait,
    Workflow,
    Writes,
    filling_of,
    fillings_of,
)
from kelvix.engine import effects
from kelvix.engine.engine import Engine
from kelvix.engine.sampling import as_kept
from kelvix.store import runs, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Origin
from kelvix.store.runs import Claim, Fenced, LineRow

MOST_ATTEMPTS = 8
FIRST_PAUSE, LONGEST_PAUSE = 1.0, 300.0  # seconds
log = logging.getLogger(__name__)


def backoff(attempt: int) -> float:
    """Seconds before the next attempt: doubled each time, with jitter, so that what failed together does not return so."""
    return float(min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** (attempt - 1)) * random.uniform(0.5, 1.5))


@dataclass
class Progress:
    """What was computed since the last commit, and is written with the next effect."""

    item: dict[str, Any]
    new_item: bool
    lines: list[LineRow] = field(default_factory=list)

    def hold(self, t: Transaction, claim: Claim, end: str | None, problem: runs.Problem | None = None) -> None:
        runs.hold(t, claim, self.item if self.new_item else None, end, problem)

    def written(self) -> None:
        self.new_item, self.lines = False, []


class Runner:
    """Carries runs out. `before_effect` is called before each transaction that writes; tests use it to stop in time."""

    def __init__(self, engine: Engine, before_effect: Callable[[Claim], None] = lambda _: None):
        self.engine, self.before_effect = engine, before_effect
        self._versions: dict[tuple[int, int], tuple[int, Workflow]] = {}

    def _version(self, space: Space, version_id: int) -> Workflow:
        """Versions never change, so that they are read once."""
        key = (space.id, version_id)
        if key not in self._versions:
            self._versions[key] = space.read(lambda t: workflows.version(t, space.id, version_id))
        return self._versions[key][1]

    def carry(self, claim: Claim) -> None:
        """Carry a run as far as it goes. Never raises: what goes wrong is kept with the run."""
        space = self.engine.directory.open(claim.workspace_id)
        topics: set[str] = {"runs", f"workflow:{claim.workflow_id}"}
        try:
            if claim.attempts > MOST_ATTEMPTS:  # it took its worker with it, each time
                raise Standing("this run ended its worker each time that it was begun, and was set aside", "run")
            self._carry(space, claim, topics)
        except Fenced:
            log.warning("run %s was taken over by another worker; nothing was written", claim.run_id)
            return
        except Passing as failure:
            self._later(space, claim, str(failure), failure.after)
        except Standing as failure:
            workflow = self._version(space, claim.version_id)
            self.engine.note_failure(space, workflow.when.connection, failure)
            self._fail(space, claim, None, str(failure))
        except Exception as error:
            log.exception("run %s failed", claim.run_id)
            self._later(space, claim, f"something went wrong inside Kelvix ({type(error).__name__})", None)
        self.engine.dispatch.announce(space.id, *sorted(topics))

    def _later(self, space: Space, claim: Claim, sentence: str, after: float | None) -> None:
        if claim.kind == "try" or claim.attempts >= MOST_ATTEMPTS:
            return self._fail(
                space,
                claim,
                None,
                sentence
                if claim.kind == "try"
                else f"{sentence}; given up after {claim.attempts} attempts. Run it again when the cause is gone",
            )
        pause = after if after is not None else backoff(claim.attempts)

        def work(t: Transaction) -> None:
            runs.hold(t, claim)
            runs.wait(t, claim, pause, {"sentence": sentence, "attempt": claim.attempts, "again_in": round(pause, 1)})

        self._guarded(space, work)

    def _fail(self, space: Space, claim: Claim, line: str | None, sentence: str) -> None:
        def work(t: Transaction) -> None:
            runs.hold(t, claim, None, "failed", {"sentence": sentence, "line": line})

        self._guarded(space, work)

    def _guarded(self, space: Space, work: Callable[[Transaction], None]) -> None:
        try:
            space.transact(work)
        except Fenced:
            return

    def _carry(self, space: Space, claim: Claim, topics: set[str]) -> None:
        workflow = self._version(space, claim.version_id)
        around = self.engine.surroundings(space, workflow)
        progress = self._item(space, claim, workflow)
        recorded = space.read(lambda t: runs.lines(t, space.id, [claim.run_id]))[claim.run_id] if claim.token > 1 else {}
        done = {line: r for line, r in recorded.items() if r.outcome != "failed"}
        carried = carried_from_item(workflow.when, around.source, progress.item["values"])
        passed = finished = False
        now, rested = around, any(r.outcome in ("waits", "waited") for r in done.values())
        for line in workflow.lines:
            if rested:
                around = self._as_of(workflow, line, done, now)
            if isinstance(line, Find) and line.id in done:  # not asked again: what was done since hangs on the first answer
                carried = self._as_found(space, line, done[line.id], carried, around)
                passed = done[line.id].outcome == "passed_by"
                if passed:
                    break
                continue
            cell, below = step(line, carried, around)
            if line.id in done:
                carried = self._as_recorded(line, done[line.id], below, carried, around)
                passed = done[line.id].outcome == "passed_by"
                if done[line.id].outcome == "waits":  # its time has come, else nobody had taken the run up
                    progress.lines.append((line.id, "waited", None, done[line.id].output))
            elif isinstance(line, Wait) and cell.state == "waits" and claim.kind != "try":
                return self._rest(space, claim, progress, line, carried, around)
            elif cell.state in ("put_right", "unready"):
                return self._stop(space, claim, progress, line, cell, carried, around)
            elif isinstance(line, Writes) and self._is_due(line, cell, carried, claim):
                finished = line is workflow.lines[-1]
                carried = self._write(space, claim, progress, line, cell, carried, around, topics, finished)
            else:
                left_out = cell.state == "waits" or (isinstance(line, Writes) and cell.state == "fits")
                outcome = "skipped" if left_out else cell.state
                progress.lines.append((line.id, outcome, _given(line, carried, around.env.zone), _made(line, cell, around)))
                carried, passed = below, outcome == "passed_by"
            if passed:
                break
        if not finished:
            self._finish(space, claim, progress, "passed_by" if passed else "done")

    def _item(self, space: Space, claim: Claim, workflow: Workflow) -> Progress:
        """The source item: as it was when first fetched for this run, else fetched now."""
        if claim.item is not None:
            return Progress(claim.item, False)
        app, token = self.engine.access(space, workflow.when.connection)
        found = app.item(token, claim.item_id)
        return Progress(as_kept(app, found), True)

    def _as_of(self, workflow: Workflow, line: Line, done: dict[str, runs.RunLine], now: Surroundings) -> Surroundings:
        """What is above a line that rested is as it was when that began: its clock stands still there."""
        later = workflow.lines[workflow.lines.index(line) :]
        kept = next((done[w.id].output for w in later if isinstance(w, Wait) and w.id in done and done[w.id].output), None)
        if kept is None:
            return now
        env = now.env
        return replace(now, env=Env(datetime.fromisoformat(kept["since"]), env.zone, env.locale, env.order))

    def _rest(self, space: Space, claim: Claim, progress: Progress, line: Wait, carried: Carried, around: Surroundings) -> None:
        """Record how far the run came, and let it rest until the time; any worker takes it up then."""
        due = waiting.until(line, around.env.now, carried, around.env)
        kept = {"since": around.env.now.isoformat(), "until": due.isoformat()}

        def work(t: Transaction) -> None:
            progress.hold(t, claim, None)
            runs.keep_lines(t, claim, [*progress.lines, (line.id, "waits", None, kept)])
            runs.rest(t, claim, due)

        space.transact(work)

    def _is_due(self, line: Writes, cell: Cell, carried: Carried, claim: Claim) -> bool:
        """Whether a line is to write: in a try of another line it is left out, and so is what hangs on what was left out."""
        if cell.state != "fits" or claim.only_line not in (None, line.id):
            return False
        return isinstance(line, Add | AddOrUpdate) or carried.records[line.of].record is not None

    def _as_recorded(
        self, line: Line, recorded: runs.RunLine, below: Carried, carried: Carried, around: Surroundings
    ) -> Carried:
        if isinstance(line, Writes) and recorded.output:
            database = writing.database_of(line, carried, around.databases)
            if database is None:
                raise Standing("the database that this run wrote to was deleted", "run")
            effect = effects.recorded(line, recorded.outcome, recorded.output, database)
            return effects.carry_on(line, effect, database, carried, around)
        return below

    def _as_found(self, space: Space, line: Find, recorded: runs.RunLine, carried: Carried, around: Surroundings) -> Carried:
        """What a Find line found, as the run recorded it."""
        database = around.databases.get(line.database or 0)
        if database is None:
            raise Standing("the database that this run looked in was deleted", "run")
        kept = recorded.output or {}
        held = effects.recorded_values(kept, database)
        answer = Answer(kept.get("count", 0), kept.get("record"), held, around.env.now)
        return carry_found(line, database, answer, carried, around)

    def _write(
        self,
        space: Space,
        claim: Claim,
        progress: Progress,
        line: Writes,
        cell: Cell,
        carried: Carried,
        around: Surroundings,
        topics: set[str],
        last: bool,
    ) -> Carried:
        """Carry an effect out: what lines below can use. Where this is the last line, the run ends with the same commit."""
        database = writing.database_of(line, carried, around.databases)
        assert database
        origin = Origin(
            run=claim.run_id,
            line=line.id,
            workflow=str(claim.workflow_id),
            item=progress.item["title"][:300],
            filled=None
            if isinstance(line, Delete)
            else {f: describe(filling_of(line, f), carried) for f in writing.written(cell.results)},
        )
        self.before_effect(claim)

        def work(t: Transaction) -> effects.Effect:
            progress.hold(t, claim, "done" if last else None)
            effect = effects.carry_out(t, space.id, line, cell, carried, around, origin)
            made = effects.output(line, effect, database, around)
            runs.keep_lines(t, claim, [*progress.lines, (line.id, effect.outcome, _filled(line, cell.results, carried), made)])
            return effect

        effect = space.transact(work)
        progress.written()
        topics.add(f"records:{database.id}")
        return effects.carry_on(line, effect, database, carried, around)

    def _stop(
        self, space: Space, claim: Claim, progress: Progress, line: Line, cell: Cell, carried: Carried, around: Surroundings
    ) -> None:
        """A line that cannot be carried out with this item: nothing is written for it, and the run says why."""
        wrong = [_said(r, around) for r in cell.results if r.state == "put_right"] or [cell.note]

        given = _filled(line, cell.results, carried) if isinstance(line, Writes) else _given(line, carried, around.env.zone)

        def work(t: Transaction) -> None:
            progress.hold(t, claim, "failed", {"sentence": "; ".join(wrong), "line": line.id})
            runs.keep_lines(t, claim, [*progress.lines, (line.id, "failed", given, {"problems": wrong})])

        space.transact(work)

    def _finish(self, space: Space, claim: Claim, progress: Progress, state: str) -> None:
        """Where no effect was the end of the run."""

        def work(t: Transaction) -> None:
            progress.hold(t, claim, state)
            runs.keep_lines(t, claim, progress.lines)

        space.transact(work)


def _given(line: Line, carried: Carried, zone: ZoneInfo) -> Any:
    """What an Only if line looked at, what a Find line compared with."""
    if isinstance(line, OnlyIf | Find):
        parts = [ref for filling in fillings_of(line) for ref in used_by(filling)]
        looked = references(line.conditions) if isinstance(line, OnlyIf) else dict.fromkeys(parts)
        return {carried.name(ref): shorten(as_text(carried.values.get(ref), zone), 300) for ref in looked}
    return None


def _made(line: Line, cell: Cell, around: Surroundings) -> Any:
    """What a Shape line made, by name; what a Find line found."""
    if isinstance(line, Find):
        answer, database = cell.answer or Answer(0, None, {}, around.env.now), around.databases[line.database or 0]
        there = answer.record is not None
        return {
            "database": database.id,
            "database_name": database.name,
            "count": answer.count,
            "record": answer.record,
            "title": as_text(answer.values.get(database.fields[0].id), around.env.zone),
            "link": around.record_link.format(database=database.id, record=answer.record) if there else None,
            "values": {str(f): to_wire(v) for f, v in answer.values.items()},
        }
    if isinstance(line, Shape):
        values = {r.key: to_wire(r.value) for r in cell.parts}
        return {v.name: values.get(v.key) for v in line.values}
    return None


def _filled(line: Writes, results: tuple[FieldResult, ...], carried: Carried) -> Any:
    if isinstance(line, Delete):
        return None
    return {
        str(r.field): {"filled": describe(filling_of(line, r.field), carried), "state": r.state, "said": r.sentence}
        for r in results
        if r.value is not None or r.clears or r.state == "put_right"
    }


def _said(result: FieldResult, around: Surroundings) -> str:
    found = around.fields.get(result.field)
    return f"{found.name}: {result.sentence}" if found and not result.sentence.startswith(found.name) else result.sentence
