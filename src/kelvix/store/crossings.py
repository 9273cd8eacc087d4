"""What crossed in mirrors, with before and after; and what a choice, a refusal or two programs kept from crossing."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from kelvix.core.mirror.lens import Side
from kelvix.store.database_server import Row, Transaction

COLUMNS = "n, pair_id, kind, side, item_id, title, body, delay_ms, undone_by, at"
WRITES = ("create", "update", "delete", "restore", "comment")
EARLY, LATE = datetime(1970, 1, 1, tzinfo=UTC), datetime(9999, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class Crossing:
    """`kind`: what was written, or why nothing was (lost, refused, war). `side`: which was written to. `delay_ms`: since the
    edit was told of."""

    n: int
    pair_id: str
    kind: str
    side: Side
    item_id: str
    title: str
    body: Mapping[str, Any]
    delay_ms: int | None
    undone_by: str | None
    at: datetime


def _read(row: Row) -> Crossing:
    return Crossing(**(row | {"body": json.loads(row["body"])}))


def note(
    t: Transaction,
    workspace_id: int,
    mirror_id: int,
    pair_id: str,
    kind: str,
    side: Side,
    item: str,
    title: str,
    body: Mapping[str, Any],
    since: datetime | None = None,
    counts: str | None = None,
) -> None:
    """Note what crossed; `since`: when the edit that crossed was told of; `counts`: as what it counts to the limits."""
    t.later(
        "INSERT INTO mirror_crossing (workspace_id, mirror_id, pair_id, kind, side, item_id, title, body, counts, delay_ms) "
        "VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s, TIMESTAMPDIFF(MICROSECOND, %s, NOW(3)) DIV 1000)",
        (workspace_id, mirror_id, pair_id, kind, side, item, title[:300], json.dumps(body, ensure_ascii=False), counts, since),
    )


def page(t: Transaction, mirror_id: int, before: int | None, limit: int, pair_id: str | None = None) -> list[Crossing]:
    """Return the newest, before a number."""
    of, args = (" AND pair_id=%s", [pair_id]) if pair_id else ("", [])
    rows = t.rows(
        f"SELECT {COLUMNS} FROM mirror_crossing WHERE mirror_id=%s{of} AND n < %s ORDER BY n DESC LIMIT %s",
        (mirror_id, *args, before if before is not None else 2**62, limit),
    )
    return [_read(r) for r in rows]


def between(
    t: Transaction, workspace_id: int, since: datetime | None, until: datetime | None, limit: int
) -> list[tuple[int, Crossing]]:
    """Return the writes of all mirrors in a span of time, the newest first, each with its mirror."""
    rows = t.rows(
        f"SELECT mirror_id, {COLUMNS} FROM mirror_crossing WHERE workspace_id=%s AND at >= %s AND at < %s "
        f"AND kind IN ({','.join(['%s'] * len(WRITES))}) ORDER BY at DESC, n DESC LIMIT %s",
        (workspace_id, since or EARLY, until or LATE, *WRITES, limit),
    )
    return [(row.pop("mirror_id"), _read(row)) for row in rows]


def written_since(t: Transaction, workspace_id: int, since: datetime) -> int:
    """Return how much was written by all mirrors since a moment."""
    row = t.row(
        "SELECT COUNT(*) AS n FROM mirror_crossing WHERE workspace_id=%s AND at >= %s "
        f"AND kind IN ({','.join(['%s'] * len(WRITES))})",
        (workspace_id, since, *WRITES),
    )
    return int(row["n"]) if row else 0


def get(t: Transaction, mirror_id: int, n: int) -> Crossing | None:
    row = t.row(f"SELECT {COLUMNS} FROM mirror_crossing WHERE mirror_id=%s AND n=%s", (mirror_id, n))
    return _read(row) if row else None


def set_undone(t: Transaction, mirror_id: int, n: int, by: str) -> None:
    t.execute("UPDATE mirror_crossing SET undone_by=%s WHERE mirror_id=%s AND n=%s", (by[:200], mirror_id, n))


def to_undo(t: Transaction, mirror_id: int, since: datetime, limit: int) -> list[Crossing]:
    """Return writes since a moment that were not undone, the newest first."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM mirror_crossing WHERE mirror_id=%s AND at >= %s AND undone_by IS NULL "
        f"AND kind IN ({','.join(['%s'] * len(WRITES))}) ORDER BY n DESC LIMIT %s",
        (mirror_id, since, *WRITES, limit),
    )
    return [_read(r) for r in rows]


def counted(t: Transaction, mirror_id: int, side: Side, counts: str) -> int:
    """Return how many writes to items of a side count to a limit within a day."""
    row = t.row(
        "SELECT COUNT(DISTINCT item_id) AS n FROM mirror_crossing WHERE mirror_id=%s AND side=%s AND counts=%s "
        "AND at > NOW(3) - INTERVAL 1 DAY AND undone_by IS NULL",
        (mirror_id, side, counts),
    )
    return int(row["n"]) if row else 0


def count_anew(t: Transaction, mirror_id: int) -> None:
    """Let what crossed so far count to the limits no more, since a person looked at it."""
    t.execute(
        "UPDATE mirror_crossing SET counts=NULL WHERE mirror_id=%s AND counts IS NOT NULL AND at > NOW(3) - INTERVAL 1 DAY",
        (mirror_id,),
    )


def by_day(t: Transaction, mirror_id: int, days: int) -> list[Row]:
    """Return for each day how much crossed to each side, and how long that took in the middle and at the worst, in ms."""
    return t.rows(
        "SELECT DATE(at) AS day, SUM(side='left') AS to_left, SUM(side='right') AS to_right, AVG(delay_ms) AS typical, "
        "MAX(delay_ms) AS worst FROM mirror_crossing WHERE mirror_id=%s AND at > NOW(3) - INTERVAL %s DAY "
        f"AND kind IN ({','.join(['%s'] * len(WRITES))}) GROUP BY day ORDER BY day",
        (mirror_id, days, *WRITES),
    )


def delays(t: Transaction, mirror_id: int, limit: int = 500) -> list[int]:
    """Return how long the last edits took to cross, in ms."""
    rows = t.rows(
        "SELECT delay_ms FROM mirror_crossing WHERE mirror_id=%s AND delay_ms IS NOT NULL AND kind='update' "
        "ORDER BY n DESC LIMIT %s",
        (mirror_id, limit),
    )
    return [r["delay_ms"] for r in rows]


def forget(t: Transaction, workspace_id: int, days: int) -> int:
    """Forget what crossed long ago: how much."""
    return t.execute(
        "DELETE FROM mirror_crossing WHERE workspace_id=%s AND at < NOW(3) - INTERVAL %s DAY LIMIT 5000", (workspace_id, days)
    )


# Parity


def begin_parity(t: Transaction, workspace_id: int, mirror_id: int) -> int:
    return t.insert(
        "INSERT INTO mirror_parity (workspace_id, mirror_id, began_at) VALUES (%s,%s,NOW(3))", (workspace_id, mirror_id)
    )


def end_parity(t: Transaction, parity_id: int, report: Mapping[str, Any]) -> None:
    t.execute(
        "UPDATE mirror_parity SET ended_at=NOW(3), report=%s WHERE id=%s", (json.dumps(report, ensure_ascii=False), parity_id)
    )


def parities(t: Transaction, mirror_id: int, limit: int = 30) -> list[Row]:
    rows = t.rows(
        "SELECT id, began_at, ended_at, report FROM mirror_parity WHERE mirror_id=%s ORDER BY id DESC LIMIT %s",
        (mirror_id, limit),
    )
    return [r | {"report": json.loads(r["report"]) if r["report"] else None} for r in rows]
