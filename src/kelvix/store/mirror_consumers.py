"""The sides of mirrors as consumers: how far each has read, in the journal of a subscription or in the log of changes."""

from __future__ import annotations

from dataclasses import dataclass

from kelvix.core.mirror.lens import Side
from kelvix.store.consumers import CAN_READ
from kelvix.store.database_server import Row, Transaction

EVERY = 20  # seconds between checks where an app can't push


@dataclass(frozen=True)
class SideReader:
    """It listens to a subscription, or to a database of ours."""

    id: int
    workspace_id: int
    mirror_id: int
    side: Side
    subscription_id: int | None
    database_id: int | None
    read_to: int


COLUMNS = "c.id, c.workspace_id, c.mirror_id, c.side, c.subscription_id, c.database_id, c.read_to"


def listen(
    t: Transaction,
    workspace_id: int,
    mirror_id: int,
    side: Side,
    subscription_id: int | None,
    connection_id: int | None,
    database_id: int | None,
    read_to: int,
    account: str,
) -> None:
    """Let a side listen from a place on: in the journal of a subscription, or in the log of changes."""
    t.execute(
        "INSERT INTO consumer (workspace_id, mirror_id, side, state, subscription_id, connection_id, database_id, account, "
        "kinds, read_to, since, every_seconds) VALUES (%s,%s,%s,'on',%s,%s,%s,%s,'',%s,NOW(3),%s) ON DUPLICATE KEY UPDATE "
        "state='on', subscription_id=VALUES(subscription_id), connection_id=VALUES(connection_id), "
        "database_id=VALUES(database_id), account=VALUES(account), read_to=VALUES(read_to), since=NOW(3)",
        (workspace_id, mirror_id, side, subscription_id, connection_id, database_id, account, read_to, EVERY),
    )


def set_state(t: Transaction, workspace_id: int, mirror_id: int, state: str) -> None:
    """Let both sides read on (on), stay where they are (paused), or read no more (off)."""
    t.execute("UPDATE consumer SET state=%s WHERE workspace_id=%s AND mirror_id=%s", (state, workspace_id, mirror_id))


def of_mirror(t: Transaction, workspace_id: int, mirror_id: int) -> list[Row]:
    """Return both sides as they listen, with when their subscriptions were checked last, and what went wrong."""
    return t.rows(
        "SELECT c.side, c.state, c.connection_id, s.last_check_at, s.problem, s.push_id IS NOT NULL AS is_pushed "
        "FROM consumer c LEFT JOIN subscription s ON s.id=c.subscription_id WHERE c.workspace_id=%s AND c.mirror_id=%s",
        (workspace_id, mirror_id),
    )


def behind(t: Transaction) -> list[SideReader]:
    """Return those that have not read all there is, and can read on."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM consumer c JOIN subscription s ON s.id=c.subscription_id "
        f"WHERE c.mirror_id IS NOT NULL AND c.read_to < s.n AND {CAN_READ} "
        f"UNION ALL SELECT {COLUMNS} FROM consumer c JOIN counter n ON n.workspace_id=c.workspace_id AND n.name='change' "
        f"WHERE c.mirror_id IS NOT NULL AND c.subscription_id IS NULL AND c.read_to < n.n AND {CAN_READ}"
    )
    return [SideReader(**r) for r in rows]


def locked(t: Transaction, one: SideReader) -> bool:
    """Hold a side for this transaction: whether it is where it was."""
    row = t.row("SELECT 1 FROM consumer WHERE id=%s AND read_to=%s FOR UPDATE SKIP LOCKED", (one.id, one.read_to))
    return bool(row)


def read_on(t: Transaction, one: SideReader, place: int) -> None:
    t.later("UPDATE consumer SET read_to=%s WHERE id=%s", (place, one.id))


def told(t: Transaction, one: SideReader, limit: int) -> list[Row]:
    """Return what a subscription's journal says after where a side is: numbers, items, and what the app told."""
    return t.rows(
        "SELECT n, item_id AS item, told FROM source_change WHERE subscription_id=%s AND n > %s ORDER BY n LIMIT %s",
        (one.subscription_id, one.read_to, limit),
    )


def logged(t: Transaction, one: SideReader, limit: int) -> list[Row]:
    """Return the same of the log of changes of a workspace; items of other databases are none."""
    return t.rows(
        "SELECT seq AS n, IF(database_id=%s AND COALESCE(JSON_VALUE(origin, '$.mirror'), 0) <> %s, record_id, NULL) AS item, "
        "kind AS told FROM `change` WHERE workspace_id=%s AND seq > %s ORDER BY seq LIMIT %s",
        (one.database_id, one.mirror_id, one.workspace_id, one.read_to, limit),
    )


def connections(t: Transaction, workspace_id: int) -> set[int]:
    """Return the connections by which mirrors that are on or paused listen."""
    rows = t.rows(
        "SELECT DISTINCT connection_id FROM consumer WHERE workspace_id=%s AND mirror_id IS NOT NULL AND state<>'off' "
        "AND connection_id IS NOT NULL",
        (workspace_id,),
    )
    return {r["connection_id"] for r in rows}
