"""What a workspace uses of what it may: bytes that are kept for it, and runs of the last 24 hours."""

from __future__ import annotations

from kelvix.store.database_server import Transaction


class Full(Exception):
    """The workspace keeps as much as it may. The message is a sentence."""


def reserve(t: Transaction, workspace_id: int, size: int, most: int) -> None:
    """Count bytes that are kept from now on. Raises Full where they would be more than `most`."""
    t.execute("INSERT IGNORE INTO workspace_usage (workspace_id) VALUES (%s)", (workspace_id,))
    if not t.execute(
        "UPDATE workspace_usage SET bytes=bytes+%s WHERE workspace_id=%s AND bytes+%s <= %s", (size, workspace_id, size, most)
    ):
        raise Full(f"this workspace’s {most / 2**30:,.1f} GB are full")


def give_back(t: Transaction, workspace_id: int, size: int) -> None:
    """Count bytes that are kept no longer."""
    t.execute("UPDATE workspace_usage SET bytes=GREATEST(0, bytes-%s) WHERE workspace_id=%s", (size, workspace_id))


def is_over(t: Transaction, workspace_id: int) -> bool:
    """Say whether a workspace has had its runs of the last 24 hours, as it was last counted."""
    row = t.row("SELECT is_over FROM workspace_usage WHERE workspace_id=%s", (workspace_id,))
    return bool(row and row["is_over"])


def count_runs(t: Transaction, workspace_id: int, most: int) -> bool:
    """Count the runs of the last 24 hours, and note whether they are as many as may be: whether that changed."""
    row = t.row(
        "SELECT COUNT(*) AS n FROM run WHERE workspace_id=%s AND pruned=0 AND created_at > NOW(3) - INTERVAL 1 DAY",
        (workspace_id,),
    )
    over = bool(row and row["n"] >= most)
    if over == is_over(t, workspace_id):
        return False
    t.execute(
        "INSERT INTO workspace_usage (workspace_id, is_over) VALUES (%s,%s) ON DUPLICATE KEY UPDATE is_over=VALUES(is_over)",
        (workspace_id, over),
    )
    return True
