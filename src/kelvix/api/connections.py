"""Connections: asking for access, what each can see, where it is used."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core.collection import Health, PermanentError, Place, TransientError, readable
from kelvix.core.lines import connections_of
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.values import as_text
from kelvix.engine import recovering
from kelvix.store import connections, subscriptions, workflows
from kelvix.store.connections import Connection

router = APIRouter(prefix="/api/v1", tags=["connections"])
SHOWN = 15  # items that are looked at in passing


class CarriedOut(BaseModel):
    key: str
    name: list[str]
    type: str


class ProposedOut(BaseModel):
    """A carried value of which a new database would be made, and the name of its field."""

    key: str
    name: str


class EventOut(BaseModel):
    """What can start a workflow; the words stand after "When"."""

    code: str
    words: str


class ParticularOut(BaseModel):
    label: str
    keys: list[str]


class DisplayOut(BaseModel):
    """How an item is shown as itself, by keys of its carried values."""

    word: str
    heading: str
    particulars: list[ParticularOut]
    body: list[str]
    markdown: bool


class AppOut(BaseModel):
    """An app that can be connected, in its own words."""

    code: str
    name: str
    monogram: str
    container_word: str
    containers_word: str
    item_word: str
    items_word: str
    events: list[EventOut]
    display: DisplayOut
    sends: bool
    saves: bool
    fields: list[CarriedOut]
    proposed: list[ProposedOut]
    address: str


class ConnectionOut(BaseModel):
    id: int
    app: str
    name: str
    account: str
    state: str = Field(
        description="good, expiring, empty (nothing is shared with it), failing (its calls fail), refused or lost"
    )
    reason: str | None
    failing_since: datetime | None
    expires_at: datetime | None
    used_by: list[str] = []


class ContainerOut(BaseModel):
    id: str
    name: str
    items: int
    link: str


def _place_out(place: Place) -> ContainerOut:
    return ContainerOut(id=place.id, name=place.name, items=place.items or 0, link=place.link)


class SightOut(BaseModel):
    """What a connection sees now. `finding` is good, refused, nothing_shared, all_empty or no_answer; `sentence` says what
    that means, `advice` what to do."""

    finding: str
    sentence: str
    advice: str
    account: str
    shared: list[ContainerOut]
    not_shared: list[str]
    may_send: bool


class ConsentIn(BaseModel):
    """`send`: that it may send is asked for too."""

    app: str
    send: bool = False
    connection: int | None = Field(None, description="renew or widen this one instead of making another")


class ConsentOut(BaseModel):
    address: str


class NameIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)


class LinkIn(BaseModel):
    link: str = Field(max_length=2000)


def _get(who: Caller, connection_id: int) -> Connection:
    found = who.space.read(lambda t: connections.get(t, who.space.id, connection_id))
    if found is None:
        raise NotFoundError("there is no such connection")
    return found


def _out(c: Connection, used_by: list[str]) -> ConnectionOut:
    return ConnectionOut(
        id=c.id,
        app=c.app,
        name=c.name,
        account=c.account,
        state=c.state,
        reason=c.reason,
        failing_since=c.failing_since,
        expires_at=c.expires_at,
        used_by=used_by,
    )


@router.get("/apps")
def list_apps(who: Reader) -> list[AppOut]:
    return [
        AppOut(
            code=a.code,
            name=a.name,
            monogram=a.monogram,
            container_word=a.container_word,
            containers_word=a.containers_word,
            item_word=a.item_word,
            items_word=a.items_word,
            events=[EventOut(code=e.code, words=e.words) for e in a.events],
            display=DisplayOut(
                word=a.display.word,
                heading=a.display.heading,
                particulars=[ParticularOut(label=label, keys=list(keys)) for label, keys in a.display.particulars],
                body=list(a.display.body),
                markdown=a.display.markdown,
            ),
            sends=a.sends,
            saves=a.saves,
            proposed=[ProposedOut(key=k, name=n) for k, n in a.proposed],
            address=who.engine.settings.practice_address,
            fields=[CarriedOut(key=f.key, name=list(f.name), type=f.type) for f in a.fields],
        )
        for a in who.engine.apps.values()
    ]


@router.get("/connections")
def list_connections(who: Reader) -> list[ConnectionOut]:
    kept = who.space.read(lambda t: connections.list_all(t, who.space.id))
    flows = who.space.read(lambda t: workflows.list_all(t, who.space.id))
    return [_out(c, [w.name for w in flows if c.id in connections_of(w.draft)]) for c in kept]


@router.post("/connections/consent")
def ask_for_consent(who: Editor, body: ConsentIn) -> ConsentOut:
    """Return the address of the app's consent window. The answer is taken only in the session that asked."""
    if who.session is None:
        raise Problem(403, "Access is asked for in the browser.", "Sign in and open Connections.")
    app = who.engine.apps.get(body.app)
    if app is None:
        raise NotFoundError("there is no such app")
    already: tuple[str, ...] = ()
    send = body.send
    if body.connection is not None:
        kept = _get(who, body.connection)
        try:
            health = recovering.see(who.engine, who.space, body.connection)
            already, send = tuple(c.id for c in health.places), send or health.may_write
        except (TransientError, PermanentError):  # what it saw last, and what workflows use
            listened = (one.place for one in who.space.read(lambda t: subscriptions.list_on(t, who.space.id, kept.id)))
            already, send = tuple(dict.fromkeys((*(kept.shared or ()), *listened))), send or kept.may_send
    state, verifier = secrets.token_urlsafe(32), secrets.token_urlsafe(48)
    connections.begin_consent(who.space, who.engine.vault, state, who.session, body.app, body.connection, verifier)
    return ConsentOut(address=app.consent_address(_redirect(who), state, verifier, already, send))


def _redirect(who: Caller) -> str:
    return f"{who.engine.settings.address}/api/v1/connections/callback"


@router.get("/connections/callback", include_in_schema=False)
def take_consent(who: Editor, request: Request, state: str = "", code: str = "", error: str = "") -> RedirectResponse:
    """Where the app's consent window returns to. Leads on to the connection, or to what went wrong."""
    asked = connections.end_consent(who.space, who.engine.vault, state, who.session or "")
    if asked is None:
        return RedirectResponse("/connections?said=unknown", 303)
    if error or not code:
        return RedirectResponse("/connections?said=refused", 303)
    app = who.engine.app(asked.app)
    try:
        grant = app.exchange(_redirect(who), code, asked.verifier)
        health = app.account(grant.token, "", who.space.env(datetime.now(UTC))).check()
    except (TransientError, PermanentError):
        return RedirectResponse("/connections?said=failed", 303)
    if asked.connection_id is not None:
        known = asked.connection_id
        kept = who.space.read(lambda t: connections.get(t, who.space.id, known))
        if kept is None:  # removed meanwhile, as its screen says
            return RedirectResponse(f"/connections/{known}", 303)
        if health.account != kept.account:  # cursors, pushes and item numbers belong to the old account
            return RedirectResponse(f"/connections/{kept.id}?said=another", 303)
        recovering.before_renewal(who.engine, who.space, asked.connection_id)
    made = connections.save(
        who.space,
        who.engine.vault,
        asked.connection_id,
        app.code,
        f"{app.name} of {health.account}",
        health.account,
        grant.token,
        grant.expires_in,
    )
    who.space.transact(lambda t: connections.saw(t, who.space.id, made, [c.id for c in health.places], health.may_write))
    if asked.connection_id is not None:
        recovering.renewed(who.engine, who.space, made)
    who.announce("connections")
    return RedirectResponse(f"/connections/{made}", 303)


@router.get("/connections/{connection_id}")
def get_connection(who: Reader, connection_id: int) -> ConnectionOut:
    flows = who.space.read(lambda t: workflows.list_all(t, who.space.id))
    return _out(_get(who, connection_id), [w.name for w in flows if connection_id in connections_of(w.draft)])


@router.patch("/connections/{connection_id}")
def rename_connection(who: Editor, connection_id: int, body: NameIn) -> ConnectionOut:
    if not connections.rename(who.space, connection_id, body.name):
        raise NotFoundError("there is no such connection")
    who.announce("connections")
    return get_connection(who, connection_id)


@router.delete("/connections/{connection_id}", status_code=204)
def remove_connection(who: Editor, connection_id: int) -> None:
    used = [
        w.name
        for w in who.space.read(lambda t: workflows.list_all(t, who.space.id))
        if w.state == "on" and connection_id in connections_of(w.draft)
    ]
    if used:
        raise Problem(409, f"This connection is in use by {', '.join(used)}.", "Turn that off first.")
    if not connections.remove(who.space, connection_id):
        raise NotFoundError("there is no such connection")
    who.announce("connections")


def _finding(health: Health, app_name: str, many: str, items: str) -> tuple[str, str, str]:
    if not health.places:
        return (
            "nothing_shared",
            f"{app_name} accepts this connection, but no {many} were shared with it.",
            f"Widen it, and tick the {many} that Kelvix may see.",
        )
    if not any(c.items for c in health.places):
        return (
            "all_empty",
            f"What is shared is empty: there are no {items} in it yet.",
            f"Share other {many} as well, or make the first of the {items}.",
        )
    return "good", f"{app_name} answers, and shows what is shared.", ""


@router.get("/connections/{connection_id}/sight")
def look(who: Reader, connection_id: int) -> SightOut:
    """Asks the app, now."""
    kept = _get(who, connection_id)
    app = who.engine.app(kept.app)
    try:
        health = recovering.see(who.engine, who.space, connection_id)
    except PermanentError:
        return SightOut(
            finding="refused",
            sentence=f"{app.name} refuses this connection: its access was taken away or has run out.",
            advice="Renew it; what was ticked before is ticked again.",
            account=kept.account,
            shared=[],
            not_shared=[],
            may_send=False,
        )
    except TransientError as failure:
        return SightOut(
            finding="no_answer",
            sentence=f"{failure}.",
            advice="Nothing is lost; look again in a moment.",
            account=kept.account,
            shared=[],
            not_shared=[],
            may_send=False,
        )
    finding, sentence, advice = _finding(health, app.name, app.containers_word, app.items_word)
    return SightOut(
        finding=finding,
        sentence=sentence,
        advice=advice,
        account=health.account,
        shared=[_place_out(p) for p in health.places],
        not_shared=list(health.hidden),
        may_send=health.may_write,
    )


class ShownOut(BaseModel):
    """An item as one looks at it in passing: `notes` are its first particulars."""

    id: str
    title: str
    link: str
    at: datetime
    notes: list[str]


@router.get("/connections/{connection_id}/containers/{container}/items")
def look_into(who: Reader, connection_id: int, container: str) -> list[ShownOut]:
    """Return the newest items of a container, as they are now."""
    kept = _get(who, connection_id)
    account = who.engine.account(who.space, kept.id)
    try:
        with who.engine.pacer.calls(who.space, kept.id):
            items = account.collection(container).query(Query(limit=SHOWN)).items
    except PermanentError as failure:
        who.engine.note_failure(who.space, connection_id, failure)
        raise
    keys = [key for _, several in account.app.display.particulars for key in several]
    return [
        ShownOut(
            id=i.id,
            title=i.title,
            link=i.link,
            at=i.created,
            notes=[said for k in keys if (said := as_text(readable(i.values).get(k), who.space.zone))][:2],
        )
        for i in items
    ]


class NewContainerIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)


@router.post("/connections/{connection_id}/containers", status_code=201)
def make_container(who: Editor, connection_id: int, body: NewContainerIn) -> ContainerOut:
    """Make a container in the app, which is then shared with the connection. 409 where the connection may not."""
    kept = _get(who, connection_id)
    account = who.engine.account(who.space, kept.id)
    app = account.app
    try:
        made = account.make_place(body.name.strip())
    except PermanentError as failure:
        who.engine.note_failure(who.space, connection_id, failure)
        if failure.about != "container":
            raise
        said = f"This connection may not make {app.containers_word}."
        raise Problem(409, said, f"Widen it, and tick that it may, or make the {app.container_word} in {app.name}.") from None
    return _place_out(made)


@router.post("/connections/{connection_id}/container")
def container_of_link(who: Reader, connection_id: int, body: LinkIn) -> ContainerOut:
    """Return the container that a pasted link means. 422 where it is not understood, 409 where it is not shared."""
    kept = _get(who, connection_id)
    app = who.engine.app(kept.app)
    wanted = app.container_of_link(body.link)
    if wanted is None:
        raise Problem(
            422,
            f"This is not a link to a {app.container_word} in {app.name}.",
            f"Open the {app.container_word} in {app.name} and copy its address.",
        )
    for place in who.engine.account(who.space, connection_id).check().places:
        if place.id == wanted:
            return _place_out(place)
    raise Problem(
        409,
        f"This {app.container_word} is not shared with “{kept.name}”.",
        "Widen the connection and tick it.",
        about="container",
    )
