"""What runs are about to add to apps that is not to be there twice: one of them at a time, by what it is known by."""

from __future__ import annotations

from kelvix.store.database_server import Transaction
from kelvix.store.runs import Claim

OPEN_SECONDS = 60.0  # for which a run may be under way with one call; the call is broken off long before


def claim(t: Transaction, key: bytes, claim: Claim, line: str) -> float | None:
    """Claim what is about to be added for a run: None, or for how many seconds another one has it still."""
    t.execute(
        "INSERT IGNORE INTO adding (digest, workspace_id, run_id, line_id, until) VALUES (%s,%s,%s,%s,NOW(3))",
        (key, claim.workspace_id, claim.run_id, line),
    )
    row = t.row(
        "SELECT run_id, line_id, TIMESTAMPDIFF(MICROSECOND, NOW(3), until) / 1000000 AS seconds FROM adding "
        "WHERE digest=%s FOR UPDATE",
        (key,),
    )
    assert row
    if (row["run_id"], row["line_id"]) != (claim.run_id, line) and row["seconds"] > 0:
        return float(row["seconds"])
    t.execute(
        "UPDATE adding SET run_id=%s, line_id=%s, until=NOW(3) + INTERVAL %s SECOND WHERE digest=%s",
        (claim.run_id, line, OPEN_SECONDS, key),
    )
    return None


def added(t: Transaction, key: bytes, seconds: float) -> None:
    """Free a claim, after as many seconds as the app needs to find what was added."""
    t.execute("UPDATE adding SET until=NOW(3) + INTERVAL %s SECOND WHERE digest=%s", (seconds, key))


def forget(t: Transaction, workspace_id: int) -> None:
    """Forget what was added long enough ago."""
    t.execute("DELETE FROM adding WHERE workspace_id=%s AND until < NOW(3) - INTERVAL 1 HOUR", (workspace_id,))
