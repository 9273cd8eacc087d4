"""Idempotency-Key: a write that is sent twice is carried out once, and answered alike. A key belongs to what was sent under it
first: another body is refused (the IETF's draft of this header, section 2.6, from memory)."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from pydantic import BaseModel

from kelvix.api.access import Caller
from kelvix.api.problems import Problem
from kelvix.store import idempotency
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.secrets import digest

Work = Callable[[Transaction], dict[str, Any]]


def once(who: Caller, route: str, key: str | None, body: BaseModel, work: Work) -> dict[str, Any]:
    """Run `work` in a transaction, unless this caller's key was seen on this route: then give the earlier answer. Raises
    Problem where it was seen with another body."""
    sent = json.dumps(body.model_dump(mode="json"), sort_keys=True) if key else None
    return once_of(who.space, f"{who.person.id} {route}", key, sent, work)


def once_of(space: Space, whose: str, key: str | None, body: str | None, work: Work) -> dict[str, Any]:
    """Return the same, for whoever and whatever `whose` names; without a body, whatever comes under a key is the same."""
    if key is None:
        return space.transact(work)
    mine = digest("idempotency", whose, key)
    sent = digest("body", body) if body is not None else None

    def guarded(t: Transaction) -> dict[str, Any]:
        try:
            known = idempotency.begin(t, space.id, mine, sent)
        except idempotency.OtherBody:
            said = "Send each request under a key of its own, and only the same request again under the same key."
            raise Problem(422, "This key was used for another request.", said) from None
        if known is not None:
            return known
        answer = work(t)
        idempotency.end(t, space.id, mine, answer)
        return answer

    return space.transact(guarded)
