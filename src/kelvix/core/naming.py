"""What fields were called when a workflow was filled in, so that renames and deletions can be told of. Nothing else hangs on
it: fields are referred to by identity."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from kelvix.core.lines import find
from kelvix.core.schema import Database
from kelvix.core.workflow import Add, AddOrUpdate, FieldFilling, Fills, Find, Line, Update, Workflow


def without_names(workflow: Workflow) -> Workflow:
    """Return what a workflow does, whatever its fields were called when it was filled in."""

    def bare(line: Line) -> Line:
        if isinstance(line, Add | AddOrUpdate | Update):
            return replace(line, fillings=tuple(replace(f, named="") for f in line.fillings))
        if isinstance(line, Find):
            return replace(line, sought=tuple(replace(s, named="") for s in line.sought))
        return line

    return Workflow(tuple(map(bare, workflow.lines)))


def remember_names(before: Workflow, now: Workflow, databases: Mapping[int, Database]) -> Workflow:
    """Return the workflow with the names of the fields that it fills: as they were when each was filled last."""
    names = {f.id: f.name for d in databases.values() for f in d.fields}

    def named(line: Fills, filled: FieldFilling) -> FieldFilling:
        earlier = before.line(line.id)
        fills = earlier.fillings if isinstance(earlier, Add | AddOrUpdate | Update) else ()
        kept = next((f for f in fills if f.field == filled.field), None)
        if kept and kept.named and kept.filling == filled.filling:
            return replace(filled, named=kept.named)
        name = names.get(filled.field) or (kept.named if kept else filled.named)
        return replace(filled, named=name)

    def line(one: Line) -> Line:
        if isinstance(one, Add | AddOrUpdate | Update):
            return replace(one, fillings=tuple(named(one, f) for f in one.fillings))
        if isinstance(one, Find):
            earlier = before.line(one.id)
            return find.named(earlier if isinstance(earlier, Find) else None, one, databases)
        return one

    return Workflow(tuple(map(line, now.lines)))
