"""What must be put right before a workflow can be turned on, whatever the samples."""

from __future__ import annotations

from kelvix.core import conditions, finding, shaping
from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, fill_record, is_filled, never_fits, references
from kelvix.core.rehearsal import Surroundings, carried_from_item, made_by
from kelvix.core.values import Unfit
from kelvix.core.workflow import Add, Filled, Find, Formula, OnlyIf, Part, Reference, Shape, Workflow


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
        elif isinstance(line, Find):
            found += finding.check(line, around.databases.get(line.database or 0), carried)
        elif isinstance(line, Add):
            acts = True
            found += _check_add(line, carried, around)
        carried = carried.plus(line.id, made_by(line, carried, around), {})
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
