"""The trial grid: what every line does with a sample, computed without writing anything.

The engine decides with the same functions when a run is real, so that a rehearsal and a run cannot disagree.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal
from zoneinfo import ZoneInfo

from kelvix.core import conditions
from kelvix.core.filling import Carried, FieldResult, Remedy, fill_record, is_filled, never_fits
from kelvix.core.schema import CarriedField, Database
from kelvix.core.values import Unfit, Value, as_text, from_wire, shorten
from kelvix.core.workflow import Add, Line, OnlyIf, Reference, When, Workflow

CellState = Literal["in", "goes_on", "passed_by", "fits", "put_right", "not_reached", "unready"]
ADDED = (CarriedField("title", ("Record added", "Name"), "text"), CarriedField("link", ("Record added", "Link"), "link"))


@dataclass(frozen=True)
class Cell:
    """`note` is the short word under the state; `results` are an Add line's fields; `doubts` counts those to look at."""

    line: str
    state: CellState
    note: str = ""
    results: tuple[FieldResult, ...] = ()
    doubts: int = 0


@dataclass(frozen=True)
class Finding:
    """What the document alone, or its targets, say is not right: on a line, and there on a field."""

    line: str
    sentence: str
    field: int | None = None
    remedies: tuple[Remedy, ...] = ()


@dataclass(frozen=True)
class Surroundings:
    """All that a rehearsal needs to know besides the document and the sample."""

    source: tuple[CarriedField, ...]
    databases: Mapping[int, Database]
    zone: ZoneInfo
    record_link: str = "http://127.0.0.1/databases/{database}/{record}"


def carried_from_item(when: When, source: tuple[CarriedField, ...], item: Mapping[str, object]) -> Carried:
    """A source item's values by reference. A value that cannot be read as its type is left absent."""
    values: dict[str, Value] = {}
    for field in source:
        if field.key in item:
            raw = item[field.key]
            try:
                values[field.key] = from_wire(raw if isinstance(raw, (str, bool)) else None, field.type)
            except Unfit:
                continue
    return Carried({}, {}).plus(when.id, source, values)


def title_of(line: Add, results: list[FieldResult], database: Database, zone: ZoneInfo) -> str:
    title = database.fields[0].id
    return as_text(next((r.value for r in results if r.field == title), None), zone)


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
            try:
                on = conditions.goes_on(line, carried, around.zone)
            except Unfit as unfit:
                return Cell(line.id, "put_right", str(unfit)), carried
            return Cell(line.id, "goes_on" if on else "passed_by"), carried
        case Add():
            return _step_add(line, carried, around)


def _step_add(line: Add, carried: Carried, around: Surroundings) -> tuple[Cell, Carried]:
    database = around.databases.get(line.database) if line.database is not None else None
    if database is None:
        said = "choose the database to add to" if line.database is None else "the database it added to is gone"
        return Cell(line.id, "unready" if line.database is None else "put_right", said), carried
    results = fill_record(line, database, carried, around.zone)
    wrong = [r for r in results if r.state == "put_right"]
    doubts = sum(r.state == "look" for r in results)
    fit = sum(r.state in ("fits", "look") for r in results)
    note = shorten(wrong[0].sentence, 120) if wrong else _count(fit, "field fits", "fields fit")
    title = title_of(line, results, database, around.zone)
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
            if not line.conditions:
                found.append(Finding(line.id, "this line has no condition yet; add one or take the line away"))
            else:
                cell, _ = step(line, carried, around)
                if cell.state == "put_right":
                    found.append(Finding(line.id, cell.note))
        elif isinstance(line, Add):
            acts = True
            found += _check_add(line, carried, around)
            carried = carried.plus(line.id, ADDED, {})
    if not acts:
        found.append(Finding(when.id, "nothing happens yet: add a line that adds a record"))
    return found


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
        for r in fill_record(line, database, carried, around.zone)
        if database.field(r.field) is None
    ]
    for field in database.fields:
        filling = line.filling(field.id)
        if field.required and not is_filled(filling):
            found.append(Finding(line.id, f"{field.name} must be filled", field.id))
        elif clash := never_fits(filling, field, carried):
            found.append(Finding(line.id, clash, field.id))
        for part in filling:
            if part.ref is not None and part.ref not in carried.fields:
                found.append(
                    Finding(line.id, f"{field.name} is filled with a value that the lines above do not carry", field.id)
                )
    return found
