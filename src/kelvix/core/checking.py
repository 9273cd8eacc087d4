"""What must be put right before a workflow can be turned on, whatever the samples."""

from __future__ import annotations

from kelvix.core import conditions, finding, shaping, waiting, writing
from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, is_filled, references
from kelvix.core.rehearsal import Surroundings, carried_from_item, held_by, made_by
from kelvix.core.values import Unfit
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    Delete,
    Filled,
    Find,
    Formula,
    OnlyIf,
    Part,
    Reference,
    Shape,
    Update,
    Wait,
    Workflow,
)


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
        elif isinstance(line, Wait):
            found += waiting.check(line, carried, around.env)
        elif isinstance(line, Find):
            found += finding.check(line, around.databases.get(line.database or 0), carried)
        elif isinstance(line, Add | AddOrUpdate | Update | Delete):
            acts = True
            found += writing.check(line, carried, around.target)
        carried = carried.plus(line.id, made_by(line, carried, around), {}, held_by(line, carried, around))
    if not acts:
        found.append(Finding(when.id, "nothing happens yet: add a line that adds or changes a record"))
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
