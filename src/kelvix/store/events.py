"""Events that happen in Kelvix itself, each once, with what they carry."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

from kelvix.store import lanes, ready
from kelvix.store.database_server import Row, Transaction

MAX_CAUSES = 50


def take_in(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    digest: bytes,
    item: dict[str, Any],
    came_by: str,
    causes: list[int] | None = None,
) -> int | None:
    """Within the caller's transaction, an event and the work that it makes: its id; none where it is known. `digest` makes two
    tellings the same event."""
    title, kept = item["title"][:300], json.dumps(item, ensure_ascii=False)
    return enter(t, workspace_id, workflow_id, version_id, digest, str(item["id"])[:200], came_by, title, kept, causes)


def enter(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    digest: bytes,
    item_id: str,
    came_by: str,
    title: str | None,
    item: str | None,
    causes: list[int] | None = None,
    at: datetime | None = None,
) -> int | None:
    """Return the same, with the item as it is kept, where it brings one along; `at`: when it came."""
    lane = lanes.lane_of(order_of(t, workspace_id, workflow_id), workflow_id, item_id)
    led = json.dumps(causes[-MAX_CAUSES:]) if causes else None
    event = t.row(
        "INSERT IGNORE INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by, title, item, causes, lane, "
        "at) VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,COALESCE(%s, NOW(3))) RETURNING id",
        (workspace_id, workflow_id, version_id, digest, item_id, came_by, title, item, led, lane, at),
    )
    if event is None:
        return None
    line_up(t, workspace_id, workflow_id, event["id"], lane)
    return int(event["id"])


def order_of(t: Transaction, workspace_id: int, workflow_id: int) -> str:
    """In which order a workflow carries its events: any, item or all (core/workflow.py)."""
    row = t.row("SELECT live_order FROM workflow WHERE workspace_id=%s AND id=%s", (workspace_id, workflow_id))
    return str(row["live_order"]) if row else "any"


def line_up(
    t: Transaction, workspace_id: int, workflow_id: int, event_id: int, lane: bytes | None, catch_up: bool = False
) -> None:
    """Make an event ready, or let it wait for the one before it."""
    if lane is None or lanes.enter(t, workspace_id, workflow_id, lane, event_id):
        ready.event(t, workspace_id, ready.queue_of(workflow_id, catch_up), event_id)


def causes_of_run(t: Transaction, workspace_id: int, run_id: int) -> list[int]:
    """Return the workflows whose runs led to what a run does, its own included."""
    row = t.row(
        "SELECT r.workflow_id, e.causes FROM run r LEFT JOIN event e ON e.id = r.event_id WHERE r.workspace_id=%s AND r.id=%s",
        (workspace_id, run_id),
    )
    if row is None:
        return []
    return [*(json.loads(row["causes"]) if row["causes"] else []), row["workflow_id"]]


def of_item(t: Transaction, workspace_id: int, workflow_id: int, item_id: str) -> dict[str, Any] | None:
    """Return the newest event about an item."""
    return t.row(
        "SELECT id, came_by, at FROM event WHERE workspace_id=%s AND workflow_id=%s AND item_id=%s ORDER BY id DESC LIMIT 1",
        (workspace_id, workflow_id, item_id),
    )


def item_of(t: Transaction, workspace_id: int, workflow_id: int, digest: bytes) -> dict[str, Any] | None:
    """Return what an event brought along, as long as that is kept."""
    row = t.row(
        "SELECT item FROM event WHERE workspace_id=%s AND workflow_id=%s AND digest=%s", (workspace_id, workflow_id, digest)
    )
    return json.loads(row["item"]) if row and row["item"] else None


def newest_item(t: Transaction, workspace_id: int, workflow_id: int, came_by: str) -> tuple[datetime, dict[str, Any]] | None:
    """Return what the newest event of a kind brought along, and when, as long as that is kept."""
    row = t.row(
        "SELECT at, item FROM event WHERE workspace_id=%s AND workflow_id=%s AND came_by=%s AND item IS NOT NULL "
        "ORDER BY id DESC LIMIT 1",
        (workspace_id, workflow_id, came_by),
    )
    return (row["at"], json.loads(row["item"])) if row else None


def newest(t: Transaction, workspace_id: int, workflow_id: int, limit: int) -> list[Row]:
    """Return the newest events, one for each item."""
    return t.rows(
        "SELECT item_id, MAX(title) AS title, MAX(at) AS at FROM (SELECT item_id, title, at, id FROM event "
        "WHERE workspace_id=%s AND workflow_id=%s ORDER BY id DESC LIMIT 200) AS newest GROUP BY item_id "
        "ORDER BY at DESC LIMIT %s",
        (workspace_id, workflow_id, limit),
    )


def times(t: Transaction, workspace_id: int, workflow_id: int, limit: int) -> list[datetime]:
    """When the newest events came, those that were caught up on left out."""
    rows = t.rows(
        "SELECT at FROM event WHERE workspace_id=%s AND workflow_id=%s AND catch_up_id IS NULL AND came_by <> 'time' "
        "ORDER BY id DESC LIMIT %s",
        (workspace_id, workflow_id, limit),
    )
    return [r["at"] for r in rows]
