"""The trial grid: what every line does with a sample, computed without writing anything.

The engine decides with the same functions when a run is real, so that a rehearsal and a run cannot disagree.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from kelvix.core import conditions, finding, shaping, waiting, writing
from kelvix.core.cells import Answer, Cell, CellState, PartResult
from kelvix.core.feel import FUNCTIONS, Env, Scope
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, Held, Remedy
from kelvix.core.finding import Question
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Unfit, Value, as_text, from_wire, shorten
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    DatePart,
    Delete,
    Filling,
    Find,
    Formula,
    Group,
    Line,
    OnlyIf,
    Reference,
    Shape,
    Shaped,
    Test,
    Update,
    Wait,
    When,
    Workflow,
    fillings_of,
)


@dataclass(frozen=True)
class Surroundings:
    """All that a rehearsal needs to know besides the document and the sample. `find` answers a Find line's question; nothing
    where that is still to be read."""

    source: tuple[CarriedField, ...]
    databases: Mapping[int, Database]
    env: Env
    find: Callable[[Question], Answer | None] = lambda _: None
    record_link: str = "http://127.0.0.1/databases/{database}/{record}"

    @cached_property
    def fields(self) -> Mapping[int, Field]:
        """All fields of all databases."""
        return {f.id: f for d in self.databases.values() for f in d.fields}

    @cached_property
    def target(self) -> writing.Target:
        return writing.Target(self.databases, self.env, self.find, self.record_link)


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
        case Find():
            return _step_find(line, carried, around)
        case Wait():
            return _step_wait(line, carried, around.env), carried
        case Add() | AddOrUpdate() | Update() | Delete():
            return writing.step(line, carried, around.target)


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
    results: list[PartResult] = []
    for value, field in zip(line.values, shaped_fields(line, carried), strict=True):
        made: Value = None
        try:
            made = shaping.shape(value, field.type, carried, env)
            result = PartResult(
                value.key, "fits" if made is not None else "empty", made, "" if made is not None else "comes to nothing"
            )
        except Unfit as unfit:
            result = PartResult(value.key, "put_right", None, str(unfit))
        doubt = _pattern_doubt(value, carried, env)
        if doubt and result.state != "put_right":
            result = replace(result, state="look", sentence=doubt[0], remedies=doubt[1])
        results.append(result)
        carried = carried.plus(line.id, (field,), {value.key: made})
    wrong = [r for r in results if r.state == "put_right"]
    filled = sum(r.state in ("fits", "look") for r in results)
    note = shorten(wrong[0].sentence, 120) if wrong else _count(filled, "value", "values")
    looks = sum(r.state == "look" for r in results)
    return Cell(line.id, "put_right" if wrong else "fits", note, doubts=looks, parts=tuple(results)), carried


def _step_find(line: Find, carried: Carried, around: Surroundings) -> tuple[Cell, Carried]:
    database = around.databases.get(line.database) if line.database is not None else None
    if database is None:
        said = "choose the database to look in" if line.database is None else "the database it looked in is gone"
        return Cell(line.id, "unready" if line.database is None else "put_right", said), carried
    if not line.sought:
        return Cell(line.id, "unready", "say what is looked for"), carry_found(line, database, None, carried, around)
    question, parts = finding.question(line, database, carried, around.env)
    answer = around.find(question) if question else Answer(0, None, {}, around.env.now)
    below = carry_found(line, database, answer, carried, around)
    wrong = [p for p in parts if p.state == "put_right"]
    if wrong:
        return Cell(line.id, "put_right", shorten(wrong[0].sentence, 120), parts=parts), below
    if answer is None:
        return Cell(line.id, "waiting", "being read", parts=parts), below
    state: CellState = "found" if answer.count else "passed_by" if line.none == "stop" else "found_none"
    said = finding.said(line, database, answer, around.env)
    if answer.count > 1 and line.several == "stop":
        state, said = "put_right", f"{answer.count} found, and this line takes only one: narrow what is looked for"
    return Cell(line.id, state, said, parts=parts, answer=answer if question else None), below


def _step_wait(line: Wait, carried: Carried, env: Env) -> Cell:
    """Until when a run that came here now would rest."""
    try:
        due = waiting.until(line, env.now, carried, env)
    except Unfit as unfit:
        return Cell(line.id, "put_right", str(unfit))
    if due <= env.now:
        return Cell(line.id, "goes_on", "no need to wait")
    return Cell(line.id, "waits", f"until: {as_text(due, env.zone)}")


def carry_found(line: Find, database: Database, answer: Answer | None, carried: Carried, around: Surroundings) -> Carried:
    """What the lines below can use of what was found."""
    link = around.record_link.format(database=database.id, record=answer.record if answer else "")
    values = finding.found_values(database, answer, link)
    there = answer is not None and answer.record is not None
    held = Held(database.id, there, answer.record if answer else None, answer.values if answer else {})
    return carried.plus(line.id, finding.found_fields(database), values, held)


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


def rehearse(workflow: Workflow, item: Mapping[str, object], around: Surroundings) -> list[Cell]:
    """A cell for each line. Below a line that stops the sample, lines are not reached; below one that is not right yet,
    they are still shown what they would do."""
    return rehearse_whole(workflow, item, around)[0]


def rehearse_whole(workflow: Workflow, item: Mapping[str, object], around: Surroundings) -> tuple[list[Cell], Carried]:
    """A cell for each line, and all that the lines that were reached carry."""
    carried = carried_from_item(workflow.when, around.source, item)
    cells: list[Cell] = []
    stopped = waits = False
    for line in workflow.lines:
        if stopped:
            cells.append(Cell(line.id, "not_reached"))
            continue
        cell, carried = step(line, carried, around)
        waits = waits or cell.state == "waiting"
        if waits and cell.state in ("put_right", "passed_by"):  # what is still being read may be what it lacks
            cell = Cell(line.id, "waiting", "waits for what is being read")
        cells.append(cell)
        stopped = cell.state == "passed_by"
    return cells, carried


def made_by(line: Line, carried: Carried, around: Surroundings) -> tuple[CarriedField, ...]:
    """What a line makes for those below it, whatever the sample."""
    match line:
        case When():
            return around.source
        case Shape():
            return shaped_fields(line, carried)
        case Find():
            database = around.databases.get(line.database) if line.database is not None else None
            return finding.found_fields(database) if database else ()
        case Add() | AddOrUpdate() | Update() | Delete():
            return writing.fields_of(line)
        case OnlyIf() | Wait():
            return ()


def held_by(line: Line, carried: Carried, around: Surroundings) -> Held | None:
    """The record that lines below a line can change, as far as it is known without a sample: that of a database."""
    if isinstance(line, Find):
        return Held(line.database) if line.database in around.databases and line.database is not None else None
    if isinstance(line, Add | AddOrUpdate | Update):
        database = writing.database_of(line, carried, around.databases)
        return Held(database.id) if database else None
    return None


def _each_line(workflow: Workflow, around: Surroundings) -> Iterator[tuple[Line, tuple[CarriedField, ...]]]:
    carried = Carried({}, {})
    for line in workflow.lines:
        fields = made_by(line, carried, around)
        carried = carried.plus(line.id, fields, {}, held_by(line, carried, around))
        yield line, fields


def carried_fields(workflow: Workflow, around: Surroundings) -> dict[Reference, CarriedField]:
    """All values that the lines of a workflow make, from the top."""
    return {Reference(line.id, f.key): f for line, fields in _each_line(workflow, around) for f in fields}


def scope_of(workflow: Workflow, around: Surroundings, line: str | None = None) -> Scope:
    """The names that formulas use: of all lines, so that a value has one name throughout; only what stands above `line` can
    be used there. A Shape line's values can use those before them."""
    named: list[tuple[t.Value, tuple[str, ...]]] = []
    usable: set[t.Value] = set()
    above = True
    for one, fields in _each_line(workflow, around):
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
            case _:
                for filling in fillings_of(line):
                    of_filling(filling)
    return list(dict.fromkeys(found))
