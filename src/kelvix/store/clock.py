"""The clock of a database server, by which all that is due is due. A machine's clock can be set back: what was due by the old
time would then wait for as long."""

from __future__ import annotations

from kelvix.store.database_server import Transaction

TOLERANCE = 2.0  # seconds back that are nothing to speak of
DUE = (
    ("subscription", "next_check_at"),
    ("pace", "next_at"),
    ("settling", "due_at"),
    ("run", "lease_until"),
    ("upkeep", "due_at"),
    # What rests until a moment waits for that, whatever the clock showed meanwhile.
    ("ready", "due_at", "AND NOT EXISTS (SELECT 1 FROM run_line l WHERE l.run_id = ready.run_id AND l.outcome = 'waits')"),
)


def follow(t: Transaction) -> float:
    """Note the time, and bring forward what is due if the clock was set back since it was noted last: by how many seconds."""
    t.execute("INSERT IGNORE INTO upkeep (name, due_at) VALUES ('clock', NOW(3))")
    row = t.row("SELECT TIMESTAMPDIFF(MICROSECOND, NOW(3), due_at) / 1e6 AS ahead FROM upkeep WHERE name='clock' FOR UPDATE")
    back = float(row["ahead"]) if row else 0.0
    if back > TOLERANCE:
        for table, column, *only in DUE:
            t.execute(
                f"UPDATE {table} SET {column}={column} - INTERVAL %s SECOND WHERE {column} > NOW(3) {' '.join(only)}", (back,)
            )
    t.execute("UPDATE upkeep SET due_at=NOW(3) WHERE name='clock'")
    return back if back > TOLERANCE else 0.0
