"""Work that can be taken up. It stands in queues that take turns: one for each workflow, one in each workspace for what people
wait for, and one for what a workflow catches up on, so that nothing starves anything else."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from datetime import datetime

from kelvix.store.database_server import Row, Transaction

AWAITED = 0  # the queue of what a person waits for


def queue_of(workflow_id: int, catch_up: bool = False) -> int:
    return -workflow_id if catch_up else workflow_id


def event(t: Transaction, workspace_id: int, queue: int, event_id: int) -> None:
    t.later("INSERT INTO ready (workspace_id, queue, event_id) VALUES (%s,%s,%s)", (workspace_id, queue, event_id))


def run(
    t: Transaction,
    workspace_id: int,
    run_id: int,
    after: float = 0.0,
    due: datetime | None = None,
    suspect: bool = False,
) -> None:
    """Queue a run, to be taken up after some seconds, or when a time comes."""
    t.execute(
        "INSERT INTO ready (workspace_id, queue, run_id, due_at, suspect) SELECT workspace_id, "
        "IF(kind='try', 0, IF(catch_up_id IS NULL, workflow_id, -workflow_id)), id, "
        "COALESCE(%s, NOW(3) + INTERVAL %s SECOND), %s FROM run WHERE workspace_id=%s AND id=%s",
        (due, after, suspect, workspace_id, run_id),
    )


def queues(t: Transaction) -> list[tuple[int, int]]:
    """Workspaces and queues in which something is due. Reads one row of each queue, not all."""
    rows = t.rows("SELECT workspace_id, queue, MIN(due_at) AS first, NOW(3) AS now FROM ready GROUP BY workspace_id, queue")
    return [(r["workspace_id"], r["queue"]) for r in rows if r["first"] <= r["now"]]


def shares(
    due: Sequence[tuple[int, int]], limit: int, room: Callable[[int], int] = lambda _: 2**31
) -> dict[tuple[int, int], int]:
    """How many each queue may give of `limit`: workspaces take turns first, then the queues within one, in chance order.
    `room`: how many more a workspace may have under way."""
    by_workspace: dict[int, list[tuple[int, int]]] = {}
    for one in random.sample(due, len(due)):
        by_workspace.setdefault(one[0], []).append(one)
    given: dict[tuple[int, int], int] = {}
    taken = dict.fromkeys(by_workspace, 0)
    while sum(taken.values()) < limit:
        open_ = [space for space in by_workspace if taken[space] < room(space)]
        if not open_:
            break
        space = min(open_, key=taken.__getitem__)
        mine = by_workspace[space]
        one = mine[taken[space] % len(mine)]
        given[one] = given.get(one, 0) + 1
        taken[space] += 1
    return given


def take_due(t: Transaction, queue: tuple[int, int], limit: int) -> list[Row]:
    """Take what is due out of a queue; what is suspect stays for `take_suspect`."""
    rows = t.rows(
        "SELECT id, workspace_id, event_id, run_id FROM ready WHERE workspace_id=%s AND queue=%s AND due_at <= NOW(3) "
        "AND suspect=0 ORDER BY due_at, id LIMIT %s FOR UPDATE SKIP LOCKED",
        (*queue, limit),
    )
    if rows:
        t.later(f"DELETE FROM ready WHERE id IN ({','.join(['%s'] * len(rows))})", [r["id"] for r in rows])
    return rows


def take_suspect(t: Transaction, workspace_id: int) -> list[Row]:
    """Take one run of a workspace that ended its worker before, if any is due."""
    rows = t.rows(
        "SELECT id, workspace_id, event_id, run_id FROM ready WHERE workspace_id=%s AND suspect=1 AND due_at <= NOW(3) "
        "ORDER BY due_at, id LIMIT 1 FOR UPDATE SKIP LOCKED",
        (workspace_id,),
    )
    for row in rows:
        t.execute("DELETE FROM ready WHERE id=%s", (row["id"],))
    return rows


def suspect_workspaces(t: Transaction) -> list[int]:
    """Return the workspaces that have a due run which ended its worker before; whose has waited longest comes first."""
    rows = t.rows(
        "SELECT workspace_id FROM ready WHERE suspect=1 AND due_at <= NOW(3) GROUP BY workspace_id ORDER BY MIN(due_at)"
    )
    return [row["workspace_id"] for row in rows]


def waiting(t: Transaction) -> tuple[int, float]:
    """How much is due and not taken up, and for how many seconds the oldest of it has been."""
    row = t.row(
        "SELECT COUNT(*) AS n, TIMESTAMPDIFF(MICROSECOND, MIN(due_at), NOW(3)) / 1e6 AS age FROM ready WHERE due_at <= NOW(3)"
    )
    return (row["n"], float(row["age"] or 0)) if row else (0, 0.0)
