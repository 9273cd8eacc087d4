"""What must be put right before a workflow can be turned on, whatever the samples."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from kelvix.core import known
from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.lines import kind_of
from kelvix.core.workflow import Line, Workflow


def _each_line(workflow: Workflow, context: Context) -> Iterator[tuple[Line, list[Finding]]]:
    for line, carried in known.each_line(workflow, context):
        yield line, kind_of(line).check(line, carried, context, partial(known.end_of, workflow, line, context))


def check(workflow: Workflow, context: Context) -> list[Finding]:
    """Return what must be put right before the workflow can be turned on, whatever the samples."""
    lines = list(_each_line(workflow, context))
    found = [finding for _, findings in lines for finding in findings]
    if not any(kind_of(line).acts for line, _ in lines):
        found.append(
            Finding(workflow.when.id, "this workflow does nothing yet. Add a line that adds, changes or sends something")
        )
    return found


def first_unfinished(workflow: Workflow, context: Context) -> str | None:
    """Return the first line on which something is still to be said or put right."""
    return next((line.id for line, findings in _each_line(workflow, context) if findings), None)
