"""Requests to a workflow's own address: let in by the token in it, proved by a signature where that is asked for, committed,
and only then said to be accepted. While the workflow is off, a request becomes a sample."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from kelvix.core import sources
from kelvix.core.values import shorten
from kelvix.core.workflow import Address
from kelvix.engine import metrics
from kelvix.engine.engine import Engine
from kelvix.formats import webhook_signature
from kelvix.store import events, inbox, listening, usage, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.listening import Door
from kelvix.store.secrets import digest

FULL = 60  # seconds after which there may be room again
MAX_SAMPLES = 5  # requests that are kept as samples while a workflow is off


class Refused(Exception):
    """A request that is not taken: the status of the answer, and why."""

    def __init__(
        self, status: int, title: str, detail: str = "", fields: dict[str, str] | None = None, after: int | None = None
    ):
        super().__init__(title)
        self.status, self.title, self.detail, self.fields, self.after = status, title, detail, fields, after


@dataclass(frozen=True)
class Proof:
    """The headers by which a request proves itself (Standard Webhooks), and the key that tells a repeat."""

    message_id: str
    timestamp: str
    signature: str
    key: str


def address_of(engine: Engine, space: Space, token: str) -> str:
    return f"{engine.settings.address}/in/{space.id}/{token}"


def knock(engine: Engine, space: Space, token: str, raw: bytes, proof: Proof) -> tuple[Door, Address]:
    """Return what stands behind an address. Raises Refused for one that there is not, and for what does not prove itself."""
    door = space.read(lambda t: listening.door(t, engine.vault, space.id, token))
    own = _own(engine, space, door) if door else None
    if door is None or own is None:
        raise Refused(404, "There is nothing at this address.", "It may have been made anew: copy it from the When line.")
    if own.signed and not webhook_signature.verify(
        door.secret or "", proof.message_id, proof.timestamp, proof.signature, raw, time.time()
    ):
        raise Refused(
            401,
            "Missing or invalid signature.",
            "Sign it by the Standard Webhooks scheme: the headers webhook-id, webhook-timestamp and webhook-signature.",
        )
    return door, own


def _own(engine: Engine, space: Space, door: Door) -> Address | None:
    """As it runs, where the workflow is on; else as it is being built."""
    if door.state in ("on", "paused") and door.version_id:
        own = space.read(lambda t: workflows.version(t, space.id, door.version_id or 0))[1].when.own
    else:
        kept = space.read(lambda t: workflows.get(t, space.id, door.workflow_id))
        own = kept.draft.when.own if kept else None
    return own if isinstance(own, Address) else None


def take_in(engine: Engine, space: Space, door: Door, own: Address, body: dict[str, Any], proof: Proof) -> dict[str, Any]:
    """Commit a request, and say so. Raises Refused for a body that is not what was declared, and for too many."""
    now = datetime.now(UTC)
    env = space.env(now)
    on = door.state in ("on", "paused") and door.version_id is not None
    if own.limit and not space.transact(lambda t: listening.count_request(t, door, own.limit)):
        raise Refused(429, f"More than {own.limit} requests came within this minute.", "Send it again later.", after=60)
    try:
        values = sources.request_values(own, body, now, env)
    except sources.BadRequest as bad:
        if on:
            raise Refused(422, "The body is not what this address takes.", f"{bad}.", bad.fields) from None
        values = {}
    # what was signed counts: whoever sends a signed request again could give it any other key
    name = proof.message_id if own.signed else proof.key or proof.message_id
    known = digest("request", name or f"{now.isoformat()} {time.monotonic_ns()}", door.workflow_id)
    title = next((shorten(v, 120) for i in own.inputs if isinstance(v := values.get(i.key), str) and v), "") or "A request"
    item: dict[str, Any] = {"id": known.hex()[:16], "title": title, "link": None, "app": "kelvix", "container": ""}
    item["values"] = values
    item["body_digest"] = digest("body", json.dumps(body, sort_keys=True)).hex()
    if not on:
        return _as_sample(engine, space, door, own, body, item, now)

    def work(t: Transaction) -> tuple[bool, str]:
        why = "the workflow is paused" if listening.door_state(t, door) == "paused" else ""
        why = why or ("the workspace has had its runs of the last 24 hours" if usage.is_over(t, space.id) else "")
        if why:
            arrived = inbox.Arrived(known, known.hex()[:16], "request", item)
            new = inbox.hold(t, space.id, door.workflow_id, f"address/{door.id}", [arrived], space.most_bytes) > 0
        else:
            made = events.take_in(t, space.id, door.workflow_id, door.version_id or 0, known, item, "request")
            new = made is not None
        if not new and _body_before(t, space, door, known) not in (None, item["body_digest"]):
            raise Refused(
                422,
                "This key was used for another request.",
                "Send each request under a key of its own, and only the same request again under the same key.",
            )
        return new, why

    try:
        new, held = space.transact(work)
    except usage.Full as full:
        raise Refused(503, "There is no room for this request.", f"{full}. Send it again later.", after=FULL) from None
    metrics.TAKEN_IN.labels("request").inc()
    engine.dispatch.announce(space.id, "ready", *([f"workflow:{door.workflow_id}"] if held else []))
    return {"taken": True, "id": item["id"], "new": new} | ({"held": f"{held}; it goes on when that is over"} if held else {})


def _body_before(t: Transaction, space: Space, door: Door, known: bytes) -> str | None:
    """Return the digest of the body that came first under a key, as long as it is kept."""
    kept = events.item_of(t, space.id, door.workflow_id, known) or inbox.item_of(t, space.id, door.workflow_id, known)
    return str(kept["body_digest"]) if kept and "body_digest" in kept else None


def _as_sample(
    engine: Engine, space: Space, door: Door, own: Address, body: dict[str, Any], item: dict[str, Any], now: datetime
) -> dict[str, Any]:
    """Kept with its whole body, from which names and types can be learned."""
    kept = item | {"body": body}

    def work(t: Transaction) -> None:
        workflows.keep_sample(t, space.id, door.workflow_id, "fetched", item["id"], kept, now)
        workflows.keep_newest_samples(t, space.id, door.workflow_id, MAX_SAMPLES)

    space.transact(work)
    engine.dispatch.announce(space.id, "samples")
    return {"taken": False, "id": item["id"], "kept": "not taken: kept as a sample, since the workflow is off"}
