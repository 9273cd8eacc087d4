"""The trial grid: what every line does with a sample, computed without writing anything.

The engine decides with the same functions when a run is real, so that a rehearsal and a run cannot disagree.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core import conditions, shaping
from kelvix.core.feel import FUNCTIONS, Env, Scope
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, FieldResult, FieldState, Remedy, fill_record, is_filled, never_fits, references
from kelvix.core.schema import CarriedField, Database
from kelvix.core.values import Unfit, Value, as_text, from_wire, shorten
from kelvix.core.workflow import (
    Add,
    DatePart,
    Filled,
    Filling,
    Formula,
    Group,
    Line,
    OnlyIf,
    Part,
    Reference,
    Shape,
    Shaped,
    Test,
    When,
    Workflow,
)

CellState = Literal["in", "goes_on", "passed_by", "fits", "put_right", "not_reached", "unready"]
ADDED = (CarriedField("title", ("Record added", "Name"), "text"), CarriedField("link", ("Record added", "Link"), "link"))


@dataclass(frozen=True)
class ShapedResult:
    """What a Shape line's value, named by its key, would be for one sample."""

    key: str
    state: FieldState
    value: Value = None
    sentence: str = ""
    remedies: tuple[Remedy, ...] = ()


@dataclass(frozen=True)
class Cell:
    """`note` is the short word under the state; `results` are an Add line's fields, `shaped` a Shape line's values; `doubts`
    counts those to look at; `rows` says of each row of an Only if line whether it holds."""

    line: str
    state: CellState
    note: str = ""
    results: tuple[FieldResult, ...] = ()
    doubts: int = 0
    rows: tuple[bool | None, ...] = ()
    shaped: tuple[ShapedResult, ...] = ()


@dataclass(frozen=True)
class Finding:
    """What the document alone, or its targets, say is not right: on a line, and there on a field or a shaped value."""

    line: str
    sentence: str
    field: int | None = None
    remedies: tuple[Remedy, ...] = ()
    key: str | None = None


@dataclass(frozen=True)
class Surroundings:
    """All that a rehearsal needs to know besides the document and the sample."""

    source: tuple[CarriedField, ...]
    databases: Mapping[int, Database]
    env: Env
    record_link: str = "http://127.0.0.1/databases/{database}/{record}"


def carried_from_item(when: When, source: tuple[CarriedField, ...], item: Mapping[str, object]) -> Carried:
    """A source item's values by reference: absent, empty and unreadable ones told apart."""
    values: dict[str, Value] = {}
    unreadable: dict[Reference, str] = {}
    for field in source:
        if field.key in item:
            raw = item[field.key]
            try:
                values[field.key] = from_wire(
                    raw if raw is None or isinstance(raw, (str, bool, list)) else repr(raw), field.type
                )
            except Unfit as unfit:
                unreadable[Reference(when.id, field.key)] = str(unfit)
    return Carried({}, {}, unreadable).plus(when.id, source, values)


def title_of(line: Add, results: list[FieldResult], database: Database, env: Env) -> str:
    title = database.fields[0].id
    return as_text(next((r.value for r in results if r.field == title), None), env.zone)


def _count(number: int, one: str, many: str) -> str:
    return f"{number} {one if number == 1 else many}"


def step(line: Line, carried: Carried, around: Surroundings) -> tuple[Cell, Carried]:
    """What one line does with what it is given, and what the lines below it can use."""
    match line:
        case When():
            count = carried.values.get(Reference(line.id, "attachment_count"))
            note = _count(int(str(count)), "attachment", "attachments") if count else ""
            return Cell(line.id, "in", note), carried
        case OnlyIf():
            rows = conditions.row_results(line.conditions, carried, around.env)
            try:
                on = conditions.goes_on(line, carried, around.env)
            except Unfit as unfit:
                return Cell(line.id, "put_right", str(unfit), rows=rows), carried
            return Cell(line.id, "goes_on" if on else "passed_by", rows=rows), carried
        case Shape():
            return _step_shape(line, carried, around.env)
        case Add():
            return _step_add(line, carried, around)


def shaped_fields(line: Shape, carried: Carried) -> tuple[CarriedField, ...]:
    """What a Shape line makes, with the types that can be told without a sample."""
    types = dict(carried.types)
    made: list[CarriedField] = []
    for value in line.values:
        type_ = shaping.type_of(value, types)
        types[line.id, value.key] = type_
        made.append(CarriedField(value.key, (value.name or "Unnamed",), type_))
    return tuple(made)


def _step_shape(line: Shape, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    """Each value can use those before it on the same line."""
    results: list[ShapedResult] = []
    for value, field in zip(line.values, shaped_fields(line, carried), strict=True):
        made: Value = None
        try:
            made = shaping.shape(value, field.type, carried, env)
            result = ShapedResult(
                value.key, "fits" if made is not None else "empty", made, "" if made is not None else "comes to nothing"
            )
        except Unfit as unfit:
            result = ShapedResult(value.key, "put_right", None, str(unfit))
        doubt = _pattern_doubt(value, carried, env)
        if doubt and result.state != "put_right":
            result = replace(result, state="look", sentence=doubt[0], remedies=doubt[1])
        results.append(result)
        carried = carried.plus(line.id, (field,), {value.key: made})
    wrong = [r for r in results if r.state == "put_right"]
    filled = sum(r.state in ("fits", "look") for r in results)
    note = shorten(wrong[0].sentence, 120) if wrong else _count(filled, "value", "values")
    looks = sum(r.state == "look" for r in results)
    return Cell(line.id, "put_right" if wrong else "fits", note, doubts=looks, shaped=tuple(results)), carried


def _pattern_doubt(value: Shaped, carried: Carried, env: Env) -> tuple[str, tuple[Remedy, ...]] | None:
    """What is contradictory in a date pattern, and the corrected pattern with what it gives, one click away."""
    if not isinstance(value.made, DatePart):
        return None
    doubts = shaping.doubts(value.made.pattern)
    if not doubts:
        return None
    better = replace(value, made=replace(value.made, pattern=shaping.corrected(value.made.pattern)))
    said = "; ".join(d.sentence for d in doubts)
    try:
        gives = as_text(shaping.shape(better, "text", carried, env), env.zone)
    except Unfit:
        return said, ()
    return said, (
        Remedy(f"{better.made.pattern}, which gives {gives}" if isinstance(better.made, DatePart) else "", (), better),
    )


def _step_add(line: Add, carried: Carried, around: Surroundings) -> tuple[Cell, Carried]:
    database = around.databases.get(line.database) if line.database is not None else None
    if database is None:
        said = "choose the database to add to" if line.database is None else "the database it added to is gone"
        return Cell(line.id, "unready" if line.database is None else "put_right", said), carried
    results = fill_record(line, database, carried, around.env)
    wrong = [r for r in results if r.state == "put_right"]
    doubts = sum(r.state == "look" for r in results)
    fit = sum(r.state in ("fits", "look") for r in results)
    note = shorten(wrong[0].sentence, 120) if wrong else _count(fit, "field fits", "fields fit")
    title = title_of(line, results, database, around.env)
    link = around.record_link.format(database=database.id, record="provisional")
    below = carried.plus(line.id, ADDED, {"title": title or None, "link": link})
    return Cell(line.id, "put_right" if wrong else "fits", note, tuple(results), doubts), below


def rehearse(workflow: Workflow, item: Mapping[str, object], around: Surroundings) -> list[Cell]:
    """A cell for each line. Below a line that stops the sample, lines are not reached; below one that is not right yet,
    they are still shown what they would do."""
    carried = carried_from_item(workflow.when, around.source, item)
    cells: list[Cell] = []
    stopped = False
    for line in workflow.lines:
        if stopped:
            cells.append(Cell(line.id, "not_reached"))
            continue
        cell, carried = step(line, carried, around)
        cells.append(cell)
        stopped = cell.state == "passed_by"
    return cells


def check(workflow: Workflow, around: Surroundings) -> list[Finding]:
    """What must be put right before the workflow can be turned on, whatever the samples."""
    found: list[Finding] = []
    when = workflow.when
    if when.connection is None or when.container is None:
        found.append(Finding(when.id, "choose the connection and the folder in which messages arrive"))
    carried = carried_from_item(when, around.source, {})
    acts = False
    for line in workflow.lines[1:]:
        if isinstance(line, OnlyIf):
            found += _check_only_if(line, carried, around.env)
        elif isinstance(line, Shape):
            found += _check_shape_line(line, carried)
            carried = carried.plus(line.id, shaped_fields(line, carried), {})
        elif isinstance(line, Add):
            acts = True
            found += _check_add(line, carried, around)
            carried = carried.plus(line.id, ADDED, {})
    if not acts:
        found.append(Finding(when.id, "nothing happens yet: add a line that adds a record"))
    return found


def _check_only_if(line: OnlyIf, carried: Carried, env: Env) -> list[Finding]:
    if not line.conditions:
        return [Finding(line.id, "this line has no condition yet; add one or take the line away")]
    if any(ref not in carried.fields for ref in conditions.references(line.conditions)):
        return [Finding(line.id, "this compares a value that the lines above no longer carry; choose another")]
    try:
        conditions.write_all(line.mode, line.conditions, carried.fields, env)
    except Unfit as unfit:
        return [Finding(line.id, str(unfit))]
    return []


def _check_shape_line(line: Shape, carried: Carried) -> list[Finding]:
    if not line.values:
        return [Finding(line.id, "this line makes no value yet; add one or take the line away")]
    found: list[Finding] = []
    known = set(carried.fields)
    for value in line.values:
        if not value.name.strip():
            found.append(Finding(line.id, "this value needs a name", key=value.key))
        try:
            node = shaping.formula(value.made)
        except Unfit as unfit:
            found.append(Finding(line.id, str(unfit), key=value.key))
            continue
        filling = (
            value.made.filling if isinstance(value.made, Filled) else (Part(formula=Formula(t.dump(node))),) if node else ()
        )
        if isinstance(value.made, Filled) and not is_filled(filling):
            found.append(Finding(line.id, "say what this value is filled with", key=value.key))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, "this formula cannot be read yet", key=value.key))
        if any(ref not in known for ref in references(filling)):
            found.append(Finding(line.id, "this is made of a value that the lines above do not carry", key=value.key))
        known.add(Reference(line.id, value.key))
    return found


def _each_line(workflow: Workflow, source: tuple[CarriedField, ...]) -> Iterator[tuple[Line, tuple[CarriedField, ...]]]:
    """Each line with what it makes for those below it."""
    carried = Carried({}, {})
    for line in workflow.lines:
        match line:
            case When():
                fields = source
            case Shape():
                fields = shaped_fields(line, carried)
            case Add():
                fields = ADDED
            case OnlyIf():
                fields = ()
        carried = carried.plus(line.id, fields, {})
        yield line, fields


def carried_fields(workflow: Workflow, source: tuple[CarriedField, ...]) -> dict[Reference, CarriedField]:
    """All values that the lines of a workflow make, from the top."""
    return {Reference(line.id, f.key): f for line, fields in _each_line(workflow, source) for f in fields}


def scope_of(workflow: Workflow, source: tuple[CarriedField, ...], line: str | None = None) -> Scope:
    """The names that formulas use: of all lines, so that a value has one name throughout; only what stands above `line` can
    be used there. A Shape line's values can use those before them."""
    named: list[tuple[t.Value, tuple[str, ...]]] = []
    usable: set[t.Value] = set()
    above = True
    for one, fields in _each_line(workflow, source):
        above = above and one.id != line
        values = [t.Value(one.id, f.key) for f in fields]
        named += [(v, f.name) for v, f in zip(values, fields, strict=True)]
        if above or (isinstance(one, Shape) and one.id == line):
            usable |= set(values)
    return Scope.of_carried(named, FUNCTIONS.forms, usable)


def carried_to(workflow: Workflow, line: str, item: Mapping[str, object], around: Surroundings) -> Carried:
    """What a line can use of a sample. A Shape line can use its own values."""
    carried = carried_from_item(workflow.when, around.source, item)
    for one in workflow.lines:
        if one.id == line and not isinstance(one, Shape):
            break
        _, carried = step(one, carried, around)
        if one.id == line:
            break
    return carried


def trees_of(workflow: Workflow) -> list[str]:
    """All kept formulas of a workflow."""
    found: list[str] = []

    def of_filling(parts: Filling) -> None:
        found.extend(p.formula.tree for p in parts if p.formula is not None and p.formula.tree)

    def of_tests(tests: tuple[Test, ...]) -> None:
        for test in tests:
            if isinstance(test, Group):
                of_tests(test.conditions)
            elif isinstance(test, Formula) and test.tree:
                found.append(test.tree)

    for line in workflow.lines:
        match line:
            case OnlyIf():
                of_tests(line.conditions)
            case Shape():
                for value in line.values:
                    if isinstance(value.made, Filled):
                        of_filling(value.made.filling)
            case Add():
                for filled in line.fillings:
                    of_filling(filled.filling)
    return list(dict.fromkeys(found))


def _check_add(line: Add, carried: Carried, around: Surroundings) -> list[Finding]:
    database = around.databases.get(line.database) if line.database is not None else None
    if database is None:
        return [
            Finding(
                line.id,
                "choose the database to add to"
                if line.database is None
                else "the database that this line adds to was deleted; choose another",
            )
        ]
    found = [
        Finding(line.id, r.sentence, r.field, r.remedies)
        for r in fill_record(line, database, carried, around.env)
        if database.field(r.field) is None
    ]
    for field in database.fields:
        filling = line.filling(field.id)
        if field.required and not is_filled(filling):
            found.append(Finding(line.id, f"{field.name} must be filled", field.id))
        elif clash := never_fits(filling, field, carried):
            found.append(Finding(line.id, clash, field.id))
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, f"{field.name} is filled with a value that the lines above do not carry", field.id))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, f"the formula that fills {field.name} cannot be read yet", field.id))
    return found
