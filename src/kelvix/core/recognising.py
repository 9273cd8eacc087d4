"""Knowing again what is there already: when past items are caught up on, a line that adds records looks first whether one with
the same chosen fields is there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from kelvix.core import writing
from kelvix.core.context import Context
from kelvix.core.fields import TYPES
from kelvix.core.filling import FieldResult, is_filled
from kelvix.core.finding import Question
from kelvix.core.lines.add import Add
from kelvix.core.outcome import ChangeRecord, Problem
from kelvix.core.rehearsal import rehearse_whole
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId
from kelvix.core.workflow import Workflow, filling_of

Expected = Literal["new", "there", "passed_by", "put_right"]


@dataclass(frozen=True)
class Choice:
    """The fields by which the records of an Add line can be known, and those that are proposed."""

    line: str
    database: Database
    fields: tuple[Field, ...]
    proposed: tuple[FieldId, ...]


def choices(workflow: Workflow, databases: Mapping[int, Database]) -> tuple[Choice, ...]:
    """For each Add line the fields that are filled and can be compared. A link to the item itself tells best, then the name."""
    found: list[Choice] = []
    for line in workflow.lines:
        database = databases.get(line.database or 0) if isinstance(line, Add) else None
        if not isinstance(line, Add) or database is None:
            continue
        fields = tuple(f for f in database.fields if is_filled(filling_of(line, f.id)) and TYPES[f.type].recognises)
        links, names = ([f.id for f in fields if TYPES[f.type].tells_apart == how] for how in (2, 1))
        found.append(Choice(line.id, database, fields, tuple(links[:1] or names[:2])))
    return tuple(found)


def question(line: Add, by: Sequence[FieldId], results: tuple[FieldResult, ...], database: Database) -> Question | None:
    """Return what is asked about a record that would be added; nothing where a field by which it is known is empty."""
    asked = writing.match(by, results, database) if by else None
    return asked if isinstance(asked, Question) else None


def expected(
    workflow: Workflow, item: Mapping[str, object], context: Context, recognises: Mapping[str, Sequence[FieldId]]
) -> Expected:
    """Return what carrying a past item would come to. `context.find` answers whether a record is there."""
    rehearsed = rehearse_whole(workflow, item, context)
    adds = there = 0
    for line, cell in zip(workflow.lines, rehearsed.cells, strict=True):
        if isinstance(cell.would, Problem):
            return "put_right"
        database = context.databases.get(line.database or 0) if isinstance(line, Add) else None
        if not isinstance(line, Add) or not isinstance(cell.would, ChangeRecord) or database is None:
            continue
        asked = question(line, recognises.get(line.id, ()), cell.results, database)
        answer = context.find(asked) if asked else None
        adds, there = adds + 1, there + bool(answer and answer.count)
    if rehearsed.end == "passed_by":
        return "passed_by"
    return "there" if adds and adds == there else "new"
