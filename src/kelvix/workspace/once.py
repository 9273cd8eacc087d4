"""A write that is sent twice under one key is carried out once, and answered alike. A key belongs to what was sent under it
first: another body is refused (the IETF's draft of the header Idempotency-Key, section 2.6, from memory)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kelvix.store import idempotency
from kelvix.store.database_server import Transaction
from kelvix.store.secrets import digest
from kelvix.workspace import Space
from kelvix.workspace.refusals import NotValid

Work = Callable[[Transaction], dict[str, Any]]


def once(space: Space, whose: str, key: str | None, body: str | None, work: Work) -> dict[str, Any]:
    """Run `work` in a transaction, unless `whose` key was seen: then return the earlier answer. Without a body, whatever comes
    under a key is the same. Raises NotValid where it was seen with another body."""
    if key is None:
        return space.transact(work)
    mine = digest("idempotency", whose, key)
    sent = digest("body", body) if body is not None else None

    def guarded(t: Transaction) -> dict[str, Any]:
        try:
            known = idempotency.begin(t, space.id, mine, sent)
        except idempotency.OtherBody:
            said = "Use a new key for each request, and the same key only to repeat a request."
            raise NotValid("This key was used for another request.", said) from None
        if known is not None:
            return known
        answer = work(t)
        idempotency.end(t, space.id, mine, answer)
        return answer

    return space.transact(guarded)
