"""What a run asks a person, as it is kept and shown, and what the answer means to the run."""

from __future__ import annotations

from typing import Any

from kelvix.core import writing
from kelvix.core.cells import Cell
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, from_wire
from kelvix.core.filling import Carried
from kelvix.core.finding import Question
from kelvix.core.lines import ask
from kelvix.core.lines.ask import Answered
from kelvix.core.outcome import AnsweredBy
from kelvix.core.schema import Database
from kelvix.core.values import as_text, shorten, to_wire
from kelvix.core.workflow import AddOrUpdate, Ask
from kelvix.store import finding, records
from kelvix.store.directory import Space

MAX_CANDIDATES = 20


def approval(line: Ask, cell: Cell, carried: Carried, env: Env) -> dict[str, Any]:
    """Return a question that is answered with yes or no, and the values that are shown."""
    fields = {f.key: f for f in ask.fields_of(line, carried)}
    return {
        "question": ask.question(line, carried, env),
        "values": [
            {"key": p.key, "name": fields[p.key].name[-1], "type": fields[p.key].type, "value": to_wire(p.value),
             "text": as_text(p.value, env.zone)}
            for p in cell.parts
        ],
        "no": line.no,
    }  # fmt: skip


def which(line: AddOrUpdate, cell: Cell, database: Database, space: Space, context: Context) -> dict[str, Any]:
    """Return the records that match, and what would be written to the one that is meant."""
    question = writing.match(line, cell.results, database)
    assert isinstance(question, Question)

    def read(t: Any) -> tuple[list[int], list[records.Record]]:
        ids = finding.find_all(t, database, question, space.zone)
        return ids, records.many(t, database, ids[:MAX_CANDIDATES])

    ids, found = space.read(read)
    zone = context.env.zone

    def said(record: records.Record) -> str:
        fields = [f for f in database.fields[1:] if not TYPES[f.type].is_long]
        rest = [shorten(as_text(f.named(record.values.get(f.id)), zone), 60) for f in fields]
        return "; ".join(text for text in rest if text)

    written = cell.writes
    return {
        "question": f"{len(ids)} records of {database.name} match. Which one is meant?",
        "database": database.id,
        "candidates": [
            {"record": r.id, "title": writing.title_of(r.values, database, context.env) or "(unnamed)", "said": said(r)}
            for r in found
        ],
        "all": ids,
        "values": [{"name": f.name, "text": as_text(f.named(written[f.id]), zone)} for f in database.fields if f.id in written],
    }


def answer_of(line: Ask, said: AnsweredBy, carried: Carried) -> Answered:
    """Return an answer as it was recorded."""
    types = {f.key: f.type for f in ask.fields_of(line, carried)}
    values = {key: from_wire(value, types[key]) for key, value in said.values.items() if key in types}
    return Answered(said.approved, said.by or "", values)
