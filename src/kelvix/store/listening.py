"""What workflows listen to in Kelvix itself: records, schedules and addresses."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kelvix.store.database_server import Row, Transaction
from kelvix.store.secrets import Vault, digest

COLUMNS = (
    "id, workspace_id, workflow_id, version_id, kind, state, database_id, cursor_at, last_at, next_at, note, "
    "token IS NOT NULL AS has_address, since"
)


@dataclass(frozen=True)
class Listening:
    """`cursor_at` is how far the change log was read; `last_at` and `next_at` are a schedule's times; `note` says what was seen
    and not taken, and why; `since`: when it began to listen, whichever version it was."""

    id: int
    workspace_id: int
    workflow_id: int
    version_id: int | None
    kind: str
    state: str
    database_id: int | None
    cursor_at: int
    last_at: datetime | None
    next_at: datetime | None
    note: dict[str, Any]
    has_address: bool
    since: datetime | None


def _listening(row: Row) -> Listening:
    note = json.loads(row["note"]) if row["note"] else {}
    return Listening(**(row | {"note": note, "has_address": bool(row["has_address"])}))


def of_workflow(t: Transaction, workspace_id: int, workflow_id: int) -> Listening | None:
    row = t.row(f"SELECT {COLUMNS} FROM listening WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    return _listening(row) if row else None


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Listening]:
    """By workflow."""
    rows = t.rows(f"SELECT {COLUMNS} FROM listening WHERE workspace_id=%s", (workspace_id,))
    return {r["workflow_id"]: _listening(r) for r in rows}


SAME = "state IN ('on','paused') AND kind=VALUES(kind) AND database_id <=> VALUES(database_id)"


def start(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    kind: str,
    database_id: int | None,
    cursor: int,
    now: datetime,
    next_at: datetime | None,
) -> None:
    """Begin to listen; one that goes on listening to the same goes on from where it is, and what settles there settles on."""
    t.execute(
        "DELETE s FROM settling s JOIN listening l ON l.workspace_id=s.workspace_id AND l.workflow_id=s.workflow_id "
        "WHERE s.workspace_id=%s AND s.workflow_id=%s AND NOT (l.kind=%s AND l.database_id <=> %s)",
        (workspace_id, workflow_id, kind, database_id),
    )
    t.execute(
        "INSERT INTO listening (workspace_id, workflow_id, version_id, kind, state, database_id, cursor_at, last_at, next_at, "
        "since) VALUES (%s,%s,%s,%s,'on',%s,%s,%s,%s,NOW(3)) ON DUPLICATE KEY UPDATE "
        f"cursor_at=IF({SAME}, cursor_at, VALUES(cursor_at)), since=IF({SAME}, since, VALUES(since)), "
        "note=IF(state IN ('on','paused'), note, NULL), version_id=VALUES(version_id), kind=VALUES(kind), state='on', "
        "database_id=VALUES(database_id), last_at=VALUES(last_at), next_at=VALUES(next_at)",
        (workspace_id, workflow_id, version_id, kind, database_id, cursor, now, next_at),
    )


def end(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Listen no more. Records that are settling are kept: they come once it is turned on again."""
    t.execute("UPDATE listening SET state='off' WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))


def forget(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Forget what is settling, since the workflow listens to something else from now on."""
    t.execute("DELETE FROM settling WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))


def pause(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Stay where it is, for a workflow that is paused: the log is read on from there, and requests are held."""
    t.execute(
        "UPDATE listening SET state='paused' WHERE workspace_id=%s AND workflow_id=%s AND state='on'",
        (workspace_id, workflow_id),
    )


def behind(t: Transaction, limit: int) -> list[Listening]:
    """Those that have not read the change log to its end."""
    rows = t.rows(
        "SELECT l.id FROM listening l JOIN counter c ON c.workspace_id = l.workspace_id AND c.name = 'change' "
        "LEFT JOIN workspace_usage u ON u.workspace_id = l.workspace_id "
        "WHERE l.kind='record' AND l.state='on' AND l.cursor_at < c.n AND COALESCE(u.is_over, 0)=0 LIMIT %s",
        (limit,),
    )
    return [one for r in rows if (one := get(t, r["id"]))]


def get(t: Transaction, listening_id: int) -> Listening | None:
    row = t.row(f"SELECT {COLUMNS} FROM listening WHERE id=%s", (listening_id,))
    return _listening(row) if row else None


def locked(t: Transaction, listening_id: int) -> Listening | None:
    """Held for this transaction; none where another holds it."""
    row = t.row(f"SELECT {COLUMNS} FROM listening WHERE id=%s FOR UPDATE SKIP LOCKED", (listening_id,))
    return _listening(row) if row else None


def read_to(t: Transaction, one: Listening, cursor: int, note: dict[str, Any] | None = None) -> None:
    """How far the change log was read; `note` in place of the one there is."""
    said = json.dumps(note, ensure_ascii=False) if note is not None else None
    t.execute("UPDATE listening SET cursor_at=%s, note=COALESCE(%s, note) WHERE id=%s", (cursor, said, one.id))


def due(t: Transaction, limit: int) -> list[Listening]:
    """Schedules whose time has come."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM listening WHERE kind='schedule' AND state='on' AND next_at <= NOW(3) AND workspace_id NOT IN "
        "(SELECT workspace_id FROM workspace_usage WHERE is_over=1) ORDER BY next_at LIMIT %s",
        (limit,),
    )
    return [_listening(r) for r in rows]


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


# Records that settle


def settle(
    t: Transaction, one: Listening, record_id: int, seq: int, before: str | None, causes: str | None, quiet: float
) -> None:
    """Note that a record began to be what is waited for; what it was before stays as it was at the first change."""
    t.execute(
        "INSERT INTO settling (workspace_id, workflow_id, record_id, seq, before_values, causes, due_at) "
        "VALUES (%s,%s,%s,%s,%s,%s, NOW(3) + INTERVAL %s SECOND) "
        "ON DUPLICATE KEY UPDATE seq=VALUES(seq), due_at=VALUES(due_at)",
        (one.workspace_id, one.workflow_id, record_id, seq, before, causes, quiet),
    )


def stir(t: Transaction, one: Listening, record_id: int, quiet: float) -> None:
    """Note that a record that settles was changed again."""
    t.execute(
        "UPDATE settling SET due_at=NOW(3) + INTERVAL %s SECOND WHERE workflow_id=%s AND record_id=%s",
        (quiet, one.workflow_id, record_id),
    )


def settled(t: Transaction, limit: int) -> list[Row]:
    """Return records that have been quiet for long enough, of workflows that are on."""
    return t.rows(
        "SELECT s.* FROM settling s JOIN listening l ON l.workspace_id=s.workspace_id AND l.workflow_id=s.workflow_id "
        "LEFT JOIN workspace_usage u ON u.workspace_id=s.workspace_id WHERE s.due_at <= NOW(3) "
        "AND l.state='on' AND COALESCE(u.is_over, 0)=0 ORDER BY s.due_at LIMIT %s",
        (limit,),
    )


def settling(t: Transaction, workflow_id: int, record_id: int) -> Row | None:
    """One of them, held for this transaction; none where another holds it, or it was stirred again."""
    return t.row(
        "SELECT * FROM settling WHERE workflow_id=%s AND record_id=%s AND due_at <= NOW(3) FOR UPDATE SKIP LOCKED",
        (workflow_id, record_id),
    )


def unsettle(t: Transaction, row: Row, gone: bool) -> None:
    """Note that a record has settled, or must be filled first: then it waits for its next change."""
    if gone:
        t.execute("DELETE FROM settling WHERE workflow_id=%s AND record_id=%s", (row["workflow_id"], row["record_id"]))
    else:
        t.execute(
            "UPDATE settling SET due_at=NULL WHERE workflow_id=%s AND record_id=%s", (row["workflow_id"], row["record_id"])
        )
