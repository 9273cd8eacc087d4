"""Web addresses at which workflows start, and the buttons that start them by hand."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kelvix.core import sources
from kelvix.core.requests import Request
from kelvix.core.workflow import RecordEvent
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import requests
from kelvix.formats import webhook_signature
from kelvix.store import events, listening
from kelvix.store.workflows import Kept
from kelvix.workspace import Space, samples, workflows
from kelvix.workspace.refusals import NotNow


@dataclass(frozen=True)
class Button:
    """What starts a workflow by hand, for records of a database or for the whole of it; `name` where a button was named."""

    workflow: Kept
    name: str | None
    of_database: bool


def token(engine: Engine, space: Space, workflow_id: int) -> str | None:
    """Return what a workflow's own address ends with; none where none was made yet."""
    return space.read(lambda t: listening.address(t, engine.vault, space.id, workflow_id))


def make(engine: Engine, space: Space, workflow_id: int) -> tuple[str, str]:
    """Make a workflow's address and the secret that signs requests to it, or make them anew: then the old address leads
    nowhere."""
    made, secret = secrets.token_urlsafe(24), webhook_signature.new_secret()
    space.transact(lambda t: listening.make_address(t, engine.vault, space.id, workflow_id, made, secret))
    return made, secret


def last_request(space: Space, workflow_id: int) -> Request:
    """Return the last request that came, to a workflow that is on or to one that is being built. Raises NotNow where none
    came."""
    of_runs = space.read(lambda t: events.newest_item(t, space.id, workflow_id, "request"))
    known = [(s.item_at, s.item) for s in samples.list_all(space, workflow_id)] + ([of_runs] if of_runs else [])
    told = [(at, item) for at, item in known if item.get("request") or item.get("body")]
    if not told:
        raise NotNow("No request has arrived yet.", "Send one to the address, or try one here.")
    item = max(told, key=lambda one: one[0])[1]
    return Request(**item["request"]) if item.get("request") else Request(item["body"])  # as it was kept before


def send_test(
    engine: Engine, space: Space, workflow_id: int, body: str, query: str, headers: Mapping[str, str]
) -> dict[str, Any]:
    """Send a request to a workflow's own address: the status and what it answered. Raises NotNow where it has none."""
    known = token(engine, space, workflow_id)
    if known is None:
        raise NotNow("This workflow has no address yet.", "Create one first.")
    status, answer = requests.send_test(engine, space, known, body.encode(), query.removeprefix("?"), headers)
    return {"status": status, "answer": answer}


def buttons(space: Space, database_id: int) -> list[Button]:
    """Return the workflows that are on and can be started by hand: for a database's records, or by a button of its own."""
    found: list[Button] = []
    for kept in workflows.list_all(space):
        own = kept.running.when.own if kept.state == "on" and kept.running else None
        if isinstance(own, RecordEvent) and own.database == database_id:
            name = own.button if own.event in sources.BUTTONS else None
            found.append(Button(kept, name, own.event == "database_button"))
    return found
