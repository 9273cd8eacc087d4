"""Requests to a workflow's own address: let in by the token in it, proved by a signature where that is asked for, committed,
and only then said to be accepted. While the workflow is off, a request becomes a sample."""

from __future__ import annotations

import hmac
import json
import time
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from urllib.parse import parse_qsl
from uuid import uuid4

from kelvix.core import requests as core
from kelvix.core.requests import Request
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

MAX_BYTES = 1 << 20  # of a request
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
    """By what a request proves itself: the headers of its signature (Standard Webhooks), the secret that it brings, and where
    it comes from; and the key that tells a repeat."""

    message_id: str
    timestamp: str
    signature: str
    key: str
    secret: str = ""
    client: str | None = None  # none: from here, as a test of it


def address_of(engine: Engine, space: Space, token: str) -> str:
    return f"{engine.settings.address}/in/{space.id}/{token}"


def knock(engine: Engine, space: Space, token: str, raw: bytes, proof: Proof) -> tuple[Door, Address]:
    """Return what stands behind an address. Raises Refused for one that there is not, and for what does not prove itself."""
    door = space.read(lambda t: listening.door(t, engine.vault, space.id, token))
    own = _own(engine, space, door) if door else None
    if door is None or own is None:
        raise Refused(
            404, "Not found. It may have been deleted or moved.", "It may have been replaced. Copy it from the When line."
        )
    if proof.client is not None and not core.is_from(own, proof.client):
        raise Refused(403, "Requests from this network address are not accepted.", "Send it from one of the allowed ranges.")
    if own.secret and not (door.secret and hmac.compare_digest(door.secret.encode(), proof.secret.encode())):
        raise Refused(401, "Missing or wrong secret.", "Send it in the header authorization, after the word Bearer.")
    if own.signed and not webhook_signature.verify(
        door.secret or "", proof.message_id, proof.timestamp, proof.signature, raw, time.time()
    ):
        raise Refused(
            401,
            "Missing or invalid signature.",
            "Sign it by the Standard Webhooks scheme: use the headers webhook-id, webhook-timestamp and webhook-signature.",
        )
    return door, own


def parsed(raw: bytes) -> dict[str, Any]:
    """Return a body of JSON as names and values. Raises Refused, which says where it is not right."""
    try:
        found = json.loads(raw.decode("utf-8"), parse_constant=_no_number)
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise Refused(400, f"Invalid JSON at {where}.", f"{error.msg}, {where}.") from None
    except UnicodeDecodeError:
        raise Refused(400, "The body is not UTF-8.", "Send JSON in UTF-8.") from None
    except RecursionError:
        raise Refused(400, "The JSON is nested too deep.", "Send fewer levels.") from None
    except ValueError as error:
        raise Refused(400, "Invalid JSON.", f"{error}.") from None
    if not isinstance(found, dict):
        raise Refused(400, "The JSON is not an object.", "Send names with values, in curly brackets.")
    return found


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is not a number in JSON")


def send_test(
    engine: Engine, space: Space, token: str, raw: bytes, query: str, headers: Mapping[str, str]
) -> tuple[int, dict[str, Any]]:
    """Send a request to an address, with all that it must prove: the status and the document of the answer."""
    id, now = f"test-{uuid4()}", int(time.time())
    try:
        door = space.read(lambda t: listening.door(t, engine.vault, space.id, token))
        secret = door.secret or "" if door else ""
        signature = webhook_signature.sign(secret, id, now, raw) if secret else ""
        proof = Proof(id, str(now), signature, "", secret)
        door, own = knock(engine, space, token, raw, proof)
        whole = Request.of(parsed(raw), dict(parse_qsl(query, keep_blank_values=True)), headers)
        return 202, take_in(engine, space, door, own, whole, proof)
    except Refused as refused:
        more = {"fields": refused.fields} if refused.fields else {}
        return refused.status, {"title": refused.title, "detail": refused.detail, **more}


def _own(engine: Engine, space: Space, door: Door) -> Address | None:
    """As it runs, where the workflow is on; else as it is being built."""
    if door.state in ("on", "paused") and door.version_id:
        own = space.read(lambda t: workflows.version(t, space.id, door.version_id or 0))[1].when.own
    else:
        kept = space.read(lambda t: workflows.get(t, space.id, door.workflow_id))
        own = kept.draft.when.own if kept else None
    return own if isinstance(own, Address) else None


def take_in(engine: Engine, space: Space, door: Door, own: Address, request: Request, proof: Proof) -> dict[str, Any]:
    """Commit a request with all that it brings, and say so, and what of it nobody declared. Raises Refused for one that is not
    what was declared, and for too many."""
    now = datetime.now(UTC)
    env = space.env(now)
    on = door.state in ("on", "paused") and door.version_id is not None
    if own.limit and not space.transact(lambda t: listening.count_request(t, door, own.limit)):
        raise Refused(429, f"More than {own.limit} requests arrived within a minute.", "Send it again later.", after=60)
    try:
        values = core.values_of(own, request, now, env)
    except core.BadRequest as bad:
        if on:
            raise Refused(422, "The request doesn’t match this address.", f"{bad}.", bad.fields) from None
        values = core.values_that_fit(own, request, now, env)
    # what was signed counts: whoever sends a signed request again could give it any other key
    name = proof.message_id if own.signed else proof.key or proof.message_id
    known = digest("request", name or f"{now.isoformat()} {time.monotonic_ns()}", door.workflow_id)
    title = next((shorten(v, 120) for i in own.inputs if isinstance(v := values.get(i.carried), str) and v), "") or "A request"
    item: dict[str, Any] = {"id": known.hex()[:16], "title": title, "link": None, "app": "kelvix", "container": ""}
    item["values"] = values
    item["request"] = request.dump()
    item["body_digest"] = digest("body", json.dumps(request.body, sort_keys=True)).hex()
    more = {"not_declared": told} if (told := core.not_declared(own, request)) else {}
    if not on:
        return _as_sample(engine, space, door, item, now) | more

    def work(t: Transaction) -> tuple[bool, str]:
        why = "the workflow is paused" if listening.door_state(t, door) == "paused" else ""
        why = why or ("the workspace has reached its limit of runs in 24 hours" if usage.is_over(t, space.id) else "")
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
                "Use a new key for each request, and the same key only to repeat a request.",
            )
        return new, why

    try:
        new, held = space.transact(work)
    except usage.Full as full:
        raise Refused(503, "There is not enough space for this request.", f"{full}. Send it again later.", after=FULL) from None
    metrics.TAKEN_IN.labels("request").inc()
    engine.dispatch.announce(space.id, "ready", *([f"workflow:{door.workflow_id}"] if held else []))
    return {"taken": True, "id": item["id"], "new": new} | ({"held": f"{held}; it will run later"} if held else {}) | more


def _body_before(t: Transaction, space: Space, door: Door, known: bytes) -> str | None:
    """Return the digest of the body that came first under a key, as long as it is kept."""
    kept = events.item_of(t, space.id, door.workflow_id, known) or inbox.item_of(t, space.id, door.workflow_id, known)
    return str(kept["body_digest"]) if kept and "body_digest" in kept else None


def _as_sample(engine: Engine, space: Space, door: Door, item: dict[str, Any], now: datetime) -> dict[str, Any]:
    def work(t: Transaction) -> None:
        workflows.keep_sample(t, space.id, door.workflow_id, "fetched", item["id"], item, now)
        workflows.keep_newest_samples(t, space.id, door.workflow_id, MAX_SAMPLES)

    space.transact(work)
    engine.dispatch.announce(space.id, "samples")
    return {"taken": False, "id": item["id"], "kept": "not run: saved as a sample, since the workflow is off"}
