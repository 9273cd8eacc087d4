"""What mirrors write, as it is kept before it goes out, until its outcome is known. Beside it, the keys under which records of
ours were written, so that a write that is asked for again is not done again."""

from __future__ import annotations

import json
from typing import Any

from kelvix.core.mirror.lens import Side
from kelvix.store.database_server import Row, Transaction


def of_side(t: Transaction, mirror_id: int, side: Side) -> list[Row]:
    """Return the open ones, as JSON, the first first."""
    rows = t.rows(
        "SELECT body, in_doubt FROM mirror_intent WHERE mirror_id=%s AND side=%s ORDER BY at, idempotency_key",
        (mirror_id, side),
    )
    return [json.loads(r["body"]) | {"in_doubt": bool(r["in_doubt"])} for r in rows]


def get(t: Transaction, workspace_id: int, mirror_id: int, key: str) -> Row | None:
    row = t.row(
        "SELECT body, in_doubt FROM mirror_intent WHERE workspace_id=%s AND mirror_id=%s AND idempotency_key=%s",
        (workspace_id, mirror_id, key),
    )
    return json.loads(row["body"]) | {"in_doubt": bool(row["in_doubt"])} if row else None


def keep(t: Transaction, workspace_id: int, mirror_id: int, collection_id: int, body: dict[str, Any], in_doubt: bool) -> None:
    """Keep an intent. Raises the server's error where the same source is just being created by another."""
    changed = t.execute(
        "UPDATE mirror_intent SET in_doubt=%s WHERE workspace_id=%s AND idempotency_key=%s",
        (in_doubt, workspace_id, body["key"]),
    )
    if changed:
        return
    t.execute(
        "INSERT INTO mirror_intent (workspace_id, idempotency_key, mirror_id, side, collection_id, kind, source, item, "
        "in_doubt, body, at) VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,NOW(3))",
        (
            workspace_id,
            body["key"],
            mirror_id,
            body["side"],
            collection_id,
            body["kind"],
            body["source"] or None,
            body["item"],
            in_doubt,
            json.dumps(body, ensure_ascii=False),
        ),
    )


def close(t: Transaction, workspace_id: int, key: str) -> bool:
    """Close an intent: whether it was open."""
    was_open = bool(t.execute("DELETE FROM mirror_intent WHERE workspace_id=%s AND idempotency_key=%s", (workspace_id, key)))
    t.later("DELETE FROM keyed_write WHERE workspace_id=%s AND idempotency_key=%s", (workspace_id, key))
    return was_open


def creating(t: Transaction, workspace_id: int) -> list[Row]:
    """Return what is just being created in a workspace: where, and from which item of which collection."""
    return t.rows(
        "SELECT i.collection_id, i.source, IF(i.side='left', m.right_collection, m.left_collection) AS source_collection "
        "FROM mirror_intent i JOIN mirror m ON m.id=i.mirror_id WHERE i.workspace_id=%s AND i.kind='create'",
        (workspace_id,),
    )


def is_commented(t: Transaction, workspace_id: int, collection_id: int, item: str, but: str) -> bool:
    """Say whether a comment is just being added to an item, by whichever mirror; but for one key."""
    return bool(
        t.row(
            "SELECT 1 FROM mirror_intent WHERE workspace_id=%s AND collection_id=%s AND kind='comment' AND item=%s "
            "AND idempotency_key<>%s LIMIT 1",
            (workspace_id, collection_id, item, but),
        )
    )


def in_doubt(t: Transaction, workspace_id: int, mirror_id: int) -> list[Row]:
    """Return those of which nobody knows what became, with when they were begun."""
    rows = t.rows(
        "SELECT body, at FROM mirror_intent WHERE workspace_id=%s AND mirror_id=%s AND in_doubt=1 ORDER BY at",
        (workspace_id, mirror_id),
    )
    return [json.loads(r["body"]) | {"began": r["at"]} for r in rows]


# Records that were written under a key


def written(t: Transaction, workspace_id: int, key: str) -> tuple[int, str] | None:
    """Return the record that was written under a key, and what became of it; the key is held for this transaction."""
    row = t.row(
        "SELECT record_id, happened FROM keyed_write WHERE workspace_id=%s AND idempotency_key=%s FOR UPDATE",
        (workspace_id, key),
    )
    return (row["record_id"], row["happened"]) if row else None


def note_written(t: Transaction, workspace_id: int, key: str, record_id: int, happened: str) -> None:
    t.later(
        "INSERT INTO keyed_write (workspace_id, idempotency_key, record_id, happened) VALUES (%s,%s,%s,%s)",
        (workspace_id, key, record_id, happened),
    )
