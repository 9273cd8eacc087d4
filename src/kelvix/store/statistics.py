"""What became of runs, counted for the person who looks at the day and the weeks."""

from __future__ import annotations

import os
from datetime import datetime

from kelvix.remembering import Remembered
from kelvix.store.database_server import Row, Transaction

MAX_RUNS = 20_000  # runs that are looked at, the newest
FRESH = float(
    os.environ.get("KELVIX_FIGURES_FRESH", "300")
)  # seconds for which what was counted over weeks is taken as it was: it would be counted by every screen
_BY_WORKFLOW: Remembered[dict[int, int]] = Remembered(1_000, FRESH)


def ended_between(t: Transaction, workspace_id: int, since: datetime, until: datetime) -> list[Row]:
    """Return the state, the begin, and the seconds until the end of each run of an event, the newest first."""
    return t.rows(
        "SELECT id, state, created_at, TIMESTAMPDIFF(MICROSECOND, created_at, finished_at) / 1e6 AS seconds FROM run "
        "WHERE workspace_id=%s AND pruned=0 AND created_at >= %s AND created_at < %s AND kind='event' "
        "ORDER BY created_at DESC LIMIT %s",
        (workspace_id, since, until, MAX_RUNS),
    )


def went_out_since(t: Transaction, workspace_id: int, since: datetime) -> int:
    """How many records were written, and how many things sent or saved, by runs that began since."""
    row = t.row(
        "SELECT COUNT(*) AS n FROM run r JOIN run_line l ON l.run_id = r.id WHERE r.workspace_id=%s AND r.pruned=0 "
        "AND r.created_at >= %s AND l.outcome IN ('added','updated','deleted','sent','saved','ran')",
        (workspace_id, since),
    )
    return int(row["n"]) if row else 0


def by_workflow(t: Transaction, workspace_id: int, days: int) -> dict[int, int]:
    """How many events each workflow had in so many days, what it caught up on left out; as of a few minutes ago."""
    return _BY_WORKFLOW.get((workspace_id, days), lambda: _by_workflow(t, workspace_id, days))


def _by_workflow(t: Transaction, workspace_id: int, days: int) -> dict[int, int]:
    rows = t.rows(
        "SELECT workflow_id, COUNT(*) AS n FROM run WHERE workspace_id=%s AND pruned=0 "
        "AND created_at > NOW(3) - INTERVAL %s DAY AND kind='event' AND catch_up_id IS NULL AND again_of IS NULL "
        "GROUP BY workflow_id",
        (workspace_id, days),
    )
    return {r["workflow_id"]: r["n"] for r in rows}
