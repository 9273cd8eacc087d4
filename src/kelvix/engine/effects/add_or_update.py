"""Updating the record that is there, or adding one; which one, a person may be asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from kelvix.core import writing
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.context import Context
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, Held
from kelvix.core.finding import Question
from kelvix.core.lines.add_or_update import AddOrUpdate
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value, as_text, shorten
from kelvix.engine.effects import items
from kelvix.engine.effects.records import At, Done, RecordEffect, add, number, update
from kelvix.engine.outside import Outside
from kelvix.store import finding, records
from kelvix.store.database_server import Transaction
from kelvix.store.questions import Kind as QuestionKind

MAX_CANDIDATES = 20
RETRY_AFTER = 0.05  # seconds


class AddOrUpdateEffect(RecordEffect[AddOrUpdate]):
    def change(self, t: Transaction, at: At, line: AddOrUpdate, answer: dict[str, Any] | None) -> Done:
        return _add_or_update(t, at, line) if answer is None else _as_answered(t, at, answer)

    def items(self, at: items.At, line: AddOrUpdate, answer: dict[str, Any] | None) -> items.Plan:
        asked = writing.match(line.by, at.cell.results, at.database)
        assert isinstance(asked, Question) and at.cell.answer
        if answer is not None:
            return at.update(answer["records"]) if answer["records"] else at.create()
        if at.cell.answer.count == 0:
            return at.one_of_a_kind(asked, leave=False)
        found = at.find(replace(asked, take="all"))
        if min(found.count, 2) != min(at.cell.answer.count, 2):
            raise TransientError(f"{at.database.records_word} of {at.database.name} that match have just changed", RETRY_AFTER)
        return at.update([id for id, _ in found.records])

    def question(self, run: Outside, line: AddOrUpdate, cell: Cell, carried: Carried) -> tuple[QuestionKind, dict[str, Any]]:
        return "which", which(line, cell, run.context.databases[line.database or 0], run.context)


def _add_or_update(t: Transaction, at: At, line: AddOrUpdate) -> Done:
    """One at a time for each thing, so that two runs which bring the same add it once."""
    database, cell = at.database, at.cell
    question, answer = writing.match(line.by, cell.results, database), cell.answer
    assert isinstance(question, Question) and answer
    if finding.hold(t, at.workspace, question) and answer.count < 2:  # the answer was read since
        found = [number(answer.record)] if answer.record is not None else []
        there = Held(database.id, True, answer.record, answer.values)
        if found and not writing.changed(cell.results, there):
            return Done("unchanged", there, 0)
    else:
        found = finding.find_all(t, database, question, at.context.env.zone)
    if min(len(found), 2) != min(answer.count, 2):
        raise TransientError(f"records of {database.name} that match have just changed", RETRY_AFTER)
    if not found:
        return add(t, at.workspace, database, cell.writes, at.actor)
    done = []
    for record_id in found:
        record = records.get(t, database, record_id, lock=True)
        if record is not None:
            done.append(update(t, at.workspace, database, record, cell, at.actor))
    if not done:
        raise TransientError(f"records of {database.name} that match have just changed", RETRY_AFTER)
    changed = sum(e.count for e in done)
    return Done("updated" if changed else "unchanged", done[0].held, changed)


def _as_answered(t: Transaction, at: At, answer: dict[str, Any]) -> Done:
    """Carry out what a person said: which records are meant; none of them is a new one."""
    database, cell = at.database, at.cell
    if not answer["records"]:
        return add(t, at.workspace, database, cell.writes, at.actor)
    there = [r for id in answer["records"] if (r := records.get(t, database, id, lock=True))]
    if not there:
        raise PermanentError(f"the chosen record of {database.name} has been deleted", "record")
    done = [update(t, at.workspace, database, r, cell, at.actor) for r in there]
    changed = sum(e.count for e in done)
    return Done("updated" if changed else "unchanged", done[0].held, changed)


def which(line: AddOrUpdate, cell: Cell, database: Database, context: Context) -> dict[str, Any]:
    """Return the records that match, and what would be written to the one that is meant."""
    question = writing.match(line.by, cell.results, database)
    assert isinstance(question, Question)
    answer = context.find(replace(question, take="all"))
    found = answer.records if answer else ()
    zone = context.env.zone

    def said(values: Mapping[FieldId, Value]) -> str:
        fields = [f for f in database.fields[1:] if not TYPES[f.type].is_long]
        rest = [shorten(as_text(f.named(values.get(f.id)), zone), 60) for f in fields]
        return "; ".join(text for text in rest if text)

    written = cell.writes
    return {
        "question": f"{len(found)} {database.records_word} of {database.name} match. Which one?",
        "database": database.id,
        "candidates": [
            {
                "record": id,
                "title": writing.title_of(values, database, context.env) or "(unnamed)",
                "said": said(values),
                "link": context.target.link(database, id, values),
            }
            for id, values in found[:MAX_CANDIDATES]
        ],
        "all": [id for id, _ in found],
        "values": [{"name": f.name, "text": as_text(f.named(written[f.id]), zone)} for f in database.fields if f.id in written],
    }


EFFECT = AddOrUpdateEffect()
