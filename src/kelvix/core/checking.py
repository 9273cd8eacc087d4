"""What must be put right before a workflow can be turned on, whatever the samples."""

from __future__ import annotations

from kelvix.core import (
    asking,
    conditions,
    finding,
    handing,
    mailing,
    nesting,
    repeating,
    saving,
    shaping,
    sources,
    stopping,
    waiting,
    web_request,
    writing,
)
from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, is_filled, references
from kelvix.core.known import each_line, end_of_round
from kelvix.core.steps import Context
from kelvix.core.values import Unfit
from kelvix.core.workflow import (
    Acts,
    Add,
    AddOrUpdate,
    Ask,
    Delete,
    Filled,
    Find,
    Formula,
    Line,
    OnlyIf,
    Part,
    Reference,
    Repeat,
    RunAnother,
    SaveFile,
    SendMail,
    Shape,
    Stop,
    Update,
    Wait,
    Way,
    WebRequest,
    Workflow,
)


def check(workflow: Workflow, context: Context) -> list[Finding]:
    """Return what must be put right before the workflow can be turned on, whatever the samples."""
    found: list[Finding] = []
    when = workflow.when
    if when.own is not None:
        found += sources.check(when, context.databases, context.env)
    elif when.connection is None or when.container is None:
        words = context.words
        found.append(Finding(when.id, f"choose the connection and the {words.place} in which {words.items} arrive"))
    acts = False
    for line, carried in each_line(workflow, context):
        acts = acts or isinstance(line, Acts)
        found += _check_line(workflow, line, carried, context)
    if not acts:
        found.append(Finding(when.id, "nothing happens yet: add a line that adds or changes a record, or sends something"))
    return found


def _check_line(workflow: Workflow, line: Line, carried: Carried, context: Context) -> list[Finding]:
    match line:
        case OnlyIf() | Way():
            return _check_conditions(line, carried, context.env)
        case Shape():
            return _check_shape_line(line, carried)
        case Wait():
            return waiting.check(line, carried, context.env)
        case Find():
            return finding.check(line, context.databases.get(line.database or 0), carried)
        case Repeat():
            has_lines = bool(nesting.within(workflow, line.id))
            return repeating.check(line, carried, end_of_round(workflow, line, context), has_lines)
        case Ask():
            return asking.check(line, carried)
        case SendMail():
            return mailing.check(line, carried)
        case SaveFile():
            return saving.check(line, carried)
        case WebRequest():
            return web_request.check(line, carried)
        case RunAnother():
            return handing.check(line, context.others, carried)
        case Stop():
            return stopping.check(line, carried)
        case Add() | AddOrUpdate() | Update() | Delete():
            return writing.check(line, carried, context.target)
    return []


def _check_conditions(line: OnlyIf | Way, carried: Carried, env: Env) -> list[Finding]:
    if not line.conditions:
        what = "way" if isinstance(line, Way) else "line"
        return [Finding(line.id, f"this {what} has no condition yet; add one or take the {what} away")]
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
