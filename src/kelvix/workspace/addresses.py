"""Web addresses at which workflows start, and the buttons that start them by hand."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from typing import Any

from kelvix.core import sources
from kelvix.core.workflow import RecordEvent
from kelvix.engine.engine import Engine
from kelvix.formats import webhook_signature
from kelvix.store import listening
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


def last_body(space: Space, workflow_id: int) -> dict[str, Any]:
    """Return the body of the last request that was kept as a sample. Raises NotNow where none came."""
    body: dict[str, Any] | None = next(
        (s.item["body"] for s in samples.list_all(space, workflow_id) if s.item.get("body")), None
    )
    if body is None:
        raise NotNow("No request has come yet.", "Send one to the address while the workflow is off.")
    return body


def buttons(space: Space, database_id: int) -> list[Button]:
    """Return the workflows that are on and can be started by hand: for a database's records, or by a button of its own."""
    found: list[Button] = []
    for kept in workflows.list_all(space):
        own = kept.running.when.own if kept.state == "on" and kept.running else None
        if isinstance(own, RecordEvent) and own.database == database_id:
            name = own.button if own.event in sources.BUTTONS else None
            found.append(Button(kept, name, own.event == "database_button"))
    return found
