"""The intake of pushes: signed by the Standard Webhooks scheme, checked against that scheme's own package."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta

import httpx2 as httpx
import pytest
from standardwebhooks import Webhook, WebhookVerificationError

from kelvix.formats import webhook_signature
from kelvix.store import subscriptions
from support import turn_on, until

# The scheme's published test values (Standard Webhooks, libraries' own test of `sign`), from memory.
SECRET = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"
MESSAGE, STAMP, BODY = "msg_p5jXN8AQM9LWM0D4loKWxJek", 1614265330, b'{"test": 2432232314}'
SIGNATURE = "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE="


def test_the_schemes_published_values():
    assert webhook_signature.sign(SECRET, MESSAGE, STAMP, BODY) == SIGNATURE
    assert webhook_signature.verify(SECRET, MESSAGE, str(STAMP), f"v1,AAAA {SIGNATURE}", BODY, STAMP + 10)


def test_it_agrees_with_the_reference_package_both_ways():
    now = datetime.now(UTC)
    secret = webhook_signature.new_secret()
    theirs = Webhook(secret)
    stamp = int(now.timestamp())
    mine = webhook_signature.sign(secret, "m1", stamp, BODY)
    assert theirs.sign("m1", now, BODY.decode()) == mine
    headers = {"webhook-id": "m1", "webhook-timestamp": str(stamp), "webhook-signature": mine}
    assert theirs.verify(BODY, headers) == json.loads(BODY)
    with pytest.raises(WebhookVerificationError):
        theirs.verify(BODY + b" ", headers)
    assert not webhook_signature.verify(secret, "m1", str(stamp), mine, BODY + b" ", stamp)


@pytest.mark.parametrize(
    ("stamp", "signature"),
    [
        ("soon", SIGNATURE),
        (str(STAMP - 400), SIGNATURE),
        (str(STAMP + 400), SIGNATURE),
        (str(STAMP), ""),
        (str(STAMP), "v2," + SIGNATURE[3:]),
    ],
)
def test_what_does_not_prove_itself(stamp, signature):
    assert not webhook_signature.verify(SECRET, MESSAGE, stamp, signature, BODY, STAMP)


@pytest.fixture
def pushed(orla):
    """A workflow that is on, its subscription, and a way to push to it."""
    orla.faults(push="never")
    on = turn_on(orla)
    of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow))
    vault = orla.kelvix.engine.vault
    secret = orla.space.read(lambda t: subscriptions.push_secret(t, vault, orla.space.id, of.id))

    def push(content, *, signed_with=secret, at=None, workspace=orla.space.id, subscription=of.id, raw=None):
        body = raw if raw is not None else json.dumps(content).encode()
        stamp = int((at or datetime.now(UTC)).timestamp())
        headers = {
            "webhook-id": "m",
            "webhook-timestamp": str(stamp),
            "webhook-signature": webhook_signature.sign(signed_with, "m", stamp, body),
        }
        return httpx.post(
            f"{orla.kelvix.address}/hooks/{workspace}/{subscription}", content=body, headers=headers, trust_env=False
        ).status_code

    yield on, push
    orla.faults()


def test_a_push_is_committed_before_it_is_accepted_and_once(pushed):
    on, push = pushed
    on.person.deliver("Told")
    content = {"container": str(on.person.folders["Enquiries"]), "item": str(on.newest_message())}
    assert [push(content) for _ in range(3)] == [202, 202, 202]
    told = on.person.space.rows("SELECT came_by FROM source_change WHERE workspace_id=%s", (on.person.space.id,))
    assert [one["came_by"] for one in told] == ["push"]
    assert until(on.titles) == ["Told"]


def test_pushes_that_are_refused(pushed):
    on, push = pushed
    content = {"container": str(on.person.folders["Enquiries"]), "item": "1"}
    assert push(content, signed_with=webhook_signature.new_secret()) == 401
    assert push(content, at=datetime.now(UTC) - timedelta(minutes=10)) == 401
    assert push(content, workspace=10**9) == 401
    assert push(content, subscription=10**9) == 401
    assert push(None, raw=b"not json") == 400
    assert push(None, raw=b"[]") == 400
    assert push({"item": "1"}) == 400
    assert push(None, raw=b"x" * 70_000) == 413
    assert push({"container": "999", "item": "1"}) == 202  # of another folder: nothing to do
    on.person.api("POST", f"/workflows/{on.workflow}/off")
    assert push(content) == 410
    assert on.person.space.rows("SELECT id FROM event WHERE workspace_id=%s", (on.person.space.id,)) == []


def test_an_item_that_is_not_there_fails_its_run_and_says_so(pushed):
    on, push = pushed
    assert push({"container": str(on.person.folders["Enquiries"]), "item": "987654321"}) == 202
    [run] = until(lambda: on.person.runs(on.workflow, "failed"))
    assert "no longer exists" in run["problem"]
