"""Order where it is asked for: events of one lane are carried one after the other, in the order in which they were taken in.

The lane's row is locked by whoever takes an event in and by whoever ends a run, so that both see the same line of events. Only
the first of it is ready; who ends it makes the next one ready in the same commit.
"""

from __future__ import annotations

from kelvix.store import ready
from kelvix.store.database_server import Transaction
from kelvix.store.secrets import digest


def lane_of(order: str, workflow_id: int, item_id: str) -> bytes | None:
    """Return the lane of an event: none where any order will do, one for each item, or one for all."""
    if order == "any":
        return None
    return digest("lane", workflow_id, item_id if order == "item" else "")


def enter(t: Transaction, workspace_id: int, workflow_id: int, lane: bytes, event_id: int) -> bool:
    """Line an event up: whether it is the first."""
    t.execute("INSERT INTO lane (digest) VALUES (%s) ON DUPLICATE KEY UPDATE digest=VALUES(digest)", (lane,))
    place = t.insert(
        "INSERT INTO lane_place (workspace_id, workflow_id, lane, event_id) VALUES (%s,%s,%s,%s)",
        (workspace_id, workflow_id, lane, event_id),
    )
    return t.row("SELECT id FROM lane_place WHERE lane=%s AND id < %s LIMIT 1", (lane, place)) is None


def leave(t: Transaction, workspace_id: int, lane: bytes, event_id: int) -> None:
    """Let the next of a lane be ready, since the first has ended."""
    t.row("SELECT digest FROM lane WHERE digest=%s FOR UPDATE", (lane,))
    if not t.execute("DELETE FROM lane_place WHERE event_id=%s", (event_id,)):
        return
    after = t.row(
        "SELECT p.event_id, p.workflow_id, e.catch_up_id FROM lane_place p JOIN event e ON e.id = p.event_id "
        "WHERE p.lane=%s ORDER BY p.id LIMIT 1",
        (lane,),
    )
    if after:
        queue = ready.queue_of(after["workflow_id"], after["catch_up_id"] is not None)
        ready.event(t, workspace_id, queue, after["event_id"])
    else:
        t.execute("DELETE FROM lane WHERE digest=%s", (lane,))


def waiting(t: Transaction, workspace_id: int, workflow_id: int) -> int:
    """How many events of a workflow wait for one before them."""
    row = t.row(
        "SELECT COUNT(*) - COUNT(DISTINCT lane) AS n FROM lane_place WHERE workspace_id=%s AND workflow_id=%s",
        (workspace_id, workflow_id),
    )
    return int(row["n"]) if row else 0
