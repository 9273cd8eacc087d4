"""A workflow's own address: what it takes, what it refuses and how it says so."""

from __future__ import annotations

import json
import shlex
import subprocess
import time
from datetime import UTC, datetime

import httpx2 as httpx
import pytest
import standardwebhooks

from kelvix.formats import webhook_signature
from support import until


@pytest.fixture
def door(orla):
    """A workflow with an address that adds a record for each request; ways to send and to look."""
    kept = orla.database("Orders", {"name": "Name", "type": "text"}, {"name": "Sum", "type": "number"})
    name, total = (f["id"] for f in kept["fields"][:2])

    class Door:
        inputs = [{"key": "customer.name", "type": "text", "required": True}, {"key": "sum", "type": "number"}]
        workflow = address = secret = ""

        def build(self, on=True, **more):
            when = {"verb": "when", "id": "w", "own": {"kind": "address", "inputs": self.inputs} | more}
            add = {"verb": "add", "id": "a", "database": kept["id"],
                   "fillings": [{"field": name, "filling": [{"ref": {"line": "w", "value": "customer.name"}}]},
                                {"field": total, "filling": [{"ref": {"line": "w", "value": "sum"}}]}]}  # fmt: skip
            self.workflow = orla.workflow("Orders", {"lines": [when, add]})
            made = orla.api("POST", f"/workflows/{self.workflow}/address")
            self.address, self.secret, self.example = made["address"], made["secret"], made["example"]
            if on:
                orla.api("POST", f"/workflows/{self.workflow}/on")
            return self

        def send(self, body=None, **more):
            return httpx.post(self.address, **({"json": body} if body is not None else {}), trust_env=False, timeout=30, **more)

        @staticmethod
        def rows():
            return sorted((r["values"][str(name)], r["values"][str(total)]) for r in orla.records(kept["id"]))

    return orla, Door()


ADA = {"customer": {"name": "Ada Pell"}, "sum": 12.5}


def test_json_a_form_and_multipart_are_taken(door):
    _, at = door
    at.build()
    assert at.send(ADA).status_code == 202
    assert at.send(data={"customer.name": "Bo", "sum": "1,850"}).json()["taken"] is True
    assert at.send(data={"customer.name": "Cy"}, files={"scan": ("a.pdf", b"%PDF")}).status_code == 202
    assert until(lambda: len(at.rows()) == 3 and at.rows()) == [("Ada Pell", "12.5"), ("Bo", "1850"), ("Cy", None)]


def test_the_ready_made_request_works_as_it_stands(door):
    """By curl, as a person would."""
    _, at = door
    at.build()
    done = subprocess.run([*shlex.split(at.example), "-s"], capture_output=True, text=True, timeout=30)
    assert json.loads(done.stdout)["taken"] is True
    until(lambda: at.rows() == [("text", "12.5")])


@pytest.mark.parametrize(
    "send, status, said",
    [
        (
            {"content": b'{"sum": 1,\n  "customer": }', "headers": {"content-type": "application/json"}},
            400,
            "line 2, column 15",
        ),
        ({"content": b'{"sum": NaN}', "headers": {"content-type": "application/json"}}, 400, "NaN is not a number"),
        ({"content": b"[1]", "headers": {"content-type": "application/json"}}, 400, "not an object"),
        ({"content": b"\xff{}", "headers": {"content-type": "application/json"}}, 400, "not UTF-8"),
        ({"content": b"[" * 100_000, "headers": {"content-type": "application/json"}}, 400, "JSON"),
        ({"content": b"<a/>", "headers": {"content-type": "application/xml"}}, 415, "application/xml"),
        ({"json": {"sum": 3}}, 422, "the key “customer.name” is missing"),
        ({"json": {"customer": {"name": "x"}, "sum": "much"}}, 422, "“sum”: “much” is not a number"),
        ({"content": b" " * ((1 << 20) + 1), "headers": {"content-type": "application/json"}}, 413, "at most 1024 kB"),
        (
            {"content": b"--x\r\nbroken", "headers": {"content-type": "multipart/form-data; boundary=y"}},
            400,
            "The form can’t be read",
        ),
    ],
)
def test_what_is_not_right_is_said_and_nothing_is_taken(door, send, status, said):
    orla, at = door
    at.build()
    answer = at.send(**send)
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    assert said in f"{answer.json()['title']} {answer.json()['detail']}"
    assert orla.space.row("SELECT COUNT(*) AS n FROM event WHERE workflow_id=%s", (at.workflow,)) == {"n": 0}


def test_a_request_that_comes_twice_is_one_event(door):
    _, at = door
    at.build()
    answers = [at.send(ADA, headers={"idempotency-key": "k1"}).json() for _ in range(3)]
    assert [a["new"] for a in answers] == [True, False, False]
    assert at.send(ADA).json()["new"] and at.send(ADA).json()["new"], "without a key each is one of its own"
    until(lambda: len(at.rows()) == 3)


def test_only_what_proves_itself_is_taken_where_that_is_asked_for(door):
    """Standard Webhooks: signed by its reference package."""
    _, at = door
    at.build(signed=True)
    body = json.dumps(ADA).encode()
    now = time.time()
    signed = standardwebhooks.Webhook(at.secret).sign("msg_1", datetime.fromtimestamp(now, UTC), body.decode())
    headers = {"content-type": "application/json", "webhook-id": "msg_1", "webhook-timestamp": str(int(now))}
    assert at.send(content=body, headers=headers).status_code == 401
    assert at.send(content=body + b" ", headers=headers | {"webhook-signature": signed}).status_code == 401
    old = headers | {"webhook-timestamp": str(int(now) - 3600)}
    forged = webhook_signature.sign(at.secret, "msg_1", int(now) - 3600, body)
    assert at.send(content=body, headers=old | {"webhook-signature": forged}).status_code == 401, "long ago"
    for _ in range(2):
        assert at.send(content=body, headers=headers | {"webhook-signature": signed}).status_code == 202
    until(lambda: at.rows() == [("Ada Pell", "12.5")])


def test_callers_are_limited_where_that_is_wished(door):
    _, at = door
    at.build(limit=3)
    while time.time() % 60 > 50:  # so that all stand within one minute
        time.sleep(0.5)
    statuses = [at.send(ADA) for _ in range(5)]
    assert [a.status_code for a in statuses] == [202, 202, 202, 429, 429]
    assert statuses[-1].headers["retry-after"] == "60"


def test_while_it_is_off_a_request_becomes_a_sample_from_which_names_are_learned(door):
    orla, at = door
    at.build(on=False)
    answer = at.send({"customer": {"name": "Ada"}, "items": 3, "day": "2026-11-25"})
    assert answer.status_code == 202 and answer.json()["taken"] is False
    [sample] = orla.api("GET", f"/workflows/{at.workflow}/samples")
    assert sample["values"]["customer.name"] == "Ada"
    learned = orla.api("POST", f"/workflows/{at.workflow}/learn")["inputs"]
    assert [(i["key"], i["type"]) for i in learned] == [("customer.name", "text"), ("items", "number"), ("day", "date")]
    for n in range(8):
        at.send({"customer": {"name": f"Ada {n}"}})
    assert len(orla.api("GET", f"/workflows/{at.workflow}/samples")) == 5
    assert at.rows() == []


def test_an_address_that_was_made_anew_leads_nowhere_under_the_old_one(door):
    orla, at = door
    at.build()
    old = at.address
    new = orla.api("POST", f"/workflows/{at.workflow}/address")["address"]
    assert new != old and at.send(ADA).status_code == 404
    at.address = new
    assert at.send(ADA).status_code == 202
    assert httpx.post(f"{orla.kelvix.address}/in/999999/{new.rsplit('/', 1)[1]}", json=ADA, trust_env=False).status_code == 404
    other = new.replace(f"/in/{orla.space.id}/", f"/in/{orla.space.id + 1}/")
    assert httpx.post(other, json=ADA, trust_env=False).status_code == 404, "a token is good in its own workspace only"
    known = orla.api("GET", f"/workflows/{at.workflow}/address")
    assert known["address"] == new and known["secret"] is None, "the secret is shown once"


def test_only_who_brings_the_secret_and_calls_from_a_range_is_let_in(door):
    _, at = door
    at.build(secret=True, ranges=["127.0.0.0/8"])
    for wrong in ("", "Bearer", "Bearer whsec_x", f"Basic {at.secret}"):
        refused = at.send(ADA, headers={"authorization": wrong})
        assert (refused.status_code, refused.json()["title"]) == (401, "Missing or wrong secret."), wrong
    assert at.send(ADA, headers={"authorization": f"Bearer {at.secret}"}).status_code == 202
    at.build(ranges=["192.0.2.0/24"])
    refused = at.send(ADA)
    assert (refused.status_code, refused.json()["title"]) == (403, "Requests from this network address are not accepted.")
    # A proxy before Kelvix on the same machine says from where it passes requests on; nobody else is believed that.
    assert at.send(ADA, headers={"x-forwarded-for": "192.0.3.7"}).status_code == 403
    assert at.send(ADA, headers={"x-forwarded-for": "192.0.2.7"}).status_code == 202


def test_what_nobody_declared_is_told_kept_and_learned_while_it_is_on(door):
    orla, at = door
    at.build()
    whole = {**ADA, "lines": [{"what": "reeds", "many": 61}], "note": "Mind the step."}
    taken = httpx.post(f"{at.address}?source=form", json=whole, headers={"x-event": "paid"}, trust_env=False, timeout=30).json()
    assert taken["not_declared"] == ["note", "query source", "header x-event", "lines"]
    until(at.rows)
    run = orla.runs(at.workflow)[0]
    assert run["state"] == "done"
    learned = orla.api("POST", f"/workflows/{at.workflow}/learn")
    assert [(i["place"], i["key"]) for i in learned["inputs"]] == [
        ("body", "customer.name"),
        ("body", "sum"),
        ("body", "note"),
        ("query", "source"),
        ("header", "x-event"),
    ]
    assert [(one["key"], [f["key"] for f in one["fields"]]) for one in learned["lists"]] == [("lines", ["what", "many"])]


def test_the_rows_of_a_list_are_gone_through(orla):
    kept = orla.database("Lines", {"name": "What", "type": "text"}, {"name": "Many", "type": "number"})
    what, many = (f["id"] for f in kept["fields"][:2])
    lists = [{"key": "order.lines", "fields": [{"key": "what"}, {"key": "many", "type": "number"}]}]
    when = {"verb": "when", "id": "w", "own": {"kind": "address", "lists": lists}}
    each = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "order.lines"}}
    filled = [
        {"field": f, "filling": [{"ref": {"line": "r", "value": f"each.{key}"}}]} for f, key in ((what, "what"), (many, "many"))
    ]
    add = {"verb": "add", "id": "a", "database": kept["id"], "within": "r", "fillings": filled}
    flow = orla.workflow("Lines of orders", {"lines": [when, each, add]})
    address = orla.api("POST", f"/workflows/{flow}/address")
    assert '"lines": [{"what": "text", "many": ' in address["example"]
    orla.api("POST", f"/workflows/{flow}/on")
    body = {"order": {"lines": [{"what": "reeds", "many": 61}, {"what": "leather", "many": "2"}]}}
    tried = orla.api("POST", f"/workflows/{flow}/address/test", json={"body": json.dumps(body)})
    assert (tried["status"], tried["answer"]["taken"]) == (202, True)
    until(lambda: len(orla.records(kept["id"])) == 2)
    rows = sorted((r["values"][what], r["values"][many]) for r in orla.records(kept["id"]))
    assert rows == [("leather", "2"), ("reeds", "61")]


def test_a_test_request_proves_all_that_is_asked_for_and_shows_the_answer(door):
    orla, at = door
    at.build(on=False, signed=True, secret=True, ranges=["192.0.2.0/24"])

    def send(body: str, **more):
        return orla.api("POST", f"/workflows/{at.workflow}/address/test", json={"body": body, **more})

    told = send(json.dumps(ADA), query="?page=2", headers={"X-Event": "paid"})
    assert told["status"] == 202 and told["answer"]["not_declared"] == ["query page", "header x-event"]
    assert send("{")["status"] == 400 and "line 1, column 2" in send("{")["answer"]["title"]
    orla.api("POST", f"/workflows/{at.workflow}/on")
    wrong = send("{}")
    assert (wrong["status"], list(wrong["answer"]["fields"])) == (422, ["customer.name"])
    without = orla.workflow("Nothing yet", {"lines": [{"verb": "when", "id": "w", "own": {"kind": "address"}}]})
    orla.api("POST", f"/workflows/{without}/address/test", expect=409, json={})


def test_a_sample_shows_what_is_declared_of_it_since(door):
    orla, at = door
    at.inputs = []
    at.build(on=False)
    at.send({**ADA, "lines": [{"what": "reeds"}]})
    document = orla.api("GET", f"/workflows/{at.workflow}")["document"]
    document["lines"][0]["own"] |= {
        "inputs": [{"key": "sum", "type": "number"}, {"key": "customer", "type": "text"}],
        "lists": [{"key": "lines", "fields": [{"key": "what"}]}],
    }
    [cells] = orla.api("POST", f"/workflows/{at.workflow}/rehearse", json={"document": document})["cells"].values()
    assert cells[0]["state"] == "in"
    version = orla.api("GET", f"/workflows/{at.workflow}")["draft_version"]
    saved = {"name": "Orders", "document": document}
    orla.api("PUT", f"/workflows/{at.workflow}", json=saved, headers={"if-match": str(version)})
    [sample] = orla.api("GET", f"/workflows/{at.workflow}/samples")
    assert sample["values"]["sum"] == "12.5" and sample["lists"] == {"lines": [{"what": "reeds"}]}
    assert "customer" not in sample["values"]  # it is nested, and no text
