"""How many calls of apps were made by each connection, by day in UTC, and how many their apps say that they take."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime

from kelvix.core.limits import Limit
from kelvix.store.database_server import Transaction

KEPT_DAYS = 400


def count(t: Transaction, workspace_id: int, connection_id: int, day: date, calls: int) -> None:
    """Count calls of a connection. Processes write this down a little later: of one that was removed meanwhile, nothing."""
    if _is_there(t, workspace_id, connection_id):
        t.execute(
            "INSERT INTO call_count (workspace_id, connection_id, day, calls) VALUES (%s,%s,%s,%s) "
            "ON DUPLICATE KEY UPDATE calls=calls+VALUES(calls)",
            (workspace_id, connection_id, day, calls),
        )


def _is_there(t: Transaction, workspace_id: int, connection_id: int) -> bool:
    """Say whether a connection was not removed, and let it not be until this transaction is over."""
    sql = "SELECT 1 FROM connection WHERE workspace_id=%s AND id=%s LOCK IN SHARE MODE"
    return t.row(sql, (workspace_id, connection_id)) is not None


def keep_limits(t: Transaction, workspace_id: int, connection_id: int, limits: Iterable[Limit], at: datetime) -> None:
    """Keep what an app said at some time of how many calls it takes, in place of what it said before. Processes write this down
    a little later, in any order: what is older than what is kept is left out."""
    key = (workspace_id, connection_id, at)
    if not _is_there(t, workspace_id, connection_id):
        return
    if t.row("SELECT 1 FROM call_limit WHERE workspace_id=%s AND connection_id=%s AND said_at>%s LIMIT 1", key):
        return
    t.execute("DELETE FROM call_limit WHERE workspace_id=%s AND connection_id=%s AND said_at<=%s", key)
    for one in limits:
        t.execute(
            "INSERT INTO call_limit (workspace_id, connection_id, name, most, window_seconds, remaining, resets_at, "
            "said_at) VALUES (%s,%s,%s,%s,%s,%s,%s,%s) ON DUPLICATE KEY UPDATE remaining=VALUES(remaining)",
            (workspace_id, connection_id, one.name, one.most, one.window, one.left, one.resets, at),
        )


def limits(t: Transaction, workspace_id: int) -> dict[int, tuple[Limit, ...]]:
    """Return what the apps said, by connection, as of then."""
    found: dict[int, tuple[Limit, ...]] = {}
    for r in t.rows("SELECT * FROM call_limit WHERE workspace_id=%s ORDER BY window_seconds, name", (workspace_id,)):
        one = Limit(r["name"], r["most"], r["window_seconds"], r["remaining"], r["resets_at"])
        found[r["connection_id"]] = (*found.get(r["connection_id"], ()), one)
    return found


def by_day(t: Transaction, workspace_id: int, since: date) -> dict[int, dict[date, int]]:
    """Return how many calls were made on each day since, by connection."""
    found: dict[int, dict[date, int]] = {}
    for r in t.rows(
        "SELECT connection_id, day, calls FROM call_count WHERE workspace_id=%s AND day>=%s", (workspace_id, since)
    ):
        found.setdefault(r["connection_id"], {})[r["day"]] = r["calls"]
    return found


def forget(t: Transaction, workspace_id: int) -> None:
    """Let go of counts that are older than is looked back."""
    t.execute(
        "DELETE FROM call_count WHERE workspace_id=%s AND day < %s - INTERVAL %s DAY",
        (workspace_id, datetime.now(UTC).date(), KEPT_DAYS),
    )
