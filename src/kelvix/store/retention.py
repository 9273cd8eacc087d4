"""How long runs are kept. What they carried goes first; that a run was, and how it ended, is kept for longer."""

from __future__ import annotations

from kelvix.store.database_server import Transaction

BATCH_SIZE = 200  # runs in one transaction


def days(t: Transaction, workspace_id: int) -> tuple[int, int]:
    """For how many days content and runs are kept. On the server called "home"."""
    row = t.row("SELECT keep_content_days, keep_runs_days FROM workspace WHERE id=%s", (workspace_id,))
    return (row["keep_content_days"], row["keep_runs_days"]) if row else (0, 0)


def set_days(t: Transaction, workspace_id: int, content: int, runs: int) -> None:
    t.execute("UPDATE workspace SET keep_content_days=%s, keep_runs_days=%s WHERE id=%s", (content, runs, workspace_id))


def prune_content(t: Transaction, workspace_id: int, after_days: int) -> int:
    """Let go of what old runs carried, a few at a time: how many there were. A run that has not ended keeps it."""
    ids = _old(t, workspace_id, 0, after_days)
    if ids:
        marks = ",".join(["%s"] * len(ids))
        t.execute(f"UPDATE run SET item=NULL, pruned=1 WHERE id IN ({marks})", ids)
        t.execute(f"UPDATE run_line SET input=NULL, output=NULL WHERE run_id IN ({marks})", ids)
        t.execute(f"UPDATE event e JOIN run r ON r.event_id = e.id SET e.item=NULL WHERE r.id IN ({marks})", ids)
        for table in ("question", "intent"):
            t.execute(f"DELETE FROM {table} WHERE run_id IN ({marks})", ids)
    return len(ids)


def forget_runs(t: Transaction, workspace_id: int, after_days: int) -> int:
    """Forget runs whose content went before, a few at a time: how many there were. The log of changes that they made stays, and
    so do their events, by which an item is known again."""
    ids = _old(t, workspace_id, 1, after_days)
    if ids:
        marks = ",".join(["%s"] * len(ids))
        for table in ("run_line", "run_attempt"):
            t.execute(f"DELETE FROM {table} WHERE run_id IN ({marks})", ids)
        t.execute(f"DELETE FROM run WHERE id IN ({marks})", ids)
    return len(ids)


def _old(t: Transaction, workspace_id: int, pruned: int, days: int) -> list[int]:
    rows = t.rows(
        "SELECT id FROM run WHERE workspace_id=%s AND pruned=%s AND created_at < NOW(3) - INTERVAL %s DAY "
        "AND finished_at IS NOT NULL ORDER BY created_at LIMIT %s",
        (workspace_id, pruned, days, BATCH_SIZE),
    )
    return [r["id"] for r in rows]


def forget_passing(t: Transaction) -> None:
    """Delete what is needed for a while only."""
    t.execute("DELETE FROM request_count WHERE minute < UNIX_TIMESTAMP() DIV 60 - 10")
    t.execute("DELETE FROM idempotency WHERE created_at < NOW(3) - INTERVAL 2 DAY LIMIT 5000")
    t.execute("DELETE FROM listener WHERE seen_at < NOW(3) - INTERVAL 1 DAY")
    t.execute("DELETE FROM held LIMIT 20000")
    t.execute("DELETE FROM told WHERE told_at < NOW(3) - INTERVAL 7 DAY")


def forget_sign_ins(t: Transaction) -> None:
    """On the server called "home"."""
    for table in ("session", "sign_in_link", "consent"):
        t.execute(f"DELETE FROM {table} WHERE expires_at < NOW(3)")
