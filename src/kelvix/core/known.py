"""What lines can use, whatever the sample: the values, lists and records that those above them make."""

from __future__ import annotations

from collections.abc import Iterator

from kelvix.core.context import Context
from kelvix.core.feel import FUNCTIONS, Scope
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried
from kelvix.core.lines import fillings_of, kind_of
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.workflow import Filling, Formula, Group, Line, Reference, Test, Workflow


def made_by(line: Line, carried: Carried, context: Context) -> Carried:
    """Return what a line makes for those below it, whatever the sample, with the record that it holds."""
    return kind_of(line).makes(line, carried, context)


def each_line(workflow: Workflow, context: Context) -> Iterator[tuple[Line, Carried]]:
    """Yield the lines from the top, each with what it can use, whatever the sample: what the lines before it make on its own
    level and on those that it stands within."""
    blocks: dict[str, list[Line]] = {}
    for line in workflow.lines:
        blocks.setdefault(line.within, []).append(line)

    def through(block: str, carried: Carried) -> Iterator[tuple[Line, Carried]]:
        for line in blocks.get(block, ()):
            yield line, carried
            yield from through(line.id, kind_of(line).inside(line, carried, context))
            carried = made_by(line, carried, context)

    yield from through("", Carried({}, {}))


def known_to(workflow: Workflow, line_id: str, context: Context) -> Carried:
    """Return what a line can use whatever the sample, what it makes itself included where it sees that."""
    for line, carried in each_line(workflow, context):
        if line.id == line_id:
            return made_by(line, carried, context) if kind_of(line).sees == "own" else carried
    return Carried({}, {})


def carried_fields(workflow: Workflow, context: Context) -> dict[Reference, CarriedField]:
    """All values that the lines of a workflow make, from the top."""
    found: dict[Reference, CarriedField] = {}
    for line, carried in each_line(workflow, context):
        found |= kind_of(line).inside(line, carried, context).fields
        found |= made_by(line, carried, context).fields
    return found


def carried_lists(workflow: Workflow, context: Context) -> dict[Reference, CarriedList]:
    """All lists that the lines of a workflow carry."""
    found: dict[Reference, CarriedList] = {}
    for line, carried in each_line(workflow, context):
        found |= made_by(line, carried, context).lists
    return found


def end_of(workflow: Workflow, line: Line, context: Context) -> Carried | None:
    """Return what is carried at the end of the lines that stand directly within a line, whatever the sample; none where there
    are none."""
    last: Carried | None = None
    for one, carried in each_line(workflow, context):
        if one.within == line.id:
            last = made_by(one, carried, context)
    return last


def _inside(workflow: Workflow, line: Line, context: Context) -> Carried:
    """Return what lines within a line could use, where there are none yet."""
    found = (kind_of(one).inside(one, carried, context) for one, carried in each_line(workflow, context) if one.id == line.id)
    return next(found, Carried({}, {}))


def scope_of(workflow: Workflow, context: Context, line: str | None = None) -> Scope:
    """Return the names that formulas use: of all lines, so that a value has one name throughout; only what `line` can use can
    be named there, its own values or those of the lines within it too, where it sees them."""
    one = workflow.line(line) if line else None
    if one is None:
        usable = set(carried_fields(workflow, context))
    elif kind_of(one).sees == "within":
        usable = set((end_of(workflow, one, context) or _inside(workflow, one, context)).fields)
    else:
        usable = set(known_to(workflow, one.id, context).fields)
    named = [(t.Value(ref.line, ref.value), f.name) for ref, f in carried_fields(workflow, context).items()]
    kinds = {line.id: kind_of(line) for line in workflow.lines}
    whole = {value for value, _ in named if value.line in kinds and kinds[value.line].is_named_whole(value.key)}
    return Scope.of_carried(named, FUNCTIONS.forms, {t.Value(ref.line, ref.value) for ref in usable}, whole)


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
        of_tests(kind_of(line).tests(line))
        for filling in fillings_of(line):
            of_filling(filling)
    return list(dict.fromkeys(found))
