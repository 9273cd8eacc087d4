"""Connections to accounts of apps: consent, what they see, and what uses them."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from kelvix.connectors.contract import App
from kelvix.core.collection import ExpiredError, Health, Item, PermanentError, Place, TransientError, readable
from kelvix.core.fields.link import split_address
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.values import as_text, shorten
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
        raise NotFoundError("connection not found")
    return found


def list_all(space: Space) -> list[Connection]:
    return space.read(lambda t: connections.list_all(t, space.id))


def rename(space: Space, connection_id: int, name: str) -> None:
    """Rename a connection. Raises NotFoundError."""
    if not connections.rename(space, connection_id, name):
        raise NotFoundError("connection not found")


def remove(space: Space, connection_id: int) -> None:
    """Remove a connection. Raises NotFoundError, and NotNow while a workflow that is on uses it."""
    used = [w.name for w in workflows.using_connection(space, connection_id) if w.state == "on"]
    if used:
        raise NotNow(f"This connection is used by {', '.join(used)}.", "Turn it off first.")
    if not connections.remove(space, connection_id):
        raise NotFoundError("connection not found")


def begin_consent(
    engine: Engine, space: Space, session: str, code: str, connection_id: int | None, send: bool, redirect: str
) -> str:
    """Return the address of an app's consent window; `send`: that it may send is asked for too. One that is renewed asks for
    what it was given before. Raises NotFoundError."""
    app = engine.apps.get(code)
    if app is None:
        raise NotFoundError("app not found")
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
        health, heard = _first_look(app, space, grant.token)
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
    made = connections.save(
        space, engine.vault, renewed, app.code, name, health.account, grant.token, grant.expires_in, grant.refresh
    )
    space.transact(lambda t: connections.saw(t, space.id, made, [c.id for c in health.places], health.may_write))
    engine.tallies.called(space, made, heard)
    if renewed is not None:
        recovering.renewed(engine, space, made)
    return made


def connect_by_key(
    engine: Engine, space: Space, code: str, key: str, connection_id: int | None, server: str | None = None
) -> int:
    """Connect an app by a key that was pasted, or give a connection another key: the connection. `server`: that of an app which
    has several, the usual one where none is named. Raises NotFoundError; NotValid where the app does not know the key, it has
    ended, or the server is none of the app; NotNow where it is of another account; TransientError."""
    app = engine.apps.get(code)
    kept = get(space, connection_id) if connection_id is not None else None
    if app is None or app.connects != "key" or (kept is not None and kept.app != code):
        raise NotFoundError("app not found")
    server = kept.server if kept is not None else _server(app, server)
    try:
        health, heard = _first_look(app.at(server, engine.settings.may_reach), space, key)
    except ExpiredError:
        raise NotValid(f"This key to {app.name} has expired.", app.key_help) from None
    except PermanentError as failure:
        if failure.about == "address":
            raise NotValid(f"{str(failure)[0].upper()}{str(failure)[1:]}.", "") from None
        if server is not None and failure.about != "access":
            advice = f"Check the address: it is what stands before the first / in the browser while you use {app.name}."
            raise NotValid(f"{server} doesn’t respond like {app.name}.", advice) from None
        raise NotValid(f"{app.name} doesn’t know this key.", f"Copy the whole key again. {app.key_help}") from None
    if kept is not None and health.account != kept.account:
        said = f"This key is of {health.account}, and the connection of {kept.account}."
        raise NotNow(said, "Use a key of the same account, or connect the other account beside it.")
    if kept is not None:
        recovering.before_renewal(engine, space, kept.id)
    left = round((health.ends - datetime.now(UTC)).total_seconds()) if health.ends else None
    name = f"{app.name} of {health.account}" + (f" at {server.partition('://')[2]}" if server else "")
    made = connections.save(space, engine.vault, connection_id, app.code, name, health.account, key, left, server=server)
    space.transact(lambda t: connections.saw(t, space.id, made, [c.id for c in health.places], health.may_write))
    engine.tallies.called(space, made, heard)
    if kept is not None:
        recovering.renewed(engine, space, made)
    return made


def _server(app: App, named: str | None) -> str | None:
    """Return a server as it is kept: its address without a path's end; none for the usual one. Raises NotValid."""
    address = (named or "").strip().rstrip("/")
    if not address or not app.has_servers:
        return None
    parts = split_address(address if "://" in address else f"https://{address}")
    plain = parts is not None and parts.scheme in ("http", "https") and not parts.netloc.endswith(":") and " " not in address
    if parts is None or not plain or parts.query or parts.fragment or "@" in parts.netloc:
        raise NotValid(f"“{shorten(address)}” is not the address of a server.", "Enter it as in https://issues.example.")
    found = f"{parts.scheme}://{parts.netloc.lower()}{parts.path.rstrip('/')}"
    return None if found == app.address else found


def _first_look(app: App, space: Space, token: str) -> tuple[Health, Mapping[str, str]]:
    """Ask an app what a token reaches that is of no connection yet: the answer, and its headers. Raises TransientError,
    PermanentError."""
    heard: dict[str, str] = {}
    account = app.account(token, "", space.env(datetime.now(UTC)))
    account.called = lambda headers: heard.update({key.lower(): value for key, value in headers.items()})
    return account.check(), heard


def look(engine: Engine, space: Space, connection_id: int) -> Sight:
    """Ask the app what a connection sees, now. Raises NotFoundError."""
    kept = get(space, connection_id)
    app = engine.app(kept.app)
    try:
        health = recovering.see(engine, space, connection_id)
    except PermanentError:
        said = f"{app.name} refuses this connection: its access was revoked or has expired."
        if app.connects == "key":
            return Sight("refused", said, f"Replace its key. {app.key_help}", kept.account)
        return Sight("refused", said, "Reconnect it. Your selection is kept.", kept.account)
    except TransientError as failure:
        return Sight("no_answer", f"{failure}.", "Nothing is lost. Check again in a moment.", kept.account)
    finding, said, advice = _finding(health, app)
    return Sight(finding, said, advice, health.account, health.places, health.hidden, health.may_write)


def _finding(health: Health, app: App) -> tuple[str, str, str]:
    many, items = app.containers_word, app.items_word
    if not health.places:
        said = f"{app.name} accepts this connection, but no {many} are shared."
        if app.connects == "key":
            said = f"{app.name} knows this key, but it reaches no {many}."
            return "nothing_shared", said, f"Replace it with a key that reaches the {many} that you need. {app.key_help}"
        return "nothing_shared", said, f"Change its access, and select the {many} to share."
    if not any(c.items for c in health.places):
        said = f"The shared {many} are empty."
        return "all_empty", said, f"Share other {many} too, or create the first of the {items}."
    return "good", f"{app.name} is connected.", ""


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
        advice = f"Change its access to allow this, or create the {app.container_word} in {app.name}."
        raise NotNow(f"This connection can’t create {app.containers_word}.", advice) from None


@dataclass(frozen=True)
class Meant:
    """What a pasted link means: a place, or what several places stand `within`, of which one is to be chosen."""

    place: Place | None
    within: Sequence[str] = ()


def place_of_link(engine: Engine, space: Space, connection_id: int, link: str) -> Meant:
    """Return what a pasted link of any level means. Raises NotValid where it is not understood, NotNow where it is not
    shared."""
    kept = get(space, connection_id)
    app = engine.app(kept.app)
    account = engine.account(space, connection_id)
    item, wanted = account.app.item_of_link(link), account.app.container_of_link(link)
    shared: Sequence[Place] = ()
    try:
        with engine.pacer.calls(space, connection_id):
            if wanted is None and item is not None:
                wanted = account.place_of_item(item)
            shared = account.check().places
    except PermanentError as failure:
        engine.note_failure(space, connection_id, failure)
        if failure.about != "container":
            raise
    if place := next((p for p in shared if p.id == wanted), None):
        return Meant(place)
    if found := _above(link, shared):
        return found
    if wanted is None and item is None:
        advice = f"Open the {app.container_word} in {app.name}, or {_article(app.item_word)} in it, and copy its address."
        raise NotValid(f"This is not a link to {_article(app.container_word)} in {app.name}.", advice)
    said = f"This {app.container_word} is not shared with “{kept.name}”."
    if wanted is None:
        said = f"This {app.item_word} is no longer there, or its {app.container_word} is not shared with “{kept.name}”."
    raise NotNow(said, "Change the connection’s access and select it.", about="container")


def _above(link: str, shared: Sequence[Place]) -> Meant | None:
    """Return what a link to a level above places means: the place, where it is the only one within it."""
    sought = _address(link)
    for depth in range(max((len(p.above) for p in shared), default=0)):
        there = [p for p in shared if len(p.above) > depth and sought and _address(p.above[depth]) == sought]
        if there:
            return Meant(there[0]) if len(there) == 1 else Meant(None, there[0].path[: depth + 1])
    return None


def _address(link: str) -> tuple[str, str] | None:
    """Return where a link leads to, whatever the view of it."""
    parts = split_address(link.strip())
    return (parts.netloc, parts.path.rstrip("/")) if parts else None


def _article(word: str) -> str:
    return f"{'an' if word[0] in 'aeiou' else 'a'} {word}"
