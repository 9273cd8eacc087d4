"""A workflow in a sentence, from its lines."""

from __future__ import annotations

from collections.abc import Mapping

from kelvix.core import sources, waiting
from kelvix.core.schema import Database
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    Ask,
    Decide,
    Delete,
    Find,
    Line,
    RecordEvent,
    Repeat,
    RunAnother,
    SaveFile,
    SendMail,
    Update,
    Wait,
    WebRequest,
    When,
    Workflow,
)


def sentence(workflow: Workflow, event_words: str, names: Mapping[int, str]) -> str:
    """`event_words` are the app's for what starts it; `names` those of the databases, by id."""
    said = [_line(line, names) for line in workflow.lines]
    return ", ".join(["When " + _when(workflow.when, event_words, names), *filter(None, said)])


def _when(when: When, event_words: str, names: Mapping[int, str]) -> str:
    if when.own is None:
        return f"{event_words} in {when.container_name}" if when.container_name else event_words
    database = when.own.database or 0 if isinstance(when.own, RecordEvent) else 0
    return sources.words(when.own, {id: Database(id, name, ()) for id, name in names.items() if id == database})


def _line(line: Line, names: Mapping[int, str]) -> str:
    match line:
        case Find(database=database):
            return f"find {'records' if line.several == 'all' else 'a record'} in {names.get(database or 0, 'a database')}"
        case SendMail():
            return "send a mail"
        case SaveFile():
            return "save a file"
        case WebRequest():
            return "send a web request"
        case RunAnother():
            return "run another workflow"
        case Ask():
            return "ask"
        case Decide():
            return "decide"
        case Repeat():
            return "for each of a list"
        case Wait():
            return f"wait {waiting.words(line)}"
        case AddOrUpdate(database=database):
            return f"add or update a record in {names.get(database or 0, 'a database')}"
        case Update():
            return "update it"
        case Delete():
            return "delete it"
        case Add(database=database):
            return f"add a record to {names.get(database or 0, 'a database')}"
    return ""
