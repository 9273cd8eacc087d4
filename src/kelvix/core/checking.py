"""What must be put right before a workflow can be turned on, whatever the samples."""

from __future__ import annotations

from functools import partial

from kelvix.core import known
from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.lines import kind_of
from kelvix.core.workflow import Workflow


def check(workflow: Workflow, context: Context) -> list[Finding]:
    """Return what must be put right before the workflow can be turned on, whatever the samples."""
    found: list[Finding] = []
    acts = False
    for line, carried in known.each_line(workflow, context):
        kind = kind_of(line)
        acts = acts or kind.acts
        found += kind.check(line, carried, context, partial(known.end_of, workflow, line, context))
    if not acts:
        found.append(
            Finding(workflow.when.id, "nothing happens yet: add a line that adds or changes a record, or sends something")
        )
    return found
