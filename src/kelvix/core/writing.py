"""What lines that change a record would write for a sample, and what is wrong with it. Nothing is written here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from kelvix.core.cells import Answer, Cell, Finding, count_of
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, FieldResult, Held, Remedy, fill_record, is_filled, never_fits, references
from kelvix.core.finding import Question
from kelvix.core.outcome import ChangeRecord, Problem
from kelvix.core.query import Comparison
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value, as_text, shorten
from kelvix.core.workflow import BadDocument, FieldFilling, Fills, Line, Writes, filling_of

Fillings = tuple[FieldFilling, ...]


@dataclass(frozen=True)
class Target:
    """What a line works on: the databases there are, how a record's link is written, and who answers questions."""

    databases: Mapping[int, Database]
    env: Env
    find: Callable[[Question], Answer | None]
    record_link: str

    def link(self, database: Database, record: object, values: Mapping[FieldId, Value]) -> str | None:
        return database.link(self.record_link, record, values)


def title_of(values: Mapping[FieldId, Value], database: Database, env: Env) -> str:
    return as_text(values.get(database.fields[0].id), env.zone)


def written(results: tuple[FieldResult, ...]) -> dict[FieldId, Value]:
    """Return the values that a line writes."""
    return {r.field: r.value for r in results if r.value is not None or r.clears}


def bare(fillings: Fillings) -> Fillings:
    """Return fillings without what their fields were called."""
    return tuple(replace(f, named="") for f in fillings)


def named(fillings: Fillings, earlier: Line | None, databases: Mapping[int, Database], database: int | None = None) -> Fillings:
    """Return fillings with what their fields were called when each was filled last. `earlier`: the line as it was kept;
    `database`: where they are filled, where the line says that itself."""
    if database is not None:
        databases = {id: one for id, one in databases.items() if id == database}
    names = {f.id: f.name for d in databases.values() for f in d.fields}
    fills = {f.field: f for f in earlier.fillings} if isinstance(earlier, Fills) else {}

    def one(filled: FieldFilling) -> FieldFilling:
        kept = fills.get(filled.field)
        if kept and kept.named and kept.filling == filled.filling:
            return replace(filled, named=kept.named)
        return replace(filled, named=names.get(filled.field) or (kept.named if kept else filled.named))

    return tuple(map(one, fillings))


def check_document(fillings: Fillings) -> None:
    """Raise BadDocument where a field is filled twice."""
    named = [f.field for f in fillings]
    if len(set(named)) != len(named):
        raise BadDocument("each field can be filled only once")


def cell(line: Writes, note: str, results: list[FieldResult], answer: Answer | None = None) -> Cell:
    """Return what is shown of a line that writes these."""
    wrong = [r for r in results if r.state == "put_right"]
    doubts = sum(r.state == "look" for r in results)
    would = Problem() if wrong else ChangeRecord(written(tuple(results)))
    return Cell(line.id, would, shorten(wrong[0].sentence, 120) if wrong else note, tuple(results), doubts, answer=answer)


def changed(results: tuple[FieldResult, ...], held: Held) -> dict[FieldId, Value]:
    """Return the values that differ from what the record has."""
    return {field: value for field, value in written(results).items() if held.values.get(field) != value}


def changes(results: list[FieldResult], held: Held, database: Database, env: Env) -> str:
    """Return in words what would change of a record."""
    number = len(changed(tuple(results), held))
    said = count_of(number, "field changes", "fields change") if number else "no changes"
    return f"{said}: {shorten(title_of(held.values, database, env), 60)}"


def match(by: Sequence[FieldId], results: Sequence[FieldResult], database: Database) -> Question | str:
    """Return what is asked to recognise a record: the one whose fields `by` are as they would be written. A sentence where it
    cannot."""
    if not by:
        return f"choose a field to match {database.records_word} by"
    compared: list[Comparison] = []
    for field_id in by:
        field, result = database.field(field_id), next((r for r in results if r.field == field_id), None)
        if field is None or not TYPES[field.type].recognises:
            return f"choose a field to match {database.records_word} by: the chosen one was deleted, or can’t be compared"
        if result is None or result.value is None:
            return f"{database.records_word} are matched by {field.name}, which is empty in this item"
        compared.append(Comparison(field.id, "is", result.value))
    return Question(database.id, "all", tuple(compared), "oldest")


def check(line: Fills, database: Database, carried: Carried, to: Target, there: bool = False) -> list[Finding]:
    """Return what must be put right of its fillings, whatever the sample. `there`: the record is one that is there, whose
    other fields stay."""
    held = Held(database.id, True) if there else None
    found = [
        Finding(line.id, r.sentence, r.field, r.remedies)
        for r in fill_record(line, database, carried, to.env, held)
        if database.field(r.field) is None
    ]
    for field in database.fields:
        filling = filling_of(line, field.id)
        if field.required and not is_filled(filling) and not there:
            found.append(Finding(line.id, f"{field.name} is required", field.id))
        elif is_filled(filling) and not field.can_write:
            remove = Remedy("remove it", (FieldFilling(field.id, ()),))
            found.append(Finding(line.id, f"{field.name} is read-only", field.id, (remove,)))
        elif clash := never_fits(filling, field, carried):
            found.append(Finding(line.id, clash, field.id))
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, f"{field.name} uses a value that is not available here", field.id))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, f"the formula for {field.name} has an error", field.id))
    return found
