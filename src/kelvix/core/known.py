"""What lines can use, whatever the sample: the values, lists and records that those above them make."""

from __future__ import annotations

from collections.abc import Iterator

from kelvix.core import asking, branching, finding, mailing, nesting, repeating, saving, sources, web_request, writing
from kelvix.core.feel import FUNCTIONS, Scope
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, Held
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.steps import Context, shaped_fields
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    Ask,
    Decide,
    Delete,
    Filling,
    Find,
    Formula,
    Group,
    Line,
    OnlyIf,
    Otherwise,
    Reference,
    Repeat,
    RunAnother,
    SaveFile,
    SendMail,
    Shape,
    Stop,
    Test,
    Update,
    Wait,
    Way,
    WebRequest,
    When,
    Workflow,
    fillings_of,
)


def made_by(line: Line, carried: Carried, context: Context) -> Carried:
    """Return what a line makes for those below it, whatever the sample, with the record that it holds."""
    match line:
        case When():
            database = sources.database_of(line.own, context.databases)
            carried = carried.plus(line.id, context.source, {}, Held(database.id) if database else None)
            for one in context.lists:
                carried = carried.plus_list(line.id, one, None)
            return carried
        case Shape():
            return carried.plus(line.id, shaped_fields(line, carried), {})
        case Find():
            database = context.databases.get(line.database) if line.database is not None else None
            return finding.known_below(line, database, carried) if database else carried
        case Add() | AddOrUpdate() | Update():
            database = writing.database_of(line, carried, context.databases)
            return carried.plus(line.id, writing.fields_of(line), {}, Held(database.id) if database else None)
        case Ask():
            return carried.plus(line.id, asking.fields_of(line, carried), {})
        case SendMail():
            return carried.plus(line.id, mailing.FIELDS, {})
        case SaveFile():
            return carried.plus(line.id, saving.FIELDS, {})
        case WebRequest():
            return carried.plus(line.id, web_request.fields_of(line), {})
        case Decide():
            return carried.plus(line.id, branching.FIELDS, {})
        case Repeat():
            return carried.plus(line.id, repeating.AFTER, {})
        case OnlyIf() | Wait() | Way() | Otherwise() | Stop() | Delete() | RunAnother():
            return carried


def each_line(workflow: Workflow, context: Context) -> Iterator[tuple[Line, Carried]]:
    """Yield the lines from the top, each with what it can use, whatever the sample: what the lines before it make on its own
    level and on those that it stands within."""
    blocks: dict[str, list[Line]] = {}
    for line in workflow.lines:
        blocks.setdefault(nesting.within_of(line), []).append(line)

    def inside(line: Line, carried: Carried) -> Carried:
        match line:
            case Repeat():
                return repeating.known_inside(line, carried)
            case Decide():
                return made_by(line, carried, context)
        return carried

    def through(block: str, carried: Carried) -> Iterator[tuple[Line, Carried]]:
        for line in blocks.get(block, ()):
            yield line, carried
            yield from through(line.id, inside(line, carried))
            carried = made_by(line, carried, context)

    yield from through("", Carried({}, {}))


def known_to(workflow: Workflow, line_id: str, context: Context) -> Carried:
    """Return what a line can use whatever the sample; a Shape line also what it makes itself."""
    for line, carried in each_line(workflow, context):
        if line.id == line_id:
            return made_by(line, carried, context) if isinstance(line, Shape) else carried
    return Carried({}, {})


def carried_fields(workflow: Workflow, context: Context) -> dict[Reference, CarriedField]:
    """All values that the lines of a workflow make, from the top."""
    found: dict[Reference, CarriedField] = {}
    for line, carried in each_line(workflow, context):
        if isinstance(line, Repeat):
            found |= repeating.known_inside(line, carried).fields
        found |= made_by(line, carried, context).fields
    return found


def carried_lists(workflow: Workflow, context: Context) -> dict[Reference, CarriedList]:
    """All lists that the lines of a workflow carry."""
    found: dict[Reference, CarriedList] = {}
    for line, carried in each_line(workflow, context):
        found |= made_by(line, carried, context).lists
    return found


def end_of_round(workflow: Workflow, line: Repeat, context: Context) -> Carried:
    """Return what is carried at the end of a Repeat line's own lines, whatever the sample: what it can collect."""
    last: Carried | None = None
    for one, carried in each_line(workflow, context):
        if one.id == line.id:
            last = repeating.known_inside(line, carried)
        elif last is not None and nesting.within_of(one) == line.id:
            last = made_by(one, carried, context)
    return last or Carried({}, {})


def scope_of(workflow: Workflow, context: Context, line: str | None = None) -> Scope:
    """Return the names that formulas use: of all lines, so that a value has one name throughout; only what `line` can use can
    be named there. A Shape line's values can use those before them, a Repeat line collects what its own lines carry."""
    one = workflow.line(line) if line else None
    if one is None:
        usable = set(carried_fields(workflow, context))
    elif isinstance(one, Repeat):
        usable = set(end_of_round(workflow, one, context).fields)
    else:
        usable = set(known_to(workflow, one.id, context).fields)
    named = [(t.Value(ref.line, ref.value), f.name) for ref, f in carried_fields(workflow, context).items()]
    return Scope.of_carried(named, FUNCTIONS.forms, {t.Value(ref.line, ref.value) for ref in usable})


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
            case OnlyIf() | Way():
                of_tests(line.conditions)
            case _:
                for filling in fillings_of(line):
                    of_filling(filling)
    return list(dict.fromkeys(found))
