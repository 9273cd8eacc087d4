"""Connections: asking for access, what each can see, where it is used."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core.collection import Place
from kelvix.core.lines import connections_of
from kelvix.workspace import connections, costs, places, workflows
from kelvix.workspace.connections import Connection, NotConnected

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
    of_any: bool = Field(description="whether any app has it whose items can be compared with what they were")


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
    makes_places: bool = Field(description="whether places can be made in it")
    connects: Literal["consent", "key"] = Field(description="by its consent window, or by a key that is pasted")
    key_help: str
    has_servers: bool = Field(description="whether the address of a server is told with the key")
    several: bool = Field(description="whether several of its places can be read as one")
    writes: list[str] = Field(description="what can be done to its items: create, update, delete, restore")
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
    server: str | None = Field(description="of an app that has several, where it is not the usual one")
    used_by: list[str] = []


class ContainerOut(BaseModel):
    id: str
    name: str
    full_name: str = Field(description="with the names of what it stands within: Workshop › Tuning round")
    path: list[str] = Field(description="these names, from the top")
    items: int
    link: str


class MeantOut(BaseModel):
    """What a link means: a container, or what several stand within, of which one is to be chosen."""

    container: ContainerOut | None
    within: list[str] = Field(description="the names of a level, from the top")


def _place_out(place: Place) -> ContainerOut:
    return ContainerOut(
        id=place.id,
        name=place.name,
        full_name=place.full_name,
        path=list(place.path),
        items=place.items or 0,
        link=place.link,
    )


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
    every: int = Field(description="seconds between checks of a source that the app's limits bear")


class ConsentIn(BaseModel):
    """`send`: that it may send is asked for too."""

    app: str
    send: bool = False
    connection: int | None = Field(None, description="renew or widen this one instead of making another")


class KeyIn(BaseModel):
    app: str
    key: str = Field(min_length=1, max_length=4000)
    connection: int | None = Field(None, description="give this one the key instead of making another")
    server: str | None = Field(None, max_length=400, description="of an app that has several; else the usual one")


class ConnectionMade(BaseModel):
    id: int


class ConsentOut(BaseModel):
    address: str


class NameIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)


class LinkIn(BaseModel):
    link: str = Field(max_length=2000)


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
        server=c.server,
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
            events=[EventOut(code=e.code, words=e.words, of_any=e not in a.events) for e in a.all_events],
            several=not a.has_sheets,
            display=DisplayOut(
                word=a.display.word,
                heading=a.display.heading,
                particulars=[ParticularOut(label=label, keys=list(keys)) for label, keys in a.display.particulars],
                body=list(a.display.body),
                markdown=a.display.markdown,
            ),
            sends=a.sends,
            saves=a.saves,
            makes_places=a.makes_places,
            connects=a.connects,
            key_help=a.key_help,
            has_servers=a.has_servers,
            writes=sorted(a.capabilities.writes),
            proposed=[ProposedOut(key=k, name=n) for k, n in a.proposed],
            address=who.engine.settings.practice_address,
            fields=[CarriedOut(key=f.key, name=list(f.name), type=f.type) for f in a.fields],
        )
        for a in who.engine.apps.values()
    ]


@router.get("/connections")
def list_connections(who: Reader) -> list[ConnectionOut]:
    reached = places.connections_of_places(who.space)
    flows = [(w.name, connections_of(w.draft, reached)) for w in workflows.list_all(who.space)]
    return [_out(c, [name for name, used in flows if c.id in used]) for c in connections.list_all(who.space)]


@router.post("/connections/consent")
def ask_for_consent(who: Editor, body: ConsentIn) -> ConsentOut:
    """Return the address of the app's consent window. The answer is taken only in the session that asked."""
    if who.session is None:
        raise Problem(403, "Access can only be given in the browser.", "Sign in and open Connections.")
    address = connections.begin_consent(
        who.engine, who.space, who.session, body.app, body.connection, body.send, _redirect(who)
    )
    return ConsentOut(address=address)


def _redirect(who: Caller) -> str:
    return f"{who.engine.settings.address}/api/v1/connections/callback"


@router.post("/connections/key", status_code=201)
def connect_by_key(who: Editor, body: KeyIn) -> ConnectionMade:
    """Connect an app by a key that its user made there and pasted here; or give a connection another key."""
    made = connections.connect_by_key(who.engine, who.space, body.app, body.key.strip(), body.connection, body.server)
    who.announce("connections")
    return ConnectionMade(id=made)


@router.get("/connections/callback", include_in_schema=False)
def take_consent(who: Editor, request: Request, state: str = "", code: str = "", error: str = "") -> RedirectResponse:
    """Where the app's consent window returns to. Leads on to the connection, or to what went wrong."""
    try:
        given = "" if error else code
        made = connections.end_consent(who.engine, who.space, who.session or "", state, given, _redirect(who))
    except NotConnected as why:
        at = f"/{why.connection}" if why.connection else ""
        return RedirectResponse(f"/connections{at}" + (f"?said={why.why}" if why.why else ""), 303)
    who.announce("connections")
    return RedirectResponse(f"/connections/{made}", 303)


@router.get("/connections/{connection_id}")
def get_connection(who: Reader, connection_id: int) -> ConnectionOut:
    flows = workflows.using_connection(who.space, connection_id)
    return _out(connections.get(who.space, connection_id), [w.name for w in flows])


@router.patch("/connections/{connection_id}")
def rename_connection(who: Editor, connection_id: int, body: NameIn) -> ConnectionOut:
    connections.rename(who.space, connection_id, body.name)
    who.announce("connections")
    return get_connection(who, connection_id)


@router.delete("/connections/{connection_id}", status_code=204)
def remove_connection(who: Editor, connection_id: int) -> None:
    connections.remove(who.space, connection_id)
    who.announce("connections")


@router.get("/connections/{connection_id}/sight")
def look(who: Reader, connection_id: int) -> SightOut:
    """Asks the app, now."""
    seen = connections.look(who.engine, who.space, connection_id)
    return SightOut(
        finding=seen.finding,
        sentence=seen.sentence,
        advice=seen.advice,
        account=seen.account,
        shared=[_place_out(p) for p in seen.places],
        not_shared=list(seen.hidden),
        may_send=seen.may_write,
        every=costs.bearable_pause(who.engine, who.space, connection_id),
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
    items = connections.newest_items(who.engine, who.space, connection_id, container, SHOWN)
    return [ShownOut(id=i.id, title=i.title, link=i.link, at=i.created, notes=notes) for i, notes in items]


class NewContainerIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)


@router.post("/connections/{connection_id}/containers", status_code=201)
def make_container(who: Editor, connection_id: int, body: NewContainerIn) -> ContainerOut:
    """Make a container in the app, which is then shared with the connection. 409 where the connection may not."""
    return _place_out(connections.make_place(who.engine, who.space, connection_id, body.name))


@router.post("/connections/{connection_id}/container")
def container_of_link(who: Reader, connection_id: int, body: LinkIn) -> MeantOut:
    """Return what a pasted link means. 422 where it is not understood, 409 where it is not shared."""
    found = connections.place_of_link(who.engine, who.space, connection_id, body.link)
    return MeantOut(container=_place_out(found.place) if found.place else None, within=list(found.within))
