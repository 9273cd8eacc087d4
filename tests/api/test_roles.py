"""Who may do what: every route says which role it asks for, or why it asks for none; and each refuses all others."""

from __future__ import annotations

import re
from collections.abc import Iterator

import httpx2 as httpx
import pytest
from fastapi.dependencies.models import Dependant
from fastapi.routing import APIRoute

from kelvix.api import access
from kelvix.api.app import PARTS
from kelvix.store import people

ROLES = {access.caller: "viewer", access.editor: "editor", access.owner: "owner"}
RANK = ["viewer", "editor", "owner"]


def _calls(dependant: Dependant) -> Iterator[object]:
    yield dependant.call
    for one in dependant.dependencies:
        yield from _calls(one)


def _asks_for(route: APIRoute) -> str | None:
    """The lowest role that a route takes; none where it takes anybody."""
    found = [ROLES[call] for call in _calls(route.dependant) if call in ROLES]
    return max(found, key=RANK.index) if found else None


ROUTES = [route for part in PARTS for route in part.router.routes if isinstance(route, APIRoute)]


@pytest.fixture(scope="module")
def signed_in(kelvix):
    """A browser for each role of one workspace, and one of nobody."""
    person = kelvix.person("Rollo")
    home = kelvix.engine.directory.home
    browsers = {}
    for role in RANK:
        id_ = home.transact(
            lambda t, role=role: t.insert(
                "INSERT INTO person (workspace_id, name, role) VALUES (%s,%s,%s)", (person.space.id, role, role)
            )
        )
        browsers[role] = httpx.Client(base_url=kelvix.address, timeout=30, trust_env=False)
        assert browsers[role].get(f"/sign-in/{people.new_sign_in_link(home, id_)}").status_code == 303
    browsers["nobody"] = httpx.Client(base_url=kelvix.address, timeout=30, trust_env=False)
    yield browsers
    for browser in browsers.values():
        browser.close()


def test_there_are_routes_of_each_kind():
    asked = [_asks_for(route) for route in ROUTES]
    assert len(ROUTES) > 90 and {None, *RANK} == set(asked)


@pytest.mark.parametrize("route", ROUTES, ids=lambda r: f"{sorted(r.methods)[0]} {r.path}")
def test_a_route_refuses_whom_it_does_not_ask_for(route, signed_in):
    """With numbers of nothing and an empty body: whoever is let in gets another answer than 401 or 403."""
    least = _asks_for(route)
    if least is None:
        said = (route.endpoint.__doc__ or "") + (__import__(route.endpoint.__module__, fromlist=["_"]).__doc__ or "")
        assert "ithout sign-in" in said or "igning in" in said, "it says why it asks for nobody"
        return
    method = sorted(route.methods)[0]
    where = re.sub(r"\{[^}]*\}", "999999", route.path)
    if route.path == "/api/v1/live":  # a stream has no end: those who are refused get an answer
        assert signed_in["nobody"].get(where).status_code == 401
        return
    for who, browser in signed_in.items():
        if route.path.endswith("/sign-out") and who != "nobody":
            continue  # it would end the session with which the others are tried
        status = browser.request(method, where, json=None if method == "GET" else {}).status_code
        if who == "nobody":
            assert status == 401
        elif RANK.index(who) < RANK.index(least):
            assert status == 403, who
        else:
            assert status not in (401, 403) and status < 500, (who, status)
