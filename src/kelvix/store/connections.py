"""Connections to apps. Tokens are sealed, opened only to be used, never listed."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from kelvix.store import databases
from kelvix.store.database_server import Row, Transaction
from kelvix.store.directory import Space
from kelvix.store.secrets import Vault, digest

CONSENT_MINUTES = 15


@dataclass(frozen=True)
class Connection:
    """`state` is good, refused or lost, and so since `state_at`. A good one whose calls all fail reads as failing, with why;
    one that sees nothing as empty; one that ends within a week as expiring. `shared`: the containers that it saw last;
    `server`: that of an app which has several, where it is not the usual one."""

    id: int
    app: str
    name: str
    account: str
    state: str
    reason: str | None
    expires_at: datetime | None
    created_at: datetime
    state_at: datetime | None
    failing_since: datetime | None
    shared: tuple[str, ...] | None
    may_send: bool
    server: str | None


@dataclass(frozen=True)
class Consent:
    app: str
    connection_id: int | None
    verifier: str


COLUMNS = (
    "id, app, name, account, CASE WHEN state<>'good' THEN state WHEN expires_at < NOW(3) THEN 'lost' "
    "WHEN failing_since IS NOT NULL THEN 'failing' WHEN shared='[]' AND NOT may_send THEN 'empty' "
    "WHEN refresh IS NULL AND expires_at < NOW(3) + INTERVAL 7 DAY THEN 'expiring' ELSE state END AS state, "
    "IF(state='good', failing_why, reason) AS reason, expires_at, created_at, state_at, failing_since, shared, may_send, server"
)
WORKING = ("good", "expiring", "empty", "failing")  # states in which an app is asked


def _connection(row: Row) -> Connection:
    shared = None if row["shared"] is None else tuple(json.loads(row["shared"]))
    return Connection(**(row | {"shared": shared, "may_send": bool(row["may_send"])}))


def _row_name(connection_id: int) -> str:
    return f"connection/{connection_id}"


def _refresh_name(connection_id: int) -> str:
    return f"connection/{connection_id}/refresh"


def list_all(t: Transaction, workspace_id: int) -> list[Connection]:
    return [
        _connection(r)
        for r in t.rows(f"SELECT {COLUMNS} FROM connection WHERE workspace_id=%s ORDER BY name, id", (workspace_id,))
    ]


def get(t: Transaction, workspace_id: int, connection_id: int) -> Connection | None:
    row = t.row(f"SELECT {COLUMNS} FROM connection WHERE workspace_id=%s AND id=%s", (workspace_id, connection_id))
    return _connection(row) if row else None


def token(t: Transaction, vault: Vault, workspace_id: int, connection_id: int) -> tuple[str, str, str, str | None] | None:
    """Return the app, the token, the account and the server of a connection."""
    row: Row | None = t.row(
        "SELECT app, secret, account, server FROM connection WHERE workspace_id=%s AND id=%s", (workspace_id, connection_id)
    )
    if row is None:
        return None
    return row["app"], vault.open(row["secret"], workspace_id, _row_name(connection_id)), row["account"], row["server"]


def save(
    space: Space,
    vault: Vault,
    connection_id: int | None,
    app: str,
    name: str,
    account: str,
    secret: str,
    expires_in: int | None,
    refresh: str | None = None,
    server: str | None = None,
) -> int:
    """Keep what a consent gave: a new connection, or new access for one that is there (which keeps its name and its server).
    `refresh`: what renews it before it ends."""

    def work(t: Transaction) -> int:
        row = connection_id or t.insert(
            "INSERT INTO connection (workspace_id, app, name, account, server, state, secret) "
            "VALUES (%s,%s,%s,%s,%s,'good','')",
            (space.id, app, name[:200], account, server),
        )
        t.execute(
            "UPDATE connection SET account=%s, state='good', reason=NULL, state_at=NOW(3), failing_since=NULL, "
            "failing_why=NULL, secret=%s, expires_at=NOW(3) + INTERVAL %s SECOND, refresh=%s WHERE workspace_id=%s AND id=%s",
            (
                account,
                vault.seal(secret, space.id, _row_name(row)),
                expires_in,
                vault.seal(refresh, space.id, _refresh_name(row)) if refresh else None,
                space.id,
                row,
            ),
        )
        return row

    return space.transact(work)


def to_renew(t: Transaction, workspace_id: int) -> list[int]:
    """Return the connections whose access can be renewed, and has less than a quarter of its time left."""
    rows = t.rows(
        "SELECT id FROM connection WHERE workspace_id=%s AND state='good' AND refresh IS NOT NULL AND "
        "TIMESTAMPDIFF(SECOND, NOW(3), expires_at) < TIMESTAMPDIFF(SECOND, COALESCE(state_at, created_at), expires_at) / 4",
        (workspace_id,),
    )
    return [r["id"] for r in rows]


def refresh_of(t: Transaction, vault: Vault, workspace_id: int, connection_id: int) -> tuple[str, str] | None:
    """Return the app of a connection, and what renews its access; none where nothing does."""
    row = t.row("SELECT app, refresh FROM connection WHERE workspace_id=%s AND id=%s", (workspace_id, connection_id))
    if row is None or row["refresh"] is None:
        return None
    return row["app"], vault.open(row["refresh"], workspace_id, _refresh_name(connection_id))


def keep_renewed(
    t: Transaction,
    vault: Vault,
    workspace_id: int,
    connection_id: int,
    secret: str,
    expires_in: int | None,
    refresh: str | None,
) -> None:
    """Keep access that was renewed; `refresh`: what renews it from now on, where that is another one."""
    t.execute(
        "UPDATE connection SET secret=%s, expires_at=NOW(3) + INTERVAL %s SECOND, state_at=NOW(3), "
        "refresh=COALESCE(%s, refresh) WHERE workspace_id=%s AND id=%s",
        (
            vault.seal(secret, workspace_id, _row_name(connection_id)),
            expires_in,
            vault.seal(refresh, workspace_id, _refresh_name(connection_id)) if refresh else None,
            workspace_id,
            connection_id,
        ),
    )


def mark(t: Transaction, workspace_id: int, connection_id: int, state: str, reason: str | None) -> bool:
    """Note what the app said of a connection; True where that is news."""
    return bool(
        t.execute(
            "UPDATE connection SET state=%s, reason=%s, state_at=NOW(3) WHERE workspace_id=%s AND id=%s AND state<>%s",
            (state, reason, workspace_id, connection_id, state),
        )
    )


def note_failing(t: Transaction, workspace_id: int, connection_id: int, why: str) -> bool:
    """Note that a call by a connection failed, in passing; True where the one before it did not."""
    return bool(
        t.execute(
            "UPDATE connection SET failing_since=NOW(3), failing_why=%s WHERE workspace_id=%s AND id=%s "
            "AND failing_since IS NULL",
            (why[:1000], workspace_id, connection_id),
        )
    )


def note_answer(t: Transaction, workspace_id: int, connection_id: int) -> bool:
    """Note that an app answered a connection; True where the calls before failed. What listens by it is due at once, and what
    waits is taken in by its next check; but where the app asks for fewer calls, at its pace."""
    if not t.execute(
        "UPDATE connection SET failing_since=NULL, failing_why=NULL WHERE workspace_id=%s AND id=%s "
        "AND failing_since IS NOT NULL",
        (workspace_id, connection_id),
    ):
        return False
    if t.row("SELECT 1 FROM pace WHERE workspace_id=%s AND connection_id=%s", (workspace_id, connection_id)) is None:
        take_up(t, workspace_id, connection_id)
    return True


def take_up(t: Transaction, workspace_id: int, connection_id: int) -> None:
    """Let whatever listens by a connection look at once, and what could not cross by it."""
    t.execute(
        "UPDATE subscription SET next_check_at=NOW(3), failures=0, problem=NULL WHERE workspace_id=%s AND connection_id=%s "
        "AND state='on'",
        (workspace_id, connection_id),
    )
    t.execute(
        "UPDATE mirror_look l JOIN consumer c ON c.mirror_id=l.mirror_id SET l.due_at=NOW(3), l.failures=0 "
        "WHERE c.workspace_id=%s AND c.connection_id=%s AND l.failures>0",
        (workspace_id, connection_id),
    )
    t.execute("DELETE FROM pace WHERE workspace_id=%s AND connection_id=%s", (workspace_id, connection_id))


def failing(t: Transaction) -> set[tuple[int, int]]:
    """Return the workspaces and connections whose calls fail."""
    return {
        (r["workspace_id"], r["id"]) for r in t.rows("SELECT workspace_id, id FROM connection WHERE failing_since IS NOT NULL")
    }


def saw(t: Transaction, workspace_id: int, connection_id: int, shared: Sequence[str], may_send: bool) -> bool:
    """Note what a connection sees; True where that is news."""
    return bool(
        t.execute(
            "UPDATE connection SET shared=%s, may_send=%s WHERE workspace_id=%s AND id=%s "
            "AND NOT (shared <=> %s AND may_send=%s)",
            (seen := json.dumps(sorted(shared)), may_send, workspace_id, connection_id, seen, may_send),
        )
    )


def rename(space: Space, connection_id: int, name: str) -> bool:
    return bool(
        space.transact(
            lambda t: t.execute(
                "UPDATE connection SET name=%s WHERE workspace_id=%s AND id=%s", (name.strip()[:200], space.id, connection_id)
            )
        )
    )


def remove(space: Space, connection_id: int) -> bool:
    """Remove a connection, with the places that were chosen by it."""

    def work(t: Transaction) -> bool:
        removed = t.execute("DELETE FROM connection WHERE workspace_id=%s AND id=%s", (space.id, connection_id))
        for table in ("call_count", "call_limit"):
            t.execute(f"DELETE FROM {table} WHERE workspace_id=%s AND connection_id=%s", (space.id, connection_id))
        if t.execute("DELETE FROM place WHERE workspace_id=%s AND connection_id=%s", (space.id, connection_id)):
            databases.changed(t, space.id)
        return bool(removed)

    return space.transact(work)


def begin_consent(
    space: Space, vault: Vault, state: str, session: str, app: str, connection_id: int | None, verifier: str
) -> None:
    """Remember that this session asked an app for access; `state` comes back with the answer."""
    space.transact(
        lambda t: t.execute(
            "INSERT INTO consent (digest, workspace_id, session_digest, app, connection_id, secret, expires_at) "
            "VALUES (%s,%s,%s,%s,%s,%s, NOW(3) + INTERVAL %s MINUTE)",
            (
                digest("consent", state),
                space.id,
                digest("session", session),
                app,
                connection_id,
                vault.seal(verifier, space.id, "consent"),
                CONSENT_MINUTES,
            ),
        )
    )


def end_consent(space: Space, vault: Vault, state: str, session: str) -> Consent | None:
    """Return what was asked for under `state`, once, and only for the session that asked."""

    def work(t: Transaction) -> Consent | None:
        args = (digest("consent", state), space.id, digest("session", session))
        where = "digest=%s AND workspace_id=%s AND session_digest=%s AND expires_at > NOW(3)"
        row = t.row(f"SELECT * FROM consent WHERE {where} FOR UPDATE", args)
        if row is None:
            return None
        t.execute(f"DELETE FROM consent WHERE {where}", args)
        return Consent(row["app"], row["connection_id"], vault.open(row["secret"], space.id, "consent"))

    return space.transact(work)
