"""Lines that change a database: what they would write for a sample, and what lines below can use of it. Nothing is written
here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TypeVar

from kelvix.core.cells import Answer, Cell, Finding
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, FieldResult, Held, fill_record, is_filled, never_fits, references
from kelvix.core.finding import Question
from kelvix.core.outcome import UNREADY, AskPerson, ChangeRecord, GoOn, Problem, ReadFirst
from kelvix.core.query import Comparison
from kelvix.core.schema import CarriedField, Database
from kelvix.core.values import FieldId, Value, as_text, shorten
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    BadDocument,
    Delete,
    FieldFilling,
    Fills,
    Line,
    Update,
    Writes,
    filling_of,
)

F = TypeVar("F", bound=Fills)

KEPT = {"add": "Record added", "add_or_update": "Record kept", "update": "Record changed"}
VERBS = {"add": "add to", "add_or_update": "add to, or update in", "update": "update", "delete": "delete"}


@dataclass(frozen=True)
class Target:
    """What a line works on: the databases there are, how a record's link is written, and who answers questions."""

    databases: Mapping[int, Database]
    env: Env
    find: Callable[[Question], Answer | None]
    record_link: str

    def link(self, database: Database, record: object) -> str:
        return self.record_link.format(database=database.id, record=record)


def fields_of(line: Writes) -> tuple[CarriedField, ...]:
    """Return what lines below can use of the record that was written."""
    if isinstance(line, Delete):
        return ()
    name = KEPT[line.verb]
    own = (CarriedField("title", (name, "Name"), "text"), CarriedField("link", (name, "Link"), "link"))
    return (*own, CarriedField("is_new", (name, "Is it new"), "yes_no")) if isinstance(line, AddOrUpdate) else own


def database_of(line: Writes, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
    """Return the database that a line writes to: its own, or that of the record it changes."""
    if isinstance(line, Add | AddOrUpdate):
        return databases.get(line.database) if line.database is not None else None
    held = carried.records.get(line.of)
    return databases.get(held.database) if held else None


def title_of(values: Mapping[FieldId, Value], database: Database, env: Env) -> str:
    return as_text(values.get(database.fields[0].id), env.zone)


def written(results: tuple[FieldResult, ...]) -> dict[FieldId, Value]:
    """Return the values that a line writes."""
    return {r.field: r.value for r in results if r.value is not None or r.clears}


def makes(line: Fills, carried: Carried, databases: Mapping[int, Database]) -> Carried:
    """Return what lines below can use whatever the sample: the record, and what is told of it."""
    database = database_of(line, carried, databases)
    return carried.plus(line.id, fields_of(line), {}, Held(database.id) if database else None)


def bare(line: F) -> F:
    """Return a line without what its fields were called."""
    return replace(line, fillings=tuple(replace(f, named="") for f in line.fillings))


def named(line: F, earlier: Line | None, databases: Mapping[int, Database]) -> F:
    """Return a line with what its fields were called when each was filled last."""
    names = {f.id: f.name for d in databases.values() for f in d.fields}
    fills = {f.field: f for f in earlier.fillings} if isinstance(earlier, Fills) else {}

    def one(filled: FieldFilling) -> FieldFilling:
        kept = fills.get(filled.field)
        if kept and kept.named and kept.filling == filled.filling:
            return replace(filled, named=kept.named)
        return replace(filled, named=names.get(filled.field) or (kept.named if kept else filled.named))

    return replace(line, fillings=tuple(map(one, line.fillings)))


def check_document(line: Fills) -> None:
    """Raise BadDocument where a field is filled twice."""
    named = [f.field for f in line.fillings]
    if len(set(named)) != len(named):
        raise BadDocument("a line fills a field only once")


def _missing(line: Writes, of_record: bool) -> str:
    if of_record:
        return f"choose which record to {VERBS[line.verb]}"
    return f"choose the database to {VERBS[line.verb]}"


def step(line: Writes, carried: Carried, to: Target) -> tuple[Cell, Carried]:
    """Return what a line would write for a sample, and what lines below can use."""
    database = database_of(line, carried, to.databases)
    if database is None:
        of_record = isinstance(line, Update | Delete)
        chosen = bool(line.of) if isinstance(line, Update | Delete) else line.database is not None
        gone = "the line whose record it changes is gone" if of_record else "the database it wrote to is gone"
        return Cell(line.id, Problem() if chosen else UNREADY, gone if chosen else _missing(line, of_record)), carried
    match line:
        case Add():
            return _step_add(line, database, carried, to)
        case AddOrUpdate():
            return _step_add_or_update(line, database, carried, to)
        case Update():
            return _step_update(line, database, carried, to)
        case Delete():
            return _step_delete(line, database, carried, to)


def _count(number: int, one: str, many: str) -> str:
    return f"{number} {one if number == 1 else many}"


def _cell(line: Writes, note: str, results: list[FieldResult], answer: Answer | None = None) -> Cell:
    wrong = [r for r in results if r.state == "put_right"]
    doubts = sum(r.state == "look" for r in results)
    would = Problem() if wrong else ChangeRecord(written(tuple(results)))
    return Cell(line.id, would, shorten(wrong[0].sentence, 120) if wrong else note, tuple(results), doubts, answer=answer)


def below(line: Writes, held: Held, database: Database, carried: Carried, to: Target, is_new: bool = False) -> Carried:
    """Return what lines below a line can use of the record that it wrote."""
    record = "provisional" if held.record is None else held.record
    values: dict[str, Value] = {"title": None, "link": None}
    if held.there:
        values = {"title": title_of(held.values, database, to.env) or None, "link": to.link(database, record)}
    if isinstance(line, AddOrUpdate):
        values["is_new"] = is_new
    return carried.plus(line.id, fields_of(line), values, held)


def _step_add(line: Add, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
    results = fill_record(line, database, carried, to.env)
    fit = sum(r.state in ("fits", "look") for r in results)
    held = Held(database.id, True, None, written(tuple(results)))
    return _cell(line, _count(fit, "field fits", "fields fit"), results), below(line, held, database, carried, to)


def changed(results: tuple[FieldResult, ...], held: Held) -> dict[FieldId, Value]:
    """Return the values that differ from what the record has."""
    return {field: value for field, value in written(results).items() if held.values.get(field) != value}


def _changes(results: list[FieldResult], held: Held, database: Database, env: Env) -> str:
    number = len(changed(tuple(results), held))
    said = _count(number, "field changes", "fields change") if number else "nothing changes"
    return f"{said}: {shorten(title_of(held.values, database, env), 60)}"


def _step_update(line: Update, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
    held = carried.records[line.of]
    if not held.there:
        return Cell(line.id, GoOn("found_none"), "no record to update"), below(line, held, database, carried, to)
    results = fill_record(line, database, carried, to.env, held)
    after = Held(database.id, True, held.record, {**held.values, **written(tuple(results))})
    return _cell(line, _changes(results, held, database, to.env), results), below(line, after, database, carried, to)


def _step_delete(line: Delete, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
    held = carried.records[line.of]
    gone = carried.plus(line.of, (), {}, Held(database.id))  # so that lines below do not change it any more
    if not held.there:
        return Cell(line.id, GoOn("found_none"), "no record to delete"), gone
    return Cell(line.id, ChangeRecord({}), f"to the trash: {shorten(title_of(held.values, database, to.env), 60)}"), gone


def match(line: AddOrUpdate, results: tuple[FieldResult, ...], database: Database) -> Question | str:
    """Return what an Add or update line asks: the record whose fields are as they would be written. A sentence where it
    cannot."""
    if not line.by:
        return "say by which field a record is recognised"
    compared: list[Comparison] = []
    for field_id in line.by:
        field, result = database.field(field_id), next((r for r in results if r.field == field_id), None)
        if field is None or not TYPES[field.type].recognises:
            return "say by which field a record is recognised: the one that was chosen is gone, or cannot be compared"
        if result is None or result.value is None:
            return f"a record is recognised by {field.name}, which is empty in this item"
        compared.append(Comparison(field.id, "is", result.value))
    return Question(database.id, "all", tuple(compared), "oldest")


def _step_add_or_update(line: AddOrUpdate, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
    new = fill_record(line, database, carried, to.env)
    nothing = below(line, Held(database.id), database, carried, to)
    asked = match(line, tuple(new), database)
    if any(r.state == "put_right" and r.field in line.by for r in new):
        return _cell(line, "", new), nothing
    if isinstance(asked, str):
        return Cell(line.id, Problem() if line.by else UNREADY, asked, tuple(new)), nothing
    answer = to.find(asked)
    if answer is None:
        return Cell(line.id, ReadFirst(), "being read", tuple(new)), nothing
    if answer.record is None:
        held = Held(database.id, True, None, written(tuple(new)))
        fit = sum(r.state in ("fits", "look") for r in new)
        return _cell(line, f"adds a record: {_count(fit, 'field', 'fields')}", new, answer), below(
            line, held, database, carried, to, is_new=True
        )
    if answer.count > 1 and line.several == "stop":
        said = f"{answer.count} records match, and this line updates only one: compare another field too"
        return Cell(line.id, Problem(), said, tuple(new), answer=answer), nothing
    if answer.count > 1 and line.several == "ask":
        if any(r.state == "put_right" for r in new):
            return _cell(line, "", new, answer), nothing
        which = Held(database.id, True, None, written(tuple(new)))  # nobody knows which yet
        said = f"asks: {answer.count} records match; which is it?"
        return Cell(line.id, AskPerson(which.values), said, tuple(new), answer=answer), below(
            line, which, database, carried, to
        )
    there = Held(database.id, True, answer.record, answer.values)
    results = fill_record(line, database, carried, to.env, there)
    note = _changes(results, there, database, to.env)
    if answer.count > 1:
        note = f"updates {answer.count} records"
    after = Held(database.id, True, answer.record, {**there.values, **written(tuple(results))})
    return _cell(line, note, results, answer), below(line, after, database, carried, to)


def check(line: Writes, carried: Carried, to: Target) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    database = database_of(line, carried, to.databases)
    if database is None:
        if isinstance(line, Update | Delete):
            lost = "the line whose record this changes is gone or stands below; choose another"
            return [Finding(line.id, lost if line.of else _missing(line, True))]
        lost = f"the database that this line writes to was deleted; choose another to {VERBS[line.verb]}"
        return [Finding(line.id, lost if line.database is not None else _missing(line, False))]
    return [] if isinstance(line, Delete) else _check_fillings(line, database, carried, to)


def _check_fillings(line: Fills, database: Database, carried: Carried, to: Target) -> list[Finding]:
    there = Held(database.id, True) if isinstance(line, Update) else None
    found = [
        Finding(line.id, r.sentence, r.field, r.remedies)
        for r in fill_record(line, database, carried, to.env, there)
        if database.field(r.field) is None
    ]
    if isinstance(line, Update) and not any(is_filled(f.filling) for f in line.fillings):
        found.append(Finding(line.id, "fill at least one field; the others stay as they are"))
    if isinstance(line, AddOrUpdate):
        found += _check_match(line, database)
    for field in database.fields:
        filling = filling_of(line, field.id)
        if field.required and not is_filled(filling) and there is None:
            found.append(Finding(line.id, f"{field.name} must be filled", field.id))
        elif clash := never_fits(filling, field, carried):
            found.append(Finding(line.id, clash, field.id))
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, f"{field.name} is filled with a value that the lines above do not carry", field.id))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, f"the formula that fills {field.name} cannot be read yet", field.id))
    return found


def _check_match(line: AddOrUpdate, database: Database) -> list[Finding]:
    fields = [database.field(f) for f in line.by]
    if not fields or any(f is None or not TYPES[f.type].recognises for f in fields):
        return [Finding(line.id, "say by which field a record is recognised")]
    return [
        Finding(line.id, f"a record is recognised by {f.name}: say what it is filled with", f.id)
        for f in fields
        if f and not is_filled(filling_of(line, f.id))
    ]
