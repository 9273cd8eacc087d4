"""Add or update lines: the record that is there is updated, else one is added."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding, count_of
from kelvix.core.context import Context
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, Held, fill_record, is_filled
from kelvix.core.lines.kind import check_comparisons
from kelvix.core.lines.records import AddingKind
from kelvix.core.outcome import UNREADY, AskPerson, Problem, ReadFirst
from kelvix.core.schema import CarriedField, Database
from kelvix.core.values import FieldId, shorten
from kelvix.core.workflow import Adds, FieldFilling, Line, Reference, filling_of
from kelvix.core.writing import Target


@dataclass(frozen=True)
class AddOrUpdate(Adds):
    """Update the record whose fields `by` are what they are filled with; add one if none match. `several`: where there
    are several, ask a person which, stop, or update all."""

    id: str
    database: int | None = None
    by: tuple[FieldId, ...] = ()
    fillings: tuple[FieldFilling, ...] = ()
    several: Literal["ask", "stop", "all"] = "stop"
    within: str = ""
    verb: Literal["add_or_update"] = "add_or_update"


class AddOrUpdateKind(AddingKind[AddOrUpdate]):
    line, verb = AddOrUpdate, "add_or_update"
    needs = frozenset(("create", "update"))
    does = "add to, or update in"
    did = "kept"

    def fields(self, database: Database | None) -> tuple[CarriedField, ...]:
        return (*super().fields(database), CarriedField("is_new", (self.name_of(database), "Is it new"), "yes_no"))

    def below(
        self, line: AddOrUpdate, held: Held, database: Database, carried: Carried, to: Target, is_new: bool = False
    ) -> Carried:
        made = super().below(line, held, database, carried, to)
        return replace(made, values={**made.values, Reference(line.id, "is_new"): is_new})

    def write(self, line: AddOrUpdate, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        new = fill_record(line, database, carried, to.env)
        nothing = self.below(line, Held(database.id), database, carried, to)
        asked = writing.match(line.by, new, database)
        if any(r.state == "put_right" and r.field in line.by for r in new):
            return writing.cell(line, "", new), nothing
        if isinstance(asked, str):
            return Cell(line.id, Problem() if line.by else UNREADY, asked, tuple(new)), nothing
        answer = to.find(asked)
        if answer is None:
            return Cell(line.id, ReadFirst(), "loading", tuple(new)), nothing
        if answer.problem:
            return Cell(line.id, Problem(), shorten(answer.problem, 120), tuple(new), answer=answer), nothing
        if answer.record is None:
            held = Held(database.id, True, None, writing.written(tuple(new)))
            fit = sum(r.state in ("fits", "look") for r in new)
            said = f"adds {database.a_record}: {count_of(fit, 'field', 'fields')}"
            return writing.cell(line, said, new, answer), self.below(line, held, database, carried, to, is_new=True)
        if answer.count > 1 and line.several == "stop":
            said = f"{answer.count} {database.records_word} match, and this line updates only one. Compare another field too"
            return Cell(line.id, Problem(), said, tuple(new), answer=answer), nothing
        if answer.count > 1 and line.several == "ask":
            if any(r.state == "put_right" for r in new):
                return writing.cell(line, "", new, answer), nothing
            which = Held(database.id, True, None, writing.written(tuple(new)))  # nobody knows which yet
            said = f"asks: {answer.count} {database.records_word} match. Which one?"
            cell = Cell(line.id, AskPerson(which.values), said, tuple(new), answer=answer)
            return cell, self.below(line, which, database, carried, to)
        there = Held(database.id, True, answer.record, answer.values)
        results = fill_record(line, database, carried, to.env, there)
        note = writing.changes(results, there, database, to.env)
        if answer.count > 1:
            note = f"updates {answer.count} {database.records_word}"
        after = Held(database.id, True, answer.record, {**there.values, **writing.written(tuple(results))})
        return writing.cell(line, note, results, answer), self.below(line, after, database, carried, to)

    def check(
        self, line: AddOrUpdate, carried: Carried, context: Context, within: Callable[[], Carried | None]
    ) -> list[Finding]:
        database = self.database_of(line, carried, context.databases)
        return [*super().check(line, carried, context, within), *(_check_match(line, database) if database else [])]

    def check_document(self, line: AddOrUpdate) -> None:
        super().check_document(line)
        check_comparisons(len(line.by))

    def compares(self, line: AddOrUpdate) -> tuple[int | None, tuple[FieldId, ...]]:
        return line.database, line.by

    def bare(self, line: AddOrUpdate) -> AddOrUpdate:
        return replace(line, fillings=writing.bare(line.fillings))

    def named(self, line: AddOrUpdate, earlier: Line | None, databases: Mapping[int, Database]) -> AddOrUpdate:
        return replace(line, fillings=writing.named(line.fillings, earlier, databases, line.database))

    def says(self, line: AddOrUpdate, names: Mapping[int, str]) -> str:
        return f"add or update a record in {names.get(line.database or 0, 'a database')}"


def _check_match(line: AddOrUpdate, database: Database) -> list[Finding]:
    fields = [database.field(f) for f in line.by]
    if not fields or any(f is None or not TYPES[f.type].recognises for f in fields):
        return [Finding(line.id, f"choose a field to match {database.records_word} by")]
    return [
        Finding(line.id, f"{database.records_word} are matched by {f.name}: fill it", f.id)
        for f in fields
        if f and not is_filled(filling_of(line, f.id))
    ]


KIND = AddOrUpdateKind()
