"""Watches: what a workflow that is on listens to. And events: the items that were taken in, each once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from kelvix.store import events, inbox, lanes
from kelvix.store.database_server import Row, Transaction
from kelvix.store.directory import Space
from kelvix.store.secrets import Vault, digest

COLUMNS = (
    "id, workspace_id, workflow_id, connection_id, container, version_id, state, cursor_from, cursor_at, push_id, "
    "next_check_at, last_check_at, problem, failures, kinds, turn, since"
)


@dataclass(frozen=True)
class Watch:
    """`cursor_from` is where the app's feed stood at `since`, when it began to listen, in whichever version; `cursor_at` how
    far it was read; `turn`: its next call of the app has its turn."""

    id: int
    workspace_id: int
    workflow_id: int
    connection_id: int
    container: str
    version_id: int
    state: str
    cursor_from: str
    cursor_at: str
    push_id: str | None
    next_check_at: datetime
    last_check_at: datetime | None
    problem: str | None
    failures: int
    kinds: str
    turn: int = 0
    since: datetime | None = None

    def takes(self, item: str, kind: str, revision: int) -> Told | None:
        """Return what a change of an item is to the workflow, if it starts it."""
        kinds = self.kinds.split(",")
        return Told.of(item, kind, revision, kinds) if kind in kinds else None


@dataclass(frozen=True)
class Told:
    """What an app tells of: the arrival of an item, or one of its later changes, by number."""

    item: str
    revision: int = 0

    @staticmethod
    def of(item: str, kind: str, revision: int, kinds: Sequence[str]) -> Told:
        """For who listens to these kinds. An item that comes back is a change of it to who listens to changes, and nothing new
        to who does not."""
        arrives = kind == "new" and (revision <= 1 or tuple(kinds) == ("new",))
        return Told(item, 0 if arrives else revision)


def of_workflow(t: Transaction, workspace_id: int, workflow_id: int) -> Watch | None:
    row = t.row(f"SELECT {COLUMNS} FROM watch WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    return Watch(**row) if row else None


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Watch]:
    """By workflow."""
    return {r["workflow_id"]: Watch(**r) for r in t.rows(f"SELECT {COLUMNS} FROM watch WHERE workspace_id=%s", (workspace_id,))}


def start(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    connection_id: int,
    container: str,
    version_id: int,
    cursor: str,
    wait: float,
    kinds: Sequence[str] = ("new",),
) -> int:
    """Begin to listen from `cursor`; a watch of this workflow that ended earlier is used again, under its old id."""
    t.execute(
        "INSERT INTO watch (workspace_id, workflow_id, connection_id, container, version_id, state, cursor_from, "
        "cursor_at, next_check_at, kinds, since) VALUES (%s,%s,%s,%s,%s,'on',%s,%s, NOW(3) + INTERVAL %s SECOND, %s, NOW(3)) "
        "ON DUPLICATE KEY UPDATE connection_id=VALUES(connection_id), container=VALUES(container), "
        "version_id=VALUES(version_id), state='on', cursor_from=VALUES(cursor_from), cursor_at=VALUES(cursor_at), "
        "next_check_at=VALUES(next_check_at), problem=NULL, failures=0, push_id=NULL, push_secret=NULL, kinds=VALUES(kinds), "
        "since=VALUES(since)",
        (workspace_id, workflow_id, connection_id, container, version_id, cursor, cursor, wait, ",".join(kinds)),
    )
    row = t.row("SELECT id FROM watch WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    assert row
    return int(row["id"])


def set_push(t: Transaction, vault: Vault, workspace_id: int, watch_id: int, push_id: str, secret: str) -> None:
    t.execute(
        "UPDATE watch SET push_id=%s, push_secret=%s WHERE workspace_id=%s AND id=%s",
        (push_id, vault.seal(secret, workspace_id, f"watch/{watch_id}"), workspace_id, watch_id),
    )


def end(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    t.execute("UPDATE watch SET state='off' WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))


def pause(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Go on listening for a workflow that is paused: what arrives is held."""
    t.execute(
        "UPDATE watch SET state='paused' WHERE workspace_id=%s AND workflow_id=%s AND state='on'", (workspace_id, workflow_id)
    )


def resume(t: Transaction, workspace_id: int, watch_id: int, version_id: int) -> None:
    """Go on from where a watch is, as a version."""
    t.execute(
        "UPDATE watch SET state='on', version_id=%s, next_check_at=LEAST(next_check_at, NOW(3)) "
        "WHERE workspace_id=%s AND id=%s",
        (version_id, workspace_id, watch_id),
    )


def is_paused(t: Transaction, workspace_id: int, watch_id: int) -> bool:
    """Say whether a watch holds what arrives: its workflow is paused, its connection refused, or its workspace has had its
    runs."""
    row = t.row(
        "SELECT w.state, COALESCE(u.is_over, 0) OR COALESCE(c.state, '')='refused' AS is_over FROM watch w "
        "LEFT JOIN workspace_usage u ON u.workspace_id=w.workspace_id LEFT JOIN connection c ON c.id=w.connection_id "
        "WHERE w.workspace_id=%s AND w.id=%s",
        (workspace_id, watch_id),
    )
    return row is not None and (row["state"] == "paused" or (row["state"] == "on" and bool(row["is_over"])))


def for_push(t: Transaction, workspace_id: int, watch_id: int) -> Row | None:
    """Return what the intake of pushes needs to prove a push."""
    return t.row(
        "SELECT workflow_id, container, kinds, push_secret FROM watch WHERE workspace_id=%s AND id=%s "
        "AND push_secret IS NOT NULL",
        (workspace_id, watch_id),
    )


def workspaces_due(t: Transaction) -> list[int]:
    """Workspaces with watches whose next check has come, whoever waited longest first."""
    rows = t.rows(
        "SELECT workspace_id FROM watch WHERE state IN ('on','paused') AND next_check_at <= NOW(3) GROUP BY workspace_id "
        "ORDER BY MIN(next_check_at)"
    )
    return [r["workspace_id"] for r in rows]


def due(t: Transaction, workspace_id: int, limit: int, lease: float) -> list[Watch]:
    """Claim a workspace's watches whose next check has come: they are due again after `lease` seconds, should we not finish."""
    found = [
        Watch(**r)
        for r in t.rows(
            f"SELECT {COLUMNS} FROM watch WHERE state IN ('on','paused') AND next_check_at <= NOW(3) AND workspace_id=%s "
            "ORDER BY next_check_at LIMIT %s FOR UPDATE SKIP LOCKED",
            (workspace_id, limit),
        )
    ]
    for watch in found:
        t.execute("UPDATE watch SET next_check_at=NOW(3) + INTERVAL %s SECOND WHERE id=%s", (lease, watch.id))
    return found


def put_off(t: Transaction, watch: Watch, wait: float, has_turn: bool) -> None:
    """Note that a check comes later, since the app asked for fewer calls, and whether its turn is given."""
    t.execute(
        "UPDATE watch SET next_check_at=NOW(3) + INTERVAL %s SECOND, turn=%s WHERE workspace_id=%s AND id=%s",
        (wait, has_turn, watch.workspace_id, watch.id),
    )


def checked(t: Transaction, watch: Watch, was: str, cursor: str, wait: float, problem: str | None) -> None:
    """Note a check: from where and how far the feed was read, when to look again, what went wrong. It had its turn."""
    t.execute(
        "UPDATE watch SET cursor_at=IF(cursor_at=%s, %s, cursor_at), next_check_at=NOW(3) + INTERVAL %s SECOND, "
        "last_check_at=NOW(3), problem=%s, failures=IF(%s IS NULL, 0, failures+1), turn=0 "
        "WHERE workspace_id=%s AND id=%s AND cursor_from=%s",
        (was, cursor, wait, problem, problem, watch.workspace_id, watch.id, watch.cursor_from),
    )


def check_soon(t: Transaction, workspace_id: int, workflow_id: int) -> bool:
    return bool(
        t.execute(
            "UPDATE watch SET next_check_at=NOW(3) WHERE workspace_id=%s AND workflow_id=%s AND state='on'",
            (workspace_id, workflow_id),
        )
    )


def check_all_soon(t: Transaction, workspace_id: int) -> None:
    t.execute("UPDATE watch SET next_check_at=NOW(3) WHERE workspace_id=%s", (workspace_id,))


def event_digest(container: str, told: Told) -> bytes:
    """Return what makes two tellings the same event: the arrival of this item in this container, or this change of it."""
    if told.revision:
        return digest("changes", container, told.item, told.revision)
    return digest("arrives", container, told.item)


TAKE_IN = """BEGIN NOT ATOMIC
  DECLARE new_id BIGINT;
  DECLARE EXIT HANDLER FOR 1062 BEGIN ROLLBACK; SELECT 'known' AS took; END;
  START TRANSACTION;
  INSERT INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by)
    SELECT workspace_id, workflow_id, version_id, %s, %s, %s FROM watch WHERE workspace_id=%s AND id=%s AND state='on'
    AND NOT EXISTS (SELECT 1 FROM workspace_usage u WHERE u.workspace_id=watch.workspace_id AND u.is_over=1)
    AND NOT EXISTS (SELECT 1 FROM connection c WHERE c.id=watch.connection_id AND c.state='refused');
  IF ROW_COUNT() = 1 THEN
    SET new_id = LAST_INSERT_ID();
    INSERT INTO ready (workspace_id, queue, event_id)
      SELECT w.workspace_id, w.id, new_id FROM watch l JOIN workflow w ON w.id = l.workflow_id
      WHERE l.id=%s AND w.live_order='any';
    IF ROW_COUNT() = 1 THEN
      COMMIT;
      SELECT 'new' AS took;
    ELSE
      ROLLBACK;
      SELECT 'ordered' AS took;
    END IF;
  ELSE
    ROLLBACK;
    SELECT 'off' AS took;
  END IF;
END"""
Took = Literal["new", "known", "off", "ordered"]


def take_in(t: Transaction, workspace_id: int, watch_id: int, container: str, told: Told, came_by: str) -> Took:
    """Commit one pushed event and the work that it makes, in one journey to the server; it runs as the version that the
    watch names at that moment. Where the workflow carries its events in order, nothing is taken in: that is `ordered`."""
    row = t.row(TAKE_IN, (event_digest(container, told), told.item[:200], came_by, workspace_id, watch_id, watch_id))
    assert row
    took: Took = row["took"]
    return took


def take_in_ordered(t: Transaction, workspace_id: int, watch_id: int, container: str, told: Told, came_by: str) -> Took:
    """Within the caller's transaction, one event of a workflow that carries its events in order."""
    row = t.row(
        "SELECT workflow_id, version_id FROM watch WHERE workspace_id=%s AND id=%s AND state='on'", (workspace_id, watch_id)
    )
    if row is None:
        return "off"
    new = take_in_many(t, workspace_id, row["workflow_id"], row["version_id"], container, [told], came_by)
    return "new" if new else "known"


def take_in_many(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    container: str,
    told: Sequence[Told],
    came_by: str,
    catch_up: int | None = None,
) -> int:
    """Within the caller's transaction: how many of the items were new."""
    new = 0
    order = events.order_of(t, workspace_id, workflow_id)
    for one in told:
        lane = lanes.lane_of(order, workflow_id, one.item[:200])
        event = t.row(
            "INSERT IGNORE INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by, lane, catch_up_id) "
            "VALUES (%s,%s,%s,%s,%s,%s,%s,%s) RETURNING id",
            (workspace_id, workflow_id, version_id, event_digest(container, one), one.item[:200], came_by, lane, catch_up),
        )
        if event:
            events.line_up(t, workspace_id, workflow_id, event["id"], lane, catch_up is not None)
            new += 1
    return new


def hold(
    t: Transaction, space: Space, workflow_id: int, watch_id: int, container: str, told: Sequence[Told], came_by: str
) -> int:
    """Within the caller's transaction, hold items whose workflow is paused: how many were new. Raises usage.Full."""
    arrived = [inbox.Arrived(event_digest(container, one), one.item, came_by) for one in told]
    return inbox.hold(t, space.id, workflow_id, f"watch/{watch_id}", arrived, space.most_bytes)


def known(t: Transaction, workspace_id: int, workflow_id: int, container: str, told: Sequence[Told]) -> set[Told]:
    """Those that were taken in."""
    by_digest = {event_digest(container, one): one for one in told}
    if not by_digest:
        return set()
    marks = ",".join(["%s"] * len(by_digest))
    rows = t.rows(
        f"SELECT digest FROM event WHERE workspace_id=%s AND workflow_id=%s AND digest IN ({marks})",
        (workspace_id, workflow_id, *by_digest),
    )
    return {by_digest[r["digest"]] for r in rows}


def event_of(t: Transaction, workspace_id: int, workflow_id: int, container: str, item_id: str) -> Row | None:
    """Of an item's arrival."""
    return t.row(
        "SELECT id, came_by, at FROM event WHERE workspace_id=%s AND workflow_id=%s AND digest=%s",
        (workspace_id, workflow_id, event_digest(container, Told(item_id))),
    )
