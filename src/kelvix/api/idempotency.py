"""Idempotency-Key: a write that is sent twice is carried out once, and answered alike."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from kelvix.api.access import Caller
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.secrets import digest

Work = Callable[[Transaction], dict[str, Any]]


def once(who: Caller, key: str | None, work: Work) -> dict[str, Any]:
    """Run `work` in a transaction, unless this caller's key was seen: then give the earlier answer."""
    return once_of(who.space, str(who.person.id), key, work)


def once_of(space: Space, whose: str, key: str | None, work: Work) -> dict[str, Any]:
    """The same, for whoever `whose` names."""
    if key is None:
        return space.transact(work)
    mine = digest("idempotency", whose, key)

    def guarded(t: Transaction) -> dict[str, Any]:
        if not t.row("INSERT IGNORE INTO idempotency (workspace_id, digest) VALUES (%s,%s) RETURNING digest", (space.id, mine)):
            known = t.row("SELECT answer FROM idempotency WHERE workspace_id=%s AND digest=%s", (space.id, mine))
            return dict(json.loads(known["answer"])) if known else {}
        answer = work(t)
        t.execute("UPDATE idempotency SET answer=%s WHERE workspace_id=%s AND digest=%s", (json.dumps(answer), space.id, mine))
        return answer

    return space.transact(guarded)
