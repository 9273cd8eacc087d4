"""What runs ask people. A question and its run's rest commit together; so do its answer and the run's going on."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from kelvix.store import ready
from kelvix.store.database_server import Row, Transaction
from kelvix.store.runs import Claim

Kind = Literal["approval", "which", "doubt"]
QUESTION = (
    "SELECT q.id, q.workflow_id, COALESCE(w.name, 'a workflow since deleted') AS workflow, q.run_id, r.version_id, "
    "q.line_id AS line, q.place, q.kind, q.asked, q.answer, q.answered_by, q.asked_at, q.answered_at, r.title, r.item "
    "FROM question q JOIN run r ON r.id = q.run_id LEFT JOIN workflow w ON w.id = q.workflow_id WHERE q.workspace_id=%s "
)


@dataclass(frozen=True)
class Question:
    """`asked` is what the person is shown; `item` the source item of the run."""

    id: int
    workflow_id: int
    workflow: str
    run_id: int
    version_id: int
    line: str
    place: str
    kind: Kind
    asked: dict[str, Any]
    answer: dict[str, Any] | None
    answered_by: str | None
    asked_at: datetime
    answered_at: datetime | None
    title: str | None
    item: dict[str, Any] | None


def ask(t: Transaction, claim: Claim, line: str, place: str, kind: Kind, asked: dict[str, Any]) -> int:
    """Ask, and put the run to rest until there is an answer. What was asked at this line before is asked anew."""
    made = t.insert(
        "INSERT INTO question (workspace_id, workflow_id, run_id, line_id, place, kind, asked) VALUES (%s,%s,%s,%s,%s,%s,%s) "
        "ON DUPLICATE KEY UPDATE asked=VALUES(asked), answer=NULL, answered_by=NULL, answered_at=NULL, asked_at=NOW(3)",
        (claim.workspace_id, claim.workflow_id, claim.run_id, line, place, kind, json.dumps(asked, ensure_ascii=False)),
    )
    rest(t, claim)
    return made


def rest(t: Transaction, claim: Claim) -> None:
    """Put a run away that waits for an answer: nothing takes it up but the answer."""
    t.execute(
        "UPDATE run SET state='waiting', problem=NULL, attempts=0, lease_until=NULL WHERE workspace_id=%s AND id=%s",
        (claim.workspace_id, claim.run_id),
    )


def _question(row: Row) -> Question:
    return Question(**(row | {k: json.loads(row[k]) if row[k] else None for k in ("asked", "answer", "item")}))


def open_ones(t: Transaction, workspace_id: int, limit: int = 200) -> list[Question]:
    """Return what has no answer yet, the oldest first."""
    rows = t.rows(QUESTION + "AND q.answered_at IS NULL ORDER BY q.id LIMIT %s", (workspace_id, limit))
    return [_question(r) for r in rows]


def get(t: Transaction, workspace_id: int, question_id: int) -> Question | None:
    row = t.row(QUESTION + "AND q.id=%s", (workspace_id, question_id))
    return _question(row) if row else None


def of_line(t: Transaction, workspace_id: int, run_id: int, line: str, place: str) -> Question | None:
    """Return what a run asked at a line."""
    row = t.row(QUESTION + "AND q.run_id=%s AND q.line_id=%s AND q.place=%s", (workspace_id, run_id, line, place))
    return _question(row) if row else None


def answer(t: Transaction, workspace_id: int, question: Question, said: dict[str, Any], person: str) -> bool:
    """Keep an answer and let the run go on; False where somebody answered before."""
    if not t.execute(
        "UPDATE question SET answer=%s, answered_by=%s, answered_at=NOW(3) "
        "WHERE workspace_id=%s AND id=%s AND answered_at IS NULL",
        (json.dumps(said, ensure_ascii=False), person[:200], workspace_id, question.id),
    ):
        return False
    ready.run(t, workspace_id, question.run_id)
    return True
