"""Connections to accounts of apps: consent, what they see, and what uses them."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from kelvix.connectors.contract import App
from kelvix.core.collection import Health, Item, PermanentError, Place, TransientError, readable
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.values import as_text
from kelvix.engine import recovering
from kelvix.engine.engine import Engine
from kelvix.store import connections, subscriptions
from kelvix.store.connections import Connection
from kelvix.workspace import Space, workflows
from kelvix.workspace.refusals import NotNow, NotValid

__all__ = ["Connection"]


class NotConnected(Exception):
    """An app's consent did not lead to a connection. `why` is a word for it: unknown, refused, failed, another; `connection`
    the one that was to be renewed, where there is one."""

    def __init__(self, why: str, connection: int | None = None):
        super().__init__(why)
        self.why, self.connection = why, connection


@dataclass(frozen=True)
class Sight:
    """What a connection sees now. `finding` is good, refused, nothing_shared, all_empty or no_answer; `sentence` says what that
    means, `advice` what to do."""

    finding: str
    sentence: str
    advice: str
    account: str
    places: Sequence[Place] = ()
    hidden: Sequence[str] = ()
    may_write: bool = False


def get(space: Space, connection_id: int) -> Connection:
    """Return a connection of this workspace. Raises NotFoundError."""
    found = space.read(lambda t: connections.get(t, space.id, connection_id))
    if found is None:
        raise NotFoundError("there is no such connection")
    return found


def list_all(space: Space) -> list[Connection]:
    return space.read(lambda t: connections.list_all(t, space.id))


def rename(space: Space, connection_id: int, name: str) -> None:
    """Rename a connection. Raises NotFoundError."""
    if not connections.rename(space, connection_id, name):
        raise NotFoundError("there is no such connection")


def remove(space: Space, connection_id: int) -> None:
    """Remove a connection. Raises NotFoundError, and NotNow while a workflow that is on uses it."""
    used = [w.name for w in workflows.using_connection(space, connection_id) if w.state == "on"]
    if used:
        raise NotNow(f"This connection is in use by {', '.join(used)}.", "Turn that off first.")
    if not connections.remove(space, connection_id):
        raise NotFoundError("there is no such connection")


def begin_consent(
    engine: Engine, space: Space, session: str, code: str, connection_id: int | None, send: bool, redirect: str
) -> str:
    """Return the address of an app's consent window; `send`: that it may send is asked for too. One that is renewed asks for
    what it was given before. Raises NotFoundError."""
    app = engine.apps.get(code)
    if app is None:
        raise NotFoundError("there is no such app")
    already: Sequence[str] = ()
    if connection_id is not None:
        kept = get(space, connection_id)
        try:
            health = recovering.see(engine, space, connection_id)
            already, send = tuple(c.id for c in health.places), send or health.may_write
        except (TransientError, PermanentError):  # what it saw last, and what workflows use
            listened = (one.place for one in space.read(lambda t: subscriptions.list_on(t, space.id, kept.id)))
            already, send = tuple(dict.fromkeys((*(kept.shared or ()), *listened))), send or kept.may_send
    state, verifier = secrets.token_urlsafe(32), secrets.token_urlsafe(48)
    connections.begin_consent(space, engine.vault, state, session, code, connection_id, verifier)
    return app.consent_address(redirect, state, verifier, tuple(already), send)


def end_consent(engine: Engine, space: Space, session: str, state: str, code: str, redirect: str) -> int:
    """Take what an app's consent window gave: the connection, new or renewed. Raises NotConnected."""
    asked = connections.end_consent(space, engine.vault, state, session)
    if asked is None:
        raise NotConnected("unknown")
    if not code:
        raise NotConnected("refused")
    app, renewed = engine.app(asked.app), asked.connection_id
    try:
        grant = app.exchange(redirect, code, asked.verifier)
        health: Health = app.account(grant.token, "", space.env(datetime.now(UTC))).check()
    except (TransientError, PermanentError):
        raise NotConnected("failed") from None
    if renewed is not None:
        kept = space.read(lambda t: connections.get(t, space.id, renewed))
        if kept is None:  # removed meanwhile, as its screen says
            raise NotConnected("", renewed)
        if health.account != kept.account:  # cursors, pushes and item numbers belong to the old account
            raise NotConnected("another", renewed)
        recovering.before_renewal(engine, space, renewed)
    name = f"{app.name} of {health.account}"
    made = connections.save(space, engine.vault, renewed, app.code, name, health.account, grant.token, grant.expires_in)
    space.transact(lambda t: connections.saw(t, space.id, made, [c.id for c in health.places], health.may_write))
    if renewed is not None:
        recovering.renewed(engine, space, made)
    return made


def look(engine: Engine, space: Space, connection_id: int) -> Sight:
    """Ask the app what a connection sees, now. Raises NotFoundError."""
    kept = get(space, connection_id)
    app = engine.app(kept.app)
    try:
        health = recovering.see(engine, space, connection_id)
    except PermanentError:
        said = f"{app.name} refuses this connection: its access was withdrawn or has run out."
        return Sight("refused", said, "Reconnect it; what was ticked before is ticked again.", kept.account)
    except TransientError as failure:
        return Sight("no_answer", f"{failure}.", "Nothing is lost; look again in a moment.", kept.account)
    finding, said, advice = _finding(health, app)
    return Sight(finding, said, advice, health.account, health.places, health.hidden, health.may_write)


def _finding(health: Health, app: App) -> tuple[str, str, str]:
    many, items = app.containers_word, app.items_word
    if not health.places:
        said = f"{app.name} accepts this connection, but no {many} are shared."
        return "nothing_shared", said, f"Change its access, and tick the {many} that Kelvix may see."
    if not any(c.items for c in health.places):
        said = f"What is shared is empty: there are no {items} in it yet."
        return "all_empty", said, f"Share other {many} as well, or make the first of the {items}."
    return "good", f"{app.name} answers, and shows what is shared.", ""


def newest_items(engine: Engine, space: Space, connection_id: int, place: str, count: int) -> list[tuple[Item, list[str]]]:
    """Return the newest items of a place, as they are now, each with its first two particulars."""
    account = engine.account(space, get(space, connection_id).id)
    try:
        with engine.pacer.calls(space, connection_id):
            items = account.collection(place).query(Query(limit=count)).items
    except PermanentError as failure:
        engine.note_failure(space, connection_id, failure)
        raise
    keys = [key for _, several in account.app.display.particulars for key in several]
    said = [[text for k in keys if (text := as_text(readable(i.values).get(k), space.zone))][:2] for i in items]
    return list(zip(items, said, strict=True))


def make_place(engine: Engine, space: Space, connection_id: int, name: str) -> Place:
    """Make a place in the app, which is then shared with the connection. Raises NotNow where the connection may not."""
    account = engine.account(space, get(space, connection_id).id)
    app = account.app
    try:
        return account.make_place(name.strip())
    except PermanentError as failure:
        engine.note_failure(space, connection_id, failure)
        if failure.about != "container":
            raise
        advice = f"Change its access, and tick that it may, or create the {app.container_word} in {app.name}."
        raise NotNow(f"This connection may not create {app.containers_word}.", advice) from None


def place_of_link(engine: Engine, space: Space, connection_id: int, link: str) -> Place:
    """Return the place that a pasted link means. Raises NotValid where it is not understood, NotNow where it is not
    shared."""
    kept = get(space, connection_id)
    app = engine.app(kept.app)
    wanted = app.container_of_link(link)
    if wanted is None:
        advice = f"Open the {app.container_word} in {app.name} and copy its address."
        raise NotValid(f"This is not a link to a {app.container_word} in {app.name}.", advice)
    for place in engine.account(space, connection_id).check().places:
        if place.id == wanted:
            return place
    said = f"This {app.container_word} is not shared with “{kept.name}”."
    raise NotNow(said, "Change the connection’s access and tick it.", about="container")
