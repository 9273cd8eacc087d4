"""The inbox: what was accepted and cannot be carried yet. Rows are numbered by the place that they came to, and go on in
order."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kelvix.store import events, usage
from kelvix.store.database_server import Row, Transaction

MIN_BYTES = 500  # bytes that a row counts for at least


@dataclass(frozen=True)
class Arrived:
    """Something that arrived: `digest` makes two tellings the same; `item` is what it brings along, where it does."""

    digest: bytes
    item_id: str
    came_by: str
    item: dict[str, Any] | None = None


@dataclass(frozen=True)
class Held:
    """How many things of a workflow are held, and since when."""

    count: int
    since: datetime


def hold(t: Transaction, workspace_id: int, workflow_id: int, subscription: str, arrived: Sequence[Arrived], most: int) -> int:
    """Hold what arrived, unless it is known: how many were new. `most`: bytes that the workspace may keep. Raises
    usage.Full."""
    usage.reserve(t, workspace_id, 0, most)  # one at a time in a workspace: else two would hold the same
    known = _known(t, workspace_id, workflow_id, [one.digest for one in arrived])
    new = [(one, json.dumps(one.item, ensure_ascii=False) if one.item else None) for one in arrived if one.digest not in known]
    sizes = [max(MIN_BYTES, len((item or "").encode())) for _, item in new]
    if not new:
        return 0
    usage.reserve(t, workspace_id, sum(sizes), most)
    for (one, item), size in zip(new, sizes, strict=True):
        n = t.insert(  # taken last, and held until the commit: numbers become visible in their order
            "INSERT INTO counter (workspace_id, name, n) VALUES (%s,%s,LAST_INSERT_ID(1)) "
            "ON DUPLICATE KEY UPDATE n=LAST_INSERT_ID(n+1)",
            (workspace_id, f"in {subscription}"[:20]),
        )
        t.execute(
            "INSERT INTO inbox (workspace_id, subscription, n, workflow_id, digest, item_id, came_by, title, item, size) "
            "VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s)",
            (workspace_id, subscription, n, workflow_id, one.digest, one.item_id[:200], one.came_by,
             one.item["title"][:300] if one.item else None, item, size),
        )  # fmt: skip
    return len(new)


def _known(t: Transaction, workspace_id: int, workflow_id: int, digests: list[bytes]) -> set[bytes]:
    marks = ",".join(["%s"] * len(digests))
    rows = t.rows(
        f"SELECT digest FROM inbox WHERE workspace_id=%s AND workflow_id=%s AND digest IN ({marks}) UNION ALL "
        f"SELECT digest FROM event WHERE workspace_id=%s AND workflow_id=%s AND digest IN ({marks})",
        (workspace_id, workflow_id, *digests, workspace_id, workflow_id, *digests),
    ) if digests else []  # fmt: skip
    return {r["digest"] for r in rows}


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Held]:
    """Return what is held in a workspace, by workflow."""
    rows = t.rows(
        "SELECT workflow_id, COUNT(*) AS n, MIN(at) AS since FROM inbox WHERE workspace_id=%s GROUP BY workflow_id",
        (workspace_id,),
    )
    return {r["workflow_id"]: Held(r["n"], r["since"]) for r in rows}


def of_item(t: Transaction, workspace_id: int, workflow_id: int, item_id: str) -> Row | None:
    """Return the newest row about an item."""
    return t.row(
        "SELECT came_by, at, title FROM inbox WHERE workspace_id=%s AND workflow_id=%s AND item_id=%s ORDER BY n DESC LIMIT 1",
        (workspace_id, workflow_id, item_id),
    )


def item_of(t: Transaction, workspace_id: int, workflow_id: int, digest: bytes) -> dict[str, Any] | None:
    """Return what a row brings along."""
    row = t.row(
        "SELECT item FROM inbox WHERE workspace_id=%s AND workflow_id=%s AND digest=%s", (workspace_id, workflow_id, digest)
    )
    return json.loads(row["item"]) if row and row["item"] else None


def can_go_on(t: Transaction) -> list[tuple[int, int]]:
    """Workspaces and workflows of which something is held and need not be any longer."""
    rows = t.rows(
        "SELECT DISTINCT i.workspace_id, i.workflow_id FROM inbox i JOIN workflow w ON w.id=i.workflow_id "
        "LEFT JOIN workspace_usage u ON u.workspace_id=i.workspace_id "
        "LEFT JOIN consumer l ON l.workspace_id=i.workspace_id AND l.workflow_id=i.workflow_id AND l.state<>'off' "
        "LEFT JOIN connection c ON c.id=l.connection_id "
        "WHERE w.state='on' AND w.workspace_id=i.workspace_id AND COALESCE(u.is_over, 0)=0 "
        "AND COALESCE(c.state, '')<>'refused' LIMIT 20"
    )
    return [(r["workspace_id"], r["workflow_id"]) for r in rows]


def release(t: Transaction, workspace_id: int, workflow_id: int, limit: int) -> int:
    """Let what is held of a workflow that is on become events, in order: how many rows there were."""
    workflow = t.row(
        "SELECT live_version_id FROM workflow WHERE workspace_id=%s AND id=%s AND state='on' FOR UPDATE",
        (workspace_id, workflow_id),
    )
    if workflow is None:
        return 0
    rows = t.rows(
        "SELECT * FROM inbox WHERE workspace_id=%s AND workflow_id=%s ORDER BY n LIMIT %s FOR UPDATE",
        (workspace_id, workflow_id, limit),
    )
    for row in rows:
        events.enter(
            t, workspace_id, workflow_id, workflow["live_version_id"], row["digest"], row["item_id"], row["came_by"],
            row["title"], row["item"], at=row["at"],
        )  # fmt: skip
    _forget(t, workspace_id, rows)
    return len(rows)


def drop(t: Transaction, workspace_id: int, workflow_id: int) -> int:
    """Drop what is held of a workflow, as a person said: how many rows there were."""
    rows = t.rows(
        "SELECT subscription, n, size FROM inbox WHERE workspace_id=%s AND workflow_id=%s FOR UPDATE",
        (workspace_id, workflow_id),
    )
    _forget(t, workspace_id, rows)
    return len(rows)


def _forget(t: Transaction, workspace_id: int, rows: Sequence[Row]) -> None:
    for row in rows:
        t.later(
            "DELETE FROM inbox WHERE workspace_id=%s AND subscription=%s AND n=%s",
            (workspace_id, row["subscription"], row["n"]),
        )
    if rows:
        usage.give_back(t, workspace_id, sum(row["size"] for row in rows))
