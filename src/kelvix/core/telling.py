"""A workflow in a sentence, from its lines."""

from __future__ import annotations

from collections.abc import Mapping

from kelvix.core import sources
from kelvix.core.lines import kind_of
from kelvix.core.schema import Database
from kelvix.core.workflow import RecordEvent, Workflow


def sentence(workflow: Workflow, event_words: str, names: Mapping[int, str]) -> str:
    """`event_words` are the app's for what starts it; `names` those of the databases, by id."""
    said = [kind_of(line).says(line, names) for line in workflow.lines]
    return ", ".join(["When " + _when(workflow, event_words, names), *filter(None, said)])


def _when(workflow: Workflow, event_words: str, names: Mapping[int, str]) -> str:
    when = workflow.when
    if when.own is None:
        return f"{event_words} in {when.container_name}" if when.container_name else event_words
    database = when.own.database or 0 if isinstance(when.own, RecordEvent) else 0
    return sources.words(when.own, {id: Database(id, name, ()) for id, name in names.items() if id == database})
