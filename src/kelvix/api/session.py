"""Signing in and out, and who one is."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import BaseModel

from kelvix.api.access import COOKIE, Reader, Sessions, engine_of
from kelvix.store import people

router = APIRouter(tags=["session"])

USED = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Kelvix</title><body>
<h1>This sign-in address no longer works</h1>
<p>It can be used once, within a day. Run <code>./kelvix sign-in</code> to get a new one.</p></body></html>"""


class Me(BaseModel):
    name: str
    role: str
    workspace: str
    timezone: str
    practice: str


@router.get("/sign-in/{code}", include_in_schema=False)
def sign_in(request: Request, code: str) -> Response:
    """Without sign-in, since it is the way in: the code is good once."""
    cookie = people.use_sign_in_link(engine_of(request).directory.home, code)
    if cookie is None:
        return HTMLResponse(USED, 410)
    answer = RedirectResponse("/", 303)
    answer.set_cookie(
        COOKIE, cookie, max_age=people.SESSION_DAYS * 86400, httponly=True, samesite="lax", secure=request.url.scheme == "https"
    )
    return answer


@router.get("/api/v1/me")
def me(who: Reader) -> Me:
    return Me(
        name=who.person.name,
        role=who.person.role,
        workspace=who.person.workspace,
        timezone=who.person.timezone,
        practice=who.engine.settings.practice_address,
    )


@router.post("/api/v1/sign-out", status_code=204)
def sign_out(who: Reader, request: Request, response: Response) -> None:
    if who.session:
        people.end_session(who.engine.directory.home, who.session)
        sessions: Sessions = request.app.state.sessions
        sessions.forget(who.session)
    response.delete_cookie(COOKIE)
