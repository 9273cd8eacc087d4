"""What fields were called when a workflow was filled in, so that renames and deletions can be told of. Nothing else hangs on
it: fields are referred to by identity."""

from __future__ import annotations

from collections.abc import Mapping

from kelvix.core.lines import kind_of
from kelvix.core.schema import Database
from kelvix.core.workflow import Workflow


def without_names(workflow: Workflow) -> Workflow:
    """Return what a workflow does, whatever its fields were called when it was filled in."""
    return Workflow(tuple(kind_of(line).bare(line) for line in workflow.lines))


def remember_names(before: Workflow, now: Workflow, databases: Mapping[int, Database]) -> Workflow:
    """Return the workflow with the names of the fields that it fills: as they were when each was filled last."""
    return Workflow(tuple(kind_of(line).named(line, before.line(line.id), databases) for line in now.lines))
