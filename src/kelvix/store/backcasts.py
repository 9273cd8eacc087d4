"""Backcasts: rehearsals over past events, with their progress."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from kelvix.core.backcast import Ending
from kelvix.core.workflow import Workflow
from kelvix.store.database_server import Row, Transaction
from kelvix.store.workflows import dump, parse

SILENT = 20  # seconds without a sign, after which a running one is taken for ended with its process


@dataclass(frozen=True)
class Kept:
    """`state` is running, done, cancelled, failed or lost (its process ended). `oldest` and `newest` are when the events were
    that were seen so far."""

    id: int
    workflow_id: int
    state: str
    document: Workflow
    seen: int
    outcomes: list[Ending]
    oldest: datetime | None
    newest: datetime | None
    reach: str
    problem: str | None
    started_at: datetime


def _kept(row: Row) -> Kept:
    outcomes = [Ending(**o | {"examples": [tuple(e) for e in o["examples"]]}) for o in json.loads(row["found"])]
    return Kept(
        row["id"],
        row["workflow_id"],
        "lost" if row["state"] == "running" and row["silent"] else row["state"],
        parse(row["document"]),
        row["seen"],
        outcomes,
        row["oldest"],
        row["newest"],
        row["reach"],
        row["problem"],
        row["started_at"],
    )


COLUMNS = f"*, beat_at < NOW(3) - INTERVAL {SILENT} SECOND AS silent"


def start(t: Transaction, workspace_id: int, workflow_id: int, document: Workflow, reach: str) -> int:
    """Begin a backcast; earlier ones of its workflow are forgotten, and stop where they still run."""
    t.execute("DELETE FROM backcast WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    return t.insert(
        "INSERT INTO backcast (workspace_id, workflow_id, document, found, reach) VALUES (%s,%s,%s,'[]',%s)",
        (workspace_id, workflow_id, dump(document), reach[:500]),
    )


def latest(t: Transaction, workspace_id: int, workflow_id: int) -> Kept | None:
    row = t.row(
        f"SELECT {COLUMNS} FROM backcast WHERE workspace_id=%s AND workflow_id=%s ORDER BY id DESC LIMIT 1",
        (workspace_id, workflow_id),
    )
    return _kept(row) if row else None


@dataclass(frozen=True)
class Span:
    """How many items a backcast saw, and from when to when they came."""

    seen: int
    oldest: datetime
    newest: datetime


def spans(t: Transaction, workspace_id: int, workflow_ids: Sequence[int]) -> dict[int, Span]:
    """Return what the newest backcasts of workflows looked at, where they saw anything."""
    if not workflow_ids:
        return {}
    rows = t.rows(
        "SELECT workflow_id, seen, oldest, newest FROM backcast WHERE workspace_id=%s AND seen > 0 AND oldest IS NOT NULL "
        f"AND newest IS NOT NULL AND workflow_id IN ({','.join(['%s'] * len(workflow_ids))}) ORDER BY id",
        (workspace_id, *workflow_ids),
    )
    return {r["workflow_id"]: Span(r["seen"], r["oldest"], r["newest"]) for r in rows}


def progress(
    t: Transaction,
    workspace_id: int,
    backcast_id: int,
    seen: int,
    outcomes: list[Ending],
    span: tuple[datetime | None, datetime | None],
    state: str = "running",
    problem: str | None = None,
) -> bool:
    """Keep how far it has come. False where it was cancelled, or begun anew, meanwhile."""
    found = json.dumps([asdict(o) for o in outcomes], ensure_ascii=False)
    return bool(
        t.execute(
            "UPDATE backcast SET seen=%s, found=%s, oldest=%s, newest=%s, state=%s, problem=%s, beat_at=NOW(3) "
            "WHERE workspace_id=%s AND id=%s AND state='running'",
            (seen, found, *span, state, problem, workspace_id, backcast_id),
        )
    )


def cancel(t: Transaction, workspace_id: int, workflow_id: int) -> bool:
    return bool(
        t.execute(
            "UPDATE backcast SET state='cancelled' WHERE workspace_id=%s AND workflow_id=%s AND state='running'",
            (workspace_id, workflow_id),
        )
    )
