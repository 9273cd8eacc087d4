"""Records, and items of apps, that began to be what a workflow waits for, and have not been quiet or filled for long enough
yet. They are kept while it is off."""

from __future__ import annotations

from kelvix.store.consumers import CAN_READ
from kelvix.store.database_server import Row, Transaction


def forget(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Forget what is settling, since the workflow listens to something else from now on."""
    t.execute("DELETE FROM settling WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))


def begin(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    record_id: str,
    seq: int,
    before: str | None,
    causes: str | None,
    quiet: float,
) -> None:
    """Note that a record began to be what is waited for; what it was before stays as it was at the first change."""
    t.execute(
        "INSERT INTO settling (workspace_id, workflow_id, record_id, seq, before_values, causes, due_at) "
        "VALUES (%s,%s,%s,%s,%s,%s, NOW(3) + INTERVAL %s SECOND) "
        "ON DUPLICATE KEY UPDATE seq=VALUES(seq), due_at=VALUES(due_at)",
        (workspace_id, workflow_id, record_id, seq, before, causes, quiet),
    )


def stir(t: Transaction, workflow_id: int, record_id: str, quiet: float) -> None:
    """Note that a record that settles was changed again."""
    t.execute(
        "UPDATE settling SET due_at=NOW(3) + INTERVAL %s SECOND WHERE workflow_id=%s AND record_id=%s",
        (quiet, workflow_id, record_id),
    )


def is_under_way(t: Transaction, workflow_id: int, record_id: str) -> bool:
    return bool(t.row("SELECT 1 FROM settling WHERE workflow_id=%s AND record_id=%s", (workflow_id, record_id)))


def due(t: Transaction, limit: int, of_apps: bool = False) -> list[Row]:
    """Return records that have been quiet for long enough, of workflows that are on; or items of apps."""
    return t.rows(
        "SELECT s.* FROM settling s JOIN consumer c ON c.workspace_id=s.workspace_id AND c.workflow_id=s.workflow_id "
        f"WHERE s.due_at <= NOW(3) AND (c.subscription_id IS NOT NULL)=%s AND {CAN_READ} ORDER BY s.due_at LIMIT %s",
        (of_apps, limit),
    )


def locked(t: Transaction, workflow_id: int, record_id: str) -> Row | None:
    """One of them, held for this transaction; none where another holds it, or it was stirred again."""
    return t.row(
        "SELECT * FROM settling WHERE workflow_id=%s AND record_id=%s AND due_at <= NOW(3) FOR UPDATE SKIP LOCKED",
        (workflow_id, record_id),
    )


def end(t: Transaction, row: Row, gone: bool) -> None:
    """Note that a record has settled, or must be filled first: then it waits for its next change."""
    if gone:
        t.execute("DELETE FROM settling WHERE workflow_id=%s AND record_id=%s", (row["workflow_id"], row["record_id"]))
    else:
        t.execute(
            "UPDATE settling SET due_at=NULL WHERE workflow_id=%s AND record_id=%s", (row["workflow_id"], row["record_id"])
        )
