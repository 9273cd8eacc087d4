"""What workflows listen to in Kelvix itself beside records: schedules and addresses."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from kelvix.store.database_server import Transaction
from kelvix.store.secrets import Vault, digest

COLUMNS = "id, workspace_id, workflow_id, version_id, kind, state, last_at, next_at, token IS NOT NULL AS has_address, since"


@dataclass(frozen=True)
class Listening:
    """`last_at` and `next_at` are a schedule's times; `since`: when it began to listen, whichever version it was."""

    id: int
    workspace_id: int
    workflow_id: int
    version_id: int | None
    kind: str
    state: str
    last_at: datetime | None
    next_at: datetime | None
    has_address: int
    since: datetime | None


def of_workflow(t: Transaction, workspace_id: int, workflow_id: int) -> Listening | None:
    row = t.row(f"SELECT {COLUMNS} FROM listening WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    return Listening(**row) if row else None


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Listening]:
    """By workflow."""
    rows = t.rows(f"SELECT {COLUMNS} FROM listening WHERE workspace_id=%s", (workspace_id,))
    return {r["workflow_id"]: Listening(**r) for r in rows}


SAME = "state IN ('on','paused') AND kind=VALUES(kind)"


def start(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    kind: str,
    now: datetime,
    next_at: datetime | None,
) -> None:
    """Begin to listen; one that goes on listening to the same goes on from where it is."""
    t.execute(
        "INSERT INTO listening (workspace_id, workflow_id, version_id, kind, state, last_at, next_at, since) "
        "VALUES (%s,%s,%s,%s,'on',%s,%s,NOW(3)) ON DUPLICATE KEY UPDATE "
        f"since=IF({SAME}, since, VALUES(since)), version_id=VALUES(version_id), kind=VALUES(kind), state='on', "
        "last_at=VALUES(last_at), next_at=VALUES(next_at)",
        (workspace_id, workflow_id, version_id, kind, now, next_at),
    )


def end(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Listen no more."""
    t.execute("UPDATE listening SET state='off' WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))


def pause(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Note that a workflow is paused: requests are held."""
    t.execute(
        "UPDATE listening SET state='paused' WHERE workspace_id=%s AND workflow_id=%s AND state='on'",
        (workspace_id, workflow_id),
    )


def locked(t: Transaction, listening_id: int) -> Listening | None:
    """Held for this transaction; none where another holds it."""
    row = t.row(f"SELECT {COLUMNS} FROM listening WHERE id=%s FOR UPDATE SKIP LOCKED", (listening_id,))
    return Listening(**row) if row else None


def due(t: Transaction, limit: int) -> list[Listening]:
    """Schedules whose time has come."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM listening WHERE kind='schedule' AND state='on' AND next_at <= NOW(3) AND workspace_id NOT IN "
        "(SELECT workspace_id FROM workspace_usage WHERE is_over=1) ORDER BY next_at LIMIT %s",
        (limit,),
    )
    return [Listening(**r) for r in rows]


def came_round(t: Transaction, one: Listening, at: datetime, next_at: datetime | None) -> None:
    t.execute("UPDATE listening SET last_at=%s, next_at=%s WHERE id=%s", (at, next_at, one.id))


# Addresses


@dataclass(frozen=True)
class Door:
    """An address as requests meet it."""

    id: int
    workspace_id: int
    workflow_id: int
    version_id: int | None
    state: str
    secret: str | None


def make_address(t: Transaction, vault: Vault, workspace_id: int, workflow_id: int, token: str, secret: str) -> None:
    """Give a workflow an address, in place of the one it had; the secret signs requests."""
    about = f"address/{workflow_id}"
    t.execute(
        "INSERT INTO listening (workspace_id, workflow_id, kind, state, token_digest, token, secret) "
        "VALUES (%s,%s,'address','off',%s,%s,%s) ON DUPLICATE KEY UPDATE token_digest=VALUES(token_digest), "
        "token=VALUES(token), secret=VALUES(secret)",
        (
            workspace_id,
            workflow_id,
            digest("address", token),
            vault.seal(token, workspace_id, about),
            vault.seal(secret, workspace_id, about),
        ),
    )


def address(t: Transaction, vault: Vault, workspace_id: int, workflow_id: int) -> str | None:
    """Return the token of a workflow's address."""
    row = t.row("SELECT token FROM listening WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    return vault.open(row["token"], workspace_id, f"address/{workflow_id}") if row and row["token"] else None


def door(t: Transaction, vault: Vault, workspace_id: int, token: str) -> Door | None:
    """Return what stands behind an address. Whoever calls it is not known: the token is what lets them in."""
    row = t.row(
        "SELECT id, workspace_id, workflow_id, version_id, state, kind, secret FROM listening "
        "WHERE workspace_id=%s AND token_digest=%s",
        (workspace_id, digest("address", token)),
    )
    if row is None:
        return None
    secret = vault.open(row["secret"], workspace_id, f"address/{row['workflow_id']}") if row["secret"] else None
    state = row["state"] if row["kind"] == "address" else "off"
    return Door(row["id"], row["workspace_id"], row["workflow_id"], row["version_id"], state, secret)


def door_state(t: Transaction, one: Door) -> str:
    """Its state as it is now, held for this transaction."""
    row = t.row("SELECT state FROM listening WHERE workspace_id=%s AND id=%s LOCK IN SHARE MODE", (one.workspace_id, one.id))
    return str(row["state"]) if row else "off"


def count_request(t: Transaction, one: Door, limit: int) -> bool:
    """Count a request of this minute, by the database's clock; whether it is within the limit."""
    t.execute(
        "INSERT INTO request_count (listening_id, minute, n) VALUES (%s, UNIX_TIMESTAMP() DIV 60, 1) "
        "ON DUPLICATE KEY UPDATE n=n+1",
        (one.id,),
    )
    row = t.row("SELECT n FROM request_count WHERE listening_id=%s AND minute=UNIX_TIMESTAMP() DIV 60", (one.id,))
    t.execute("DELETE FROM request_count WHERE listening_id=%s AND minute < UNIX_TIMESTAMP() DIV 60 - 1", (one.id,))
    return row is None or row["n"] <= limit
