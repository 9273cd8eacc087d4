"""Comments that mirrors added to items, and the comment that each goes back to, which somebody wrote."""

from __future__ import annotations

from kelvix.store.database_server import Transaction


def roots(t: Transaction, collection_id: int, item: str) -> dict[str, str]:
    """Return the comments of an item that mirrors added, and what each goes back to."""
    rows = t.rows("SELECT comment_id, root FROM mirrored_comment WHERE collection_id=%s AND item_id=%s", (collection_id, item))
    return {r["comment_id"]: r["root"] for r in rows}


def note(t: Transaction, workspace_id: int, collection_id: int, item: str, comment: str, root: str) -> None:
    """Note that a comment was added by a mirror."""
    t.execute(
        "INSERT INTO mirrored_comment (workspace_id, collection_id, item_id, comment_id, root) VALUES (%s,%s,%s,%s,%s) "
        "ON DUPLICATE KEY UPDATE root=VALUES(root)",
        (workspace_id, collection_id, item, comment, root),
    )
