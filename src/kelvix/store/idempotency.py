"""Answers by the keys under which they were asked for."""

from __future__ import annotations

import json
from typing import Any

from kelvix.store.database_server import Transaction


class OtherBody(Exception):
    """A key that was used for another request."""


def begin(t: Transaction, workspace_id: int, key: bytes, body: bytes | None) -> dict[str, Any] | None:
    """Return the earlier answer under a key; None where it is new, and now is this transaction's. Raises OtherBody."""
    if t.row(
        "INSERT IGNORE INTO idempotency (workspace_id, digest, body) VALUES (%s,%s,%s) RETURNING digest",
        (workspace_id, key, body),
    ):
        return None
    known = t.row("SELECT answer, body FROM idempotency WHERE workspace_id=%s AND digest=%s", (workspace_id, key))
    if known and None not in (known["body"], body) and known["body"] != body:
        raise OtherBody
    return dict(json.loads(known["answer"])) if known else {}


def end(t: Transaction, workspace_id: int, key: bytes, answer: dict[str, Any]) -> None:
    t.execute("UPDATE idempotency SET answer=%s WHERE workspace_id=%s AND digest=%s", (json.dumps(answer), workspace_id, key))
