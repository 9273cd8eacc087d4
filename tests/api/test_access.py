"""Who may call what: sessions, tokens, foreign workspaces, foreign origins, and every route asks."""

from __future__ import annotations

import json
import re
import time

import httpx2 as httpx
import pytest

from kelvix.commands.openapi import document
from kelvix.settings import TOP
from kelvix.store import people


def routes():
    for where, methods in json.loads(document())["paths"].items():
        for method in methods:
            yield method.upper(), re.sub(r"\{\w+\}", "1", where)


# What proves itself otherwise, and how: requests to a workflow's own address by the token in it (tests/api/test_addresses.py).
PROVED_OTHERWISE = {("POST", "/in/1/1"), ("POST", "/capture/1/1")}


@pytest.mark.parametrize(("method", "where"), [r for r in routes() if r not in PROVED_OTHERWISE])
def test_every_route_asks_for_a_sign_in(kelvix, method, where):
    answer = httpx.request(method, kelvix.address + where, json={}, trust_env=False)
    assert answer.status_code == 401, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["title"] == "You are not signed in."


def test_the_callback_asks_too(kelvix):
    assert httpx.get(f"{kelvix.address}/api/v1/connections/callback?state=x&code=y", trust_env=False).status_code == 401


def test_a_sign_in_address_works_once(orla):
    again = httpx.get(f"{orla.kelvix.address}/sign-in/{orla.sign_in_code}", trust_env=False)
    assert again.status_code == 410 and "no longer works" in again.text
    assert httpx.get(f"{orla.kelvix.address}/sign-in/made-up", trust_env=False).status_code == 410


def test_the_cookie_is_kept_from_scripts_and_other_sites(orla):
    code = people.new_sign_in_link(orla.kelvix.engine.directory.home, orla.owner.id)
    cookie = httpx.get(f"{orla.kelvix.address}/sign-in/{code}", trust_env=False).headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=lax" in cookie


def test_signing_out_ends_the_session(orla):
    cookie = orla.web.cookies["kelvix"]
    orla.api("POST", "/sign-out")
    answer = httpx.get(f"{orla.kelvix.address}/api/v1/me", cookies={"kelvix": cookie}, trust_env=False)
    assert answer.status_code == 401


def test_a_token_for_scripts(orla):
    token = people.new_token(orla.kelvix.engine.directory.home, orla.owner.id, "a script")
    made = orla.database("By script")
    with httpx.Client(base_url=orla.kelvix.address, headers={"authorization": f"Bearer {token}"}, trust_env=False) as script:
        title = str(made["fields"][0]["id"])
        written = script.post(f"/api/v1/databases/{made['id']}/records", json={"values": {title: "x"}})
        assert written.status_code == 201
        refused = script.post("/api/v1/connections/consent", json={"app": "mail"})
        assert refused.status_code == 403 and "in the browser" in refused.json()["title"]
    detail = orla.api("GET", f"/databases/{made['id']}/records/{written.json()['record']['id']}")
    assert detail["history"][0]["by"] == "Orla, by script"
    wrong = httpx.get(f"{orla.kelvix.address}/api/v1/me", headers={"authorization": "Bearer kx_wrong"}, trust_env=False)
    assert wrong.status_code == 401 and "./kelvix token" in wrong.json()["detail"]


@pytest.mark.parametrize(
    "headers",
    [{"origin": "http://evil.example"}, {"sec-fetch-site": "cross-site"}, {"origin": "null"}, {"origin": "http://[::1"}],
)
def test_a_write_from_a_foreign_origin_is_refused(orla, headers):
    answer = orla.web.post("/api/v1/databases", json={"name": "x"}, headers=headers)
    assert answer.status_code == 403 and "another site" in answer.json()["title"]
    assert orla.api("GET", "/databases") == []


def test_a_foreign_host_name_is_refused(kelvix):
    assert httpx.get(kelvix.address, headers={"host": "evil.example"}, trust_env=False).status_code == 400


def test_a_foreign_workspaces_things_are_not_there(kelvix):
    orla, eve = kelvix.person("Orla"), kelvix.person("Eve")
    connection = orla.connect("Enquiries")
    database = orla.database("Secret", {"name": "Name", "type": "text"})
    title = str(database["fields"][0]["id"])
    made = orla.api("POST", f"/databases/{database['id']}/records", json={"values": {title: "x"}})
    workflow = orla.api("POST", "/workflows", json={"name": "Secret"})
    mine = eve.database("Mine")
    own = eve.workflow("Mine", {"lines": [
        {"verb": "when", "id": "w", "connection": connection, "container": str(orla.folders["Enquiries"])},
        {"verb": "add", "id": "a", "database": database["id"], "fillings": [{"field": int(title), "filling": [{"text": "x"}]}]}]})  # fmt: skip
    tries = [
        ("GET", f"/databases/{database['id']}", None), ("PATCH", f"/databases/{database['id']}", {"name": "x"}),
        ("DELETE", f"/databases/{database['id']}", None), ("POST", f"/databases/{database['id']}/fields", {"name": "x", "type": "text"}),
        ("PATCH", f"/databases/{database['id']}/fields/{title}", {"name": "x"}), ("DELETE", f"/databases/{mine['id']}/fields/{title}", None),
        ("GET", f"/databases/{database['id']}/records", None), ("POST", f"/databases/{database['id']}/records", {"values": {}}),
        ("GET", f"/databases/{database['id']}/records/{made['record']['id']}", None), ("POST", f"/changes/{made['change'] + 1000}/undo", None),
        ("DELETE", f"/databases/{database['id']}/records/{made['record']['id']}", None), ("POST", "/capture", {"database": database["id"], "text": "x"}),
        ("GET", f"/connections/{connection}", None), ("PATCH", f"/connections/{connection}", {"name": "x"}), ("DELETE", f"/connections/{connection}", None),
        ("GET", f"/connections/{connection}/sight", None), ("POST", "/connections/consent", {"app": "mail", "connection": connection}),
        ("POST", f"/connections/{connection}/container", {"link": "http://x.example"}), ("GET", f"/workflows/{workflow['id']}", None),
        ("PUT", f"/workflows/{workflow['id']}", {"name": "x", "document": workflow["document"]}), ("DELETE", f"/workflows/{workflow['id']}", None),
        ("POST", f"/workflows/{workflow['id']}/on", None), ("POST", f"/workflows/{workflow['id']}/off", None), ("GET", f"/workflows/{workflow['id']}/samples", None),
        ("POST", f"/workflows/{workflow['id']}/try", {"sample": 1}), ("POST", f"/workflows/{workflow['id']}/where", {"item": "1"}),
        ("GET", "/runs/1", None), ("POST", "/runs/1/undo", None),
    ]  # fmt: skip
    for method, where, body in tries:
        answer = eve.web.request(method, f"/api/v1{where}", json=body, headers={"if-match": "1"})
        assert answer.status_code == 404, (method, where, answer.status_code, answer.text)
    turned = eve.web.post(f"/api/v1/workflows/{own}/on")
    assert turned.status_code == 409 and any("deleted" in f["sentence"] for f in turned.json()["findings"])
    assert orla.records(database["id"])[0]["values"][title] == "x"


def test_an_answer_to_a_consent_that_this_session_did_not_ask_for(kelvix):
    orla, eve = kelvix.person("Orla"), kelvix.person("Eve")
    asked = eve.api("POST", "/connections/consent", json={"app": "mail"})["address"]
    state = re.search(r"state=([^&]+)", asked)[1]
    assert orla.web.get(f"/api/v1/connections/callback?state={state}&code=x").headers["location"] == "/connections?said=unknown"
    assert (
        eve.web.get(f"/api/v1/connections/callback?state={state}&error=access_denied").headers["location"]
        == "/connections?said=refused"
    )
    assert eve.web.get(f"/api/v1/connections/callback?state={state}&code=x").headers["location"] == "/connections?said=unknown"


def test_a_viewer_may_look_and_not_change(orla):
    home = orla.kelvix.engine.directory.home
    made = orla.database("Shared")
    home.transact(lambda t: t.execute("UPDATE person SET role='viewer' WHERE id=%s", (orla.owner.id,)))
    time.sleep(2.1)  # sessions are remembered for two seconds
    assert orla.api("GET", "/databases")[0]["name"] == "Shared"
    assert "view this, but not change" in orla.api("DELETE", f"/databases/{made['id']}", expect=403)["title"]


def test_the_page_carries_a_strict_policy(kelvix):
    answer = httpx.get(f"{kelvix.address}/workflows/1", trust_env=False)
    policy = answer.headers["content-security-policy"]
    assert "default-src 'none'" in policy and "script-src 'self';" in policy and "unsafe" not in policy
    nonce = re.search(r"'nonce-([^']+)'", policy)[1]
    assert f'content="{nonce}"' in answer.text and "__NONCE__" not in answer.text
    assert httpx.get(f"{kelvix.address}/assets/nothing.js", trust_env=False).status_code == 404
    [script] = re.findall(r'src="(/assets/[^"]+)"', httpx.get(kelvix.address, trust_env=False).text)
    plain, packed = (
        httpx.get(kelvix.address + script, headers={"accept-encoding": e}, trust_env=False) for e in ("identity", "gzip")
    )
    assert packed.headers["content-encoding"] == "gzip" and packed.content == plain.content
    assert int(packed.headers["content-length"]) * 2 < len(plain.content)
    assert "kelvix-web" not in httpx.get(f"{kelvix.address}/assets/..%2F..%2Fpackage.json", trust_env=False).text


def test_requests_that_are_too_large_are_refused(orla):
    answer = orla.web.post("/api/v1/capture", content=b"x" * (9 << 20), headers={"content-type": "application/json"})
    assert answer.status_code == 413 and "at most 8 MB" in answer.json()["detail"]


def test_health_needs_no_sign_in_and_says_nothing_else(kelvix):
    assert httpx.get(f"{kelvix.address}/healthz", trust_env=False).json() == {"state": "good"}


def test_the_front_ends_types_are_those_of_this_api():
    assert (TOP / "web/openapi.json").read_text() == document(), "run ./kelvix openapi, then npm run types"
