"""Of what owners were told, and how it stood then."""

from __future__ import annotations

from kelvix.store.database_server import Transaction
from kelvix.store.secrets import digest


def claim(t: Transaction, workspace_id: int, stem: str, key: str) -> bool:
    """Note that the owner is told of a cause as it stands; False where that was done, or something of it within the hour."""
    cause, stands = digest("told", stem), digest("stands", key)
    told = t.row(
        "SELECT stood, told_at > NOW(3) - INTERVAL 1 HOUR AS lately FROM told WHERE workspace_id=%s AND cause=%s FOR UPDATE",
        (workspace_id, cause),
    )
    if told is not None and (told["lately"] or told["stood"] == stands):
        return False
    t.execute("REPLACE INTO told (workspace_id, cause, stood, told_at) VALUES (%s,%s,%s,NOW(3))", (workspace_id, cause, stands))
    return True


def forget(t: Transaction, workspace_id: int, stem: str) -> None:
    t.execute("DELETE FROM told WHERE workspace_id=%s AND cause=%s", (workspace_id, digest("told", stem)))
