"""Who calls: a cookie session of the browser, or a bearer token of a script. Every route of the API asks for one."""

from __future__ import annotations

import time
from collections import Counter
from dataclasses import dataclass
from typing import Annotated, Literal

from fastapi import Depends, Request

from kelvix.api.problems import Problem
from kelvix.core.fields.link import split_address
from kelvix.engine.engine import Engine
from kelvix.workspace import Space, people
from kelvix.workspace.people import Person

COOKIE = "kelvix"
REMEMBER = 2.0  # seconds for which a session is taken as it was


@dataclass(frozen=True)
class Caller:
    """The person, the workspace that their requests are confined to, and the session where there is one."""

    person: Person
    space: Space
    engine: Engine
    session: str | None

    def announce(self, *topics: str) -> None:
        self.engine.dispatch.announce(self.space.id, *topics)


class Calls:
    """How many calls each workspace has made in this minute."""

    def __init__(self) -> None:
        self._minute = 0
        self._made: Counter[int] = Counter()

    def count(self, space: Space) -> None:
        """Count a call. Raises Problem where there are too many."""
        minute = int(time.monotonic() // 60)
        if minute != self._minute:
            self._minute, self._made = minute, Counter()
        self._made[space.id] += 1
        if self._made[space.id] > space.limits.calls_a_minute:
            said = f"More than {space.limits.calls_a_minute:,} calls reached this workspace within a minute."
            raise Problem(429, said, "Try again in a minute.", after=60)


class Sessions:
    """Sessions and tokens by their secret, remembered for a moment."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._known: dict[tuple[str, str], tuple[float, Person]] = {}

    def person(self, kind: Literal["session", "token"], secret: str) -> Person | None:
        known = self._known.get((kind, secret))
        if known and time.monotonic() - known[0] < REMEMBER:
            return known[1]
        found = people.known(self.engine, kind, secret)
        if len(self._known) > 1000:
            self._known.clear()
        if found:
            self._known[(kind, secret)] = (time.monotonic(), found)
        return found

    def forget(self, secret: str) -> None:
        self._known.pop(("session", secret), None)


def engine_of(request: Request) -> Engine:
    found: Engine = request.app.state.engine
    return found


def caller(request: Request) -> Caller:
    """Refuses with 401 without a session or token, with 403 what a foreign page sends."""
    engine = engine_of(request)
    sessions: Sessions = request.app.state.sessions
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    if token:
        person = sessions.person("token", token) if scheme.lower() == "bearer" else None
        if person is None:
            raise Problem(401, "Unknown token.", "Create a new one with ./kelvix token --name X.")
        return _counted(request, Caller(person, engine.directory.open(person.workspace_id), engine, None))
    cookie = request.cookies.get(COOKIE, "")
    person = sessions.person("session", cookie) if cookie else None
    if person is None:
        raise Problem(401, "You are not signed in.", "Start Kelvix again to get a new sign-in address.")
    if request.method not in ("GET", "HEAD", "OPTIONS"):
        refuse_foreign(request)
    return _counted(request, Caller(person, engine.directory.open(person.workspace_id), engine, cookie))


def _counted(request: Request, who: Caller) -> Caller:
    calls: Calls = request.app.state.calls
    calls.count(who.space)
    return who


def refuse_foreign(request: Request) -> None:
    """Besides SameSite=Lax: a browser's write must come from our own origin."""
    origin = request.headers.get("origin")
    site = request.headers.get("sec-fetch-site", "same-origin")
    here = split_address(origin) if origin else None
    if (origin and (here is None or here.netloc != request.headers.get("host"))) or site not in ("same-origin", "none"):
        raise Problem(403, "This request came from another site.", "Use Kelvix from its own address.")


def editor(who: Annotated[Caller, Depends(caller)]) -> Caller:
    if who.person.role not in people.MAY_WRITE:
        raise Problem(403, "You can view this, but not change it.", "Ask an owner of the workspace to make you an editor.")
    return who


def owner(who: Annotated[Caller, Depends(caller)]) -> Caller:
    if who.person.role != "owner":
        raise Problem(403, "Only the owner can change this.", f"Ask the owner of {who.person.workspace}.")
    return who


Reader = Annotated[Caller, Depends(caller)]
Owner = Annotated[Caller, Depends(owner)]
Editor = Annotated[Caller, Depends(editor)]
