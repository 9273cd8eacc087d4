"""What lines do to our own databases, within the transaction in which their outcome is recorded."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.collection import PermanentError
from kelvix.core.context import Context
from kelvix.core.filling import Carried, Held
from kelvix.core.lines import kind_of
from kelvix.core.lines.records import RecordKind
from kelvix.core.outcome import Wrote
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, RecordId, Value, to_wire
from kelvix.core.walking import Place
from kelvix.core.workflow import Writes
from kelvix.engine import recording
from kelvix.engine.effects import items
from kelvix.engine.effects.effect import Effect
from kelvix.engine.engine import Engine
from kelvix.engine.outside import Outside
from kelvix.engine.recording import place_text, recorded_values
from kelvix.store import records, runs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Origin, Record

W = TypeVar("W", bound=Writes)


@dataclass(frozen=True)
class Done:
    """What a line did, the record that lines below can use, and how many records it changed."""

    outcome: str
    held: Held
    count: int = 1
    is_new: bool = False


@dataclass(frozen=True)
class At:
    """Where and with what a line writes; `by`: the fields by which an Add line looks first whether its record is there."""

    workspace: int
    database: Database
    cell: Cell
    carried: Carried
    context: Context
    actor: Actor
    by: Sequence[FieldId]


class RecordEffect(Effect[W]):
    """Of a line that changes a database: the record, its change and the line's outcome commit together, under the token."""

    recalls = Wrote

    @abstractmethod
    def change(self, t: Transaction, at: At, line: W, answer: dict[str, Any] | None) -> Done:
        """Change records within the transaction. Raises PermanentError where the record is gone, TransientError where what
        matches changed since the line was looked at."""

    def is_put_off(self, line: W, by: Sequence[FieldId]) -> bool:
        """Say whether nothing below needs to know the record, so that it is written with what commits the whole."""
        return False

    def below(self, line: W, done: Done, database: Database, carried: Carried, context: Context) -> Carried:
        """Return what lines below can use of it."""
        return _kind(line).below(line, done.held, database, carried, context.target, done.is_new)

    def as_recorded(self, run: Outside, line: W, done: Wrote, carried: Carried) -> tuple[Carried, str]:
        database = _kind(line).database_of(line, carried, run.context.databases)
        if database is None:
            raise PermanentError("the database of this line was deleted", "run")
        return self.below(line, recorded(done, database), database, carried, run.context), ""

    @abstractmethod
    def items(self, at: items.At, line: W, answer: dict[str, Any] | None) -> items.Plan:
        """Return what it would do to items of an app. Raises PermanentError, TransientError as above."""

    def execute(self, run: Outside, line: W, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        return self._do(run, line, cell, carried, place, None)

    def answered(
        self, run: Outside, line: W, cell: Cell, carried: Carried, place: Place, answer: dict[str, Any]
    ) -> tuple[Carried, str]:
        return self._do(run, line, cell, carried, place, {k: v for k, v in answer.items() if k != "by"})

    def _do(
        self, run: Outside, line: W, cell: Cell, carried: Carried, place: Place, answer: dict[str, Any] | None
    ) -> tuple[Carried, str]:
        database = _kind(line).database_of(line, carried, run.context.databases)
        assert database
        if database.outside is None:
            return self._write(run, line, cell, carried, place, answer), ""
        at = items.At(run, line, cell, carried, place, database)
        wrote, end = at.write(lambda: self.items(at, line, answer), answer or {})
        if wrote is None:
            return carried, end
        return self.below(line, recorded(wrote, database), database, carried, run.context), end

    def may(self, engine: Engine, space: Space, line: W) -> list[Finding]:
        return items.may(engine, space, line)

    def _write(
        self, run: Outside, line: W, cell: Cell, carried: Carried, place: Place, answer: dict[str, Any] | None
    ) -> Carried:
        """Write, and record it: what lines below can use. Where this is the last line, the run ends with the same commit."""
        claim, context, progress = run.claim, run.context, run.progress
        database = _kind(line).database_of(line, carried, context.databases)
        assert database
        filled = recording.filled(line, cell, carried)
        actor = Actor(
            Origin(
                run=claim.run_id,
                line=line.id,
                workflow=str(claim.workflow_id),
                called=run.engine.name_of_workflow(run.space, claim.workflow_id),
                item=progress.item["title"][:300],
                filled=recording.described(line, cell, carried),
            )
        )
        at = At(claim.workspace_id, database, cell, carried, context, actor, run.recognises.get(line.id, ()))
        last = line is run.workflow.lines[-1] and not line.within
        run.before_effect(claim)
        computed = progress.lines

        def keep(t: Transaction, done: Done) -> Done:
            made = output(done, database, context, answer or {})
            runs.keep_lines(t, claim, [*computed, (line.id, place_text(place), made, filled)])
            return done

        def work(t: Transaction) -> Done:
            progress.hold(t, claim, "done" if last else None)
            if last and self.is_put_off(line, at.by):
                return add_later(t, run.space, database, cell, actor, lambda done: keep(t, done))
            return keep(t, self.change(t, at, line, answer))

        done = run.space.transact(work)
        run.finished = last
        progress.written()
        run.topics.add("records")
        return self.below(line, done, database, carried, context)


def _kind(line: Writes) -> RecordKind[Any]:
    kind = kind_of(line)
    assert isinstance(kind, RecordKind)
    return kind


def held_record(t: Transaction, at: At, of: str) -> Record | None:
    """Return the record that a line above holds, locked; none where it was deleted since."""
    return records.get(t, at.database, number(at.carried.records[of].record), lock=True)


def number(record: RecordId | None) -> int:
    """Return a record of ours by its number."""
    return record if isinstance(record, int) else 0


def add(t: Transaction, workspace_id: int, database: Database, values: Mapping[FieldId, Value], actor: Actor) -> Done:
    record_id, _ = write.add(t, workspace_id, database, values, actor)
    return Done("added", Held(database.id, True, record_id, values), is_new=True)


def add_later(
    t: Transaction, space: Space, database: Database, cell: Cell, actor: Actor, then: Callable[[Done], object]
) -> Done:
    """For a line below which nothing needs to know the record that it adds: what it will have done. `then` is told when it
    did, within the transaction."""
    values = cell.writes

    def effect(record_id: int | None) -> Done:
        return Done("added", Held(database.id, True, record_id, values), is_new=True)

    write.add_later(t, space.id, database, values, actor, lambda id: then(effect(id)))
    return effect(None)


def update(t: Transaction, workspace_id: int, database: Database, record: Record, cell: Cell, actor: Actor) -> Done:
    """Only what differs is written, and nothing at all where nothing does."""
    there = Held(database.id, True, record.id, record.values)
    values = writing.changed(cell.results, there)
    after = Held(database.id, True, record.id, {**record.values, **values})
    if not values:
        return Done("unchanged", after, 0)
    write.change(t, workspace_id, database, record, values, actor)
    return Done("updated", after)


def output(effect: Done, database: Database, context: Context, answer: Mapping[str, Any]) -> Wrote:
    """Return what is recorded of an effect, with the run; `answer`: what a person said about it."""
    held = effect.held
    return Wrote(
        effect.outcome,
        database.id,
        database.name,
        held.record,
        writing.title_of(held.values, database, context.env),
        context.target.link(database, held.record, held.values) if held.record else None,
        {f: to_wire(v) for f, v in held.values.items()},
        effect.count,
        effect.is_new,
        more=answer,
    )


def recorded(wrote: Wrote, database: Database) -> Done:
    """Return the effect that a run recorded."""
    held = Held(database.id, wrote.record is not None, wrote.record, recorded_values(wrote.values, database))
    return Done(wrote.code, held, wrote.count, wrote.is_new)
