"""Secrets that people typed for a workflow's lines: sealed, and not shown again."""

from __future__ import annotations

from kelvix.store.database_server import Transaction
from kelvix.store.secrets import Vault


def keep(t: Transaction, vault: Vault, workspace_id: int, workflow_id: int, secret: str) -> int:
    """Its number, by which a line names it."""
    made = t.insert(
        "INSERT INTO kept_secret (workspace_id, workflow_id, secret) VALUES (%s,%s,%s)", (workspace_id, workflow_id, b"")
    )
    t.execute("UPDATE kept_secret SET secret=%s WHERE id=%s", (vault.seal(secret, workspace_id, f"secret/{made}"), made))
    return made


def read(t: Transaction, vault: Vault, workspace_id: int, workflow_id: int, number: int) -> str | None:
    row = t.row(
        "SELECT secret FROM kept_secret WHERE workspace_id=%s AND workflow_id=%s AND id=%s", (workspace_id, workflow_id, number)
    )
    return vault.open(row["secret"], workspace_id, f"secret/{number}") if row else None
