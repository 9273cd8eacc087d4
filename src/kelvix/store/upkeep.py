"""What is done from time to time, and when it is due: each piece of work is done by whoever finds it due."""

from __future__ import annotations

from kelvix.store.database_server import Transaction


def due(t: Transaction, name: str, every: float) -> bool:
    """Say whether a piece of work is due, and claim it until it is due again."""
    t.execute("INSERT IGNORE INTO upkeep (name, due_at) VALUES (%s, NOW(3))", (name,))
    return bool(
        t.execute("UPDATE upkeep SET due_at=NOW(3) + INTERVAL %s SECOND WHERE name=%s AND due_at <= NOW(3)", (every, name))
    )


def bring_forward(t: Transaction, name: str) -> None:
    """Make a piece of work due now."""
    t.execute("UPDATE upkeep SET due_at=NOW(3) WHERE name=%s", (name,))
