"""What must be put right before a workflow can be turned on, whatever the samples."""

from __future__ import annotations

from functools import partial

from kelvix.core import known, sources
from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.lines import kind_of
from kelvix.core.workflow import Workflow


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
    for line, carried in known.each_line(workflow, context):
        kind = kind_of(line)
        acts = acts or kind.acts
        found += kind.check(line, carried, context, partial(known.end_of, workflow, line, context))
    if not acts:
        found.append(Finding(when.id, "nothing happens yet: add a line that adds or changes a record, or sends something"))
    return found
