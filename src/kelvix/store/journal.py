"""The journal of a subscription: what its app told of, each once, in the order in which it was taken in.

Numbers are counted for each subscription and are taken under its lock, so that they become visible in their order. Only the
intake writes it; whoever listens reads it by a place of its own (store/consumers.py).
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any, Literal

from kelvix.core.collection import Change
from kelvix.core.watching import Seen
from kelvix.store.database_server import Transaction
from kelvix.store.subscriptions import COLUMNS, Subscription

MAX_ID = 200  # characters of an item's id that tell it apart
MAX_UNREAD = 100_000  # changes that wait for one that reads no further; then nothing more is taken in
KEPT_DAYS = 30  # for which changes are kept for workflows that are off


@dataclass(frozen=True)
class SourceChange:
    """What an app told of, and how that came: pushed, or read at a check."""

    n: int
    item: str
    told: str
    revision: int
    came_by: str
    at: datetime


@dataclass(frozen=True)
class SeenChange:
    """The same, looked at: what it was, and the item as it was then, where there is anything to tell."""

    of: SourceChange
    seen: Seen
    item: dict[str, Any] | None


def take_in(t: Transaction, workspace_id: int, subscription_id: int, change: Change, came_by: str) -> Took:
    """Commit one change in one journey to the server: whether it is new. `off` where nobody listens or there is no room."""
    item = change.id[:MAX_ID]
    told = (subscription_id, workspace_id, item, change.told, change.revision, came_by)
    row = t.row(TAKE_IN, (workspace_id, subscription_id, *told))
    assert row
    took: Took = row["took"]
    return took


TAKE_IN = """BEGIN NOT ATOMIC
  DECLARE EXIT HANDLER FOR 1062 BEGIN ROLLBACK; SELECT 'known' AS took; END;
  START TRANSACTION;
  UPDATE subscription SET n=LAST_INSERT_ID(n+1) WHERE workspace_id=%s AND id=%s AND state='on' AND is_full=0;
  IF ROW_COUNT() = 0 THEN
    ROLLBACK;
    SELECT 'off' AS took;
  ELSE
    INSERT INTO source_change (subscription_id, n, workspace_id, item_id, told, revision, came_by, is_read)
      VALUES (%s, LAST_INSERT_ID(), %s, %s, %s, %s, %s, 0);
    COMMIT;
    SELECT 'new' AS took;
  END IF;
END"""
Took = Literal["new", "known", "off"]


def append(t: Transaction, one: Subscription, changes: Sequence[Change], came_by: str) -> int:
    """Within the caller's transaction, which holds the subscription's lock from here on: how many changes were not known."""
    held = t.row("SELECT n FROM subscription WHERE workspace_id=%s AND id=%s FOR UPDATE", (one.workspace_id, one.id))
    if held is None or not changes:
        return 0
    made = {(c.id[:MAX_ID], c.revision, c.told): c.at for c in changes}
    keys = dict.fromkeys(made)
    marks = ",".join(["(%s,%s,%s)"] * len(keys))
    t.execute(
        f"UPDATE source_change SET is_read=1 WHERE subscription_id=%s AND (item_id, revision, told) IN ({marks})",
        (one.id, *(part for key in keys for part in key)),
    )
    known = {
        (r["item_id"], r["revision"], r["told"])
        for r in t.rows(
            "SELECT item_id, revision, told FROM source_change WHERE subscription_id=%s "
            f"AND (item_id, revision, told) IN ({marks})",
            (one.id, *(part for key in keys for part in key)),
        )
    }
    new = [key for key in keys if key not in known]
    if new:
        t.many(
            "INSERT INTO source_change (subscription_id, n, workspace_id, item_id, revision, told, came_by, is_read, made_at) "
            "VALUES (%s,%s,%s,%s,%s,%s,%s,1,%s)",
            [(one.id, n, one.workspace_id, *key, came_by, made[key]) for n, key in enumerate(new, held["n"] + 1)],
        )
        t.execute("UPDATE subscription SET n=n+%s WHERE id=%s", (len(new), one.id))
    return len(new)


def after(t: Transaction, subscription_id: int, n: int, limit: int) -> list[SourceChange]:
    """Return what comes after a place, in its order."""
    rows = t.rows(
        "SELECT n, item_id AS item, told, revision, came_by, at FROM source_change WHERE subscription_id=%s AND n>%s "
        "ORDER BY n LIMIT %s",
        (subscription_id, n, limit),
    )
    return [SourceChange(**row) for row in rows]


def about(t: Transaction, subscription_id: int, n: int, item: str) -> SourceChange | None:
    """Return the newest change of an item after a place."""
    row = t.row(
        "SELECT n, item_id AS item, told, revision, came_by, at FROM source_change WHERE subscription_id=%s AND n>%s "
        "AND item_id=%s ORDER BY n DESC LIMIT 1",
        (subscription_id, n, item[:MAX_ID]),
    )
    return SourceChange(**row) if row else None


def delay(t: Transaction, subscription_id: int) -> float | None:
    """Return how many seconds it took on average until a change was read that the app made lately; none where it does not say
    when that was."""
    row = t.row(
        "SELECT AVG(late) AS late FROM (SELECT GREATEST(0, TIMESTAMPDIFF(MICROSECOND, made_at, at)) / 1e6 AS late "
        "FROM source_change WHERE subscription_id=%s AND made_at IS NOT NULL ORDER BY n DESC LIMIT 20) AS newest",
        (subscription_id,),
    )
    return float(row["late"]) if row and row["late"] is not None else None


def note_seen(t: Transaction, subscription_id: int, n: int, seen: Seen, item: Mapping[str, Any] | None) -> None:
    """Note what a change was found to be."""
    kept = json.dumps({"seen": asdict(seen), "item": item}, ensure_ascii=False) if seen.happened != "same" else None
    t.execute(
        "UPDATE source_change SET happened=%s, seen=%s WHERE subscription_id=%s AND n=%s",
        (seen.happened, kept, subscription_id, n),
    )


def seen_after(t: Transaction, subscription_id: int, n: int, to: int, limit: int) -> list[SeenChange]:
    """Return what comes after a place and was looked at, in its order."""
    rows = t.rows(
        "SELECT n, item_id AS item, told, revision, came_by, at, happened, seen FROM source_change WHERE subscription_id=%s "
        "AND n>%s AND n<=%s ORDER BY n LIMIT %s",
        (subscription_id, n, to, limit),
    )
    found = []
    for row in rows:
        happened, kept = row.pop("happened"), json.loads(row.pop("seen") or "{}")
        seen = Seen(**kept["seen"]) if kept else Seen(happened or "same")
        found.append(SeenChange(SourceChange(**row), seen, kept.get("item")))
    return found


def newest_seen(t: Transaction, subscription_id: int, item: str) -> SeenChange | None:
    """Return the newest change of an item that was looked at and was one."""
    row = t.row(
        "SELECT MAX(n) AS n FROM source_change WHERE subscription_id=%s AND item_id=%s AND happened<>'same'",
        (subscription_id, item[:MAX_ID]),
    )
    return at(t, subscription_id, row["n"]) if row and row["n"] else None


def at(t: Transaction, subscription_id: int, n: int) -> SeenChange | None:
    """Return one change, as long as it is kept."""
    return next(iter(seen_after(t, subscription_id, n - 1, n, 1)), None)


def note_fullness(t: Transaction, one: Subscription) -> bool:
    """Note whether so much waits for one that reads no further that nothing more is taken in: whether it does."""
    row = t.row(
        "SELECT s.n - COALESCE(MIN(c.read_to), s.n) >= %s AS is_full FROM subscription s "
        "LEFT JOIN consumer c ON c.subscription_id=s.id AND c.state<>'off' WHERE s.id=%s GROUP BY s.id",
        (MAX_UNREAD, one.id),
    )
    is_full = bool(row and row["is_full"])
    if is_full != bool(one.is_full):
        t.execute("UPDATE subscription SET is_full=%s WHERE id=%s", (is_full, one.id))
    return is_full


def merge(t: Transaction, one: Subscription) -> Subscription | None:
    """Let those who listen to a branch join the subscription of the same place, once both have read the app's changes to the
    same cursor and nothing was pushed that was not read: the branch, if they did. Who has not read all of the branch stays."""
    branch = _branch(t, one)
    if branch is None or branch.keeps_marks:  # of marks only those of one subscription are known
        return None
    trunk = t.row(
        "SELECT id, n, cursor_at FROM subscription WHERE workspace_id=%s AND account=%s AND place=%s AND branch=0 FOR UPDATE",
        (branch.workspace_id, branch.account, branch.place),
    )
    if trunk is None or trunk["cursor_at"] != branch.cursor_at:
        return None
    if t.row("SELECT 1 FROM source_change WHERE subscription_id IN (%s,%s) AND is_read=0 LIMIT 1", (trunk["id"], branch.id)):
        return None
    t.rows("SELECT id FROM consumer WHERE subscription_id=%s FOR UPDATE", (branch.id,))
    if t.row("SELECT 1 FROM consumer WHERE subscription_id=%s AND read_to<%s LIMIT 1", (branch.id, branch.n)):
        return None
    t.execute(
        "UPDATE consumer SET subscription_id=%s, read_to=%s WHERE subscription_id=%s", (trunk["id"], trunk["n"], branch.id)
    )
    t.execute("UPDATE subscription SET state='on' WHERE id=%s", (trunk["id"],))
    t.execute("DELETE FROM source_change WHERE subscription_id=%s", (branch.id,))
    t.execute("DELETE FROM subscription WHERE id=%s", (branch.id,))
    return branch


def _branch(t: Transaction, one: Subscription) -> Subscription | None:
    """Return the branch that may have met the subscription of its place: this one, or the first of those beside it."""
    row = t.row(
        f"SELECT {COLUMNS} FROM subscription WHERE workspace_id=%s AND account=%s AND place=%s AND branch<>0 "
        "AND cursor_at=%s ORDER BY id LIMIT 1 FOR UPDATE",
        (one.workspace_id, one.account, one.place, one.cursor_at),
    )
    return Subscription(**row) if row else None


def prune(t: Transaction, workspace_id: int, limit: int) -> int:
    """Let go of changes that everybody has read: how many. A workflow that is off finds what came meanwhile for some time."""
    rows = t.rows(
        "SELECT j.subscription_id, j.n FROM source_change j LEFT JOIN (SELECT subscription_id, "
        "MIN(IF(state='off', NULL, read_to)) AS on_at, MIN(IF(state='off', read_to, NULL)) AS off_at FROM consumer "
        "WHERE workspace_id=%s AND subscription_id IS NOT NULL GROUP BY subscription_id) c "
        "ON c.subscription_id=j.subscription_id WHERE j.workspace_id=%s AND j.at < NOW(3) - INTERVAL 1 DAY "
        "AND (c.on_at IS NULL OR j.n <= c.on_at) "
        "AND (c.off_at IS NULL OR j.n <= c.off_at OR j.at < NOW(3) - INTERVAL %s DAY) LIMIT %s",
        (workspace_id, workspace_id, KEPT_DAYS, limit),
    )
    for row in rows:
        t.later("DELETE FROM source_change WHERE subscription_id=%s AND n=%s", (row["subscription_id"], row["n"]))
    return len(rows)
