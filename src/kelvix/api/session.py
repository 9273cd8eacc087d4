"""Signing in and out, and who one is."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from kelvix.api.access import COOKIE, Owner, Reader, Sessions, engine_of
from kelvix.core.feel.added.language import languages
from kelvix.workspace import people
from kelvix.workspace.people import Settings

router = APIRouter(tags=["session"])

USED = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Kelvix</title><body>
<h1>This sign-in address no longer works</h1>
<p>It works once, within a day. Run <code>./kelvix sign-in</code> to get a new one.</p></body></html>"""


class Me(BaseModel):
    """`language` is a name of Unicode's CLDR; `date_order` says how dates such as 01/02/2026 are read (DMY, MDY); null: they
    are asked about. `email`: where this person is told what needs them. What runs carried is kept for `keep_content_days`, that
    they were for `keep_runs_days`."""

    name: str
    role: str
    workspace: str
    timezone: str
    language: str
    date_order: str | None
    practice: str
    email: str | None
    keep_content_days: int
    keep_runs_days: int


class WorkspaceIn(BaseModel):
    timezone: str = Field(max_length=64, examples=["Europe/London"])
    language: str = Field(max_length=20, examples=["en_GB"])
    date_order: Literal["DMY", "MDY"] | None = None
    email: str | None = Field(None, max_length=320)
    keep_content_days: int = Field(90, ge=1, le=3650)
    keep_runs_days: int = Field(400, ge=1, le=3650)


class Language(BaseModel):
    code: str
    name: str


@router.get("/sign-in/{code}", include_in_schema=False)
def sign_in(request: Request, code: str) -> Response:
    """Without sign-in, since it is the way in: the code is good once."""
    cookie = people.sign_in(engine_of(request), code)
    if cookie is None:
        return HTMLResponse(USED, 410)
    answer = RedirectResponse("/", 303)
    answer.set_cookie(
        COOKIE, cookie, max_age=people.SESSION_DAYS * 86400, httponly=True, samesite="lax", secure=request.url.scheme == "https"
    )
    return answer


@router.get("/api/v1/me")
def me(who: Reader) -> Me:
    kept = people.settings(who.engine, who.space, who.person)
    return Me(
        name=who.person.name,
        role=who.person.role,
        workspace=who.person.workspace,
        timezone=str(who.space.zone),
        language=who.space.language,
        date_order=who.space.order,
        practice=who.engine.settings.practice_address,
        email=kept.email,
        keep_content_days=kept.keep_content,
        keep_runs_days=kept.keep_runs,
    )


@router.put("/api/v1/workspace")
def change_workspace(who: Owner, body: WorkspaceIn) -> Me:
    """How this workspace writes dates and numbers, how long it keeps what runs carried, and where its owner is told what needs
    them. Only its owner changes it."""
    wanted = Settings(body.email, body.keep_content_days, body.keep_runs_days)
    space = people.change(who.engine, who.space, who.person, body.timezone, body.language, body.date_order, wanted)
    who.announce("me", "rehearsal")
    return me(replace(who, space=space))


@router.get("/api/v1/languages")
def list_languages(who: Reader) -> list[Language]:
    """Return the languages that dates and numbers can be written in, by their own names."""
    return [Language(code=code, name=name) for code, name in languages()]


@router.post("/api/v1/sign-out", status_code=204)
def sign_out(who: Reader, request: Request, response: Response) -> None:
    if who.session:
        people.sign_out(who.engine, who.session)
        sessions: Sessions = request.app.state.sessions
        sessions.forget(who.session)
    response.delete_cookie(COOKIE)
