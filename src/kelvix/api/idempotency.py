"""Idempotency-Key: what was sent under it, in a form in which it can be compared."""

from __future__ import annotations

import json

from pydantic import BaseModel


def sent(key: str | None, body: BaseModel) -> str | None:
    """Return a request's body as it is told from others under its key; none without a key."""
    return json.dumps(body.model_dump(mode="json"), sort_keys=True) if key else None
