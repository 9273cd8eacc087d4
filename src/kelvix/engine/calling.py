"""Sending a web request from a run. What is about to be sent is recorded first, so that it is known afterwards that it may have
arrived; whether one that had no answer did, a person says, unless it can be sent again without harm."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from kelvix.connectors import guarded_http
from kelvix.core import web_request
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.feel import Env
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.outcome import Requested, WebCall
from kelvix.core.values import shorten, to_wire
from kelvix.core.web_request import Answered
from kelvix.core.workflow import WebRequest
from kelvix.engine.engine import Engine
from kelvix.store import kept_secrets
from kelvix.store.directory import Space
from kelvix.store.runs import Claim

MOST_KEPT = 20_000  # characters of an answer
LATER = (408, 425, 429)  # answers that ask to come again (RFC 9110; RFC 8470)
UNKNOWN = (502, 504)  # answers of a gateway that does not know what became of the request (RFC 9110, 15.6)
HIDDEN = "•••"


@dataclass(frozen=True)
class Sending:
    """A request that is about to be sent, as it is recorded: the same however often it is sent."""

    call: WebCall
    attempt: int

    def recorded(self, code: str) -> Requested:
        """As it is recorded: sending, to_send, in_doubt or sent."""
        call = self.call
        headers, secrets = [list(h) for h in call.headers], [list(s) for s in call.secrets]
        return Requested(code, self.attempt, call.method, call.address, headers, secrets, call.body)


def as_kept(kept: Requested) -> Sending:
    """Return what was about to be sent, from what was recorded."""
    headers = tuple((name, value) for name, value in kept.headers)
    secrets = tuple((name, number) for name, number in kept.secrets)
    return Sending(WebCall(kept.method, kept.address, headers, secrets, kept.body), kept.attempt)


def send(engine: Engine, space: Space, claim: Claim, line: WebRequest, sending: Sending, key: str, env: Env) -> Requested:
    """Send it, once: what is recorded of the answer. Raises TransientError where it is known not to have been taken,
    PermanentError where it was refused, UnknownOutcomeError where it is not known."""
    call = sending.call
    secrets = {name: _secret(engine, space, claim, number) for name, number in call.secrets}
    headers = dict(call.headers) | secrets | {
        "user-agent": "Kelvix",
        "accept": "application/json, */*;q=0.5",
        "accept-encoding": "gzip, deflate",
        "idempotency-key": key,
        "kelvix-attempt": str(sending.attempt),
        "kelvix-source": f"workflow={claim.workflow_id}; run={claim.run_id}; line={line.id}",
    }  # fmt: skip
    body = call.body.encode() if call.body else None
    if body is not None:
        headers["content-type"] = "application/json; charset=utf-8"
    target = guarded_http.resolve(call.address, engine.settings.may_reach)
    answer = guarded_http.send(call.method, target, headers, body)
    text = answer.text
    for secret in filter(None, secrets.values()):  # a receiver that says it back must not make it readable here
        text = text.replace(secret, HIDDEN)
    said = f": {shorten(' '.join(text.split()), 200)}" if text.strip() else ""
    if web_request.succeeds(line, answer.status):
        return _answered(line, sending.recorded("sent"), answer.status, text, env)
    if answer.status in UNKNOWN and not web_request.repeatable(line):
        raise UnknownOutcomeError(f"a gateway of {target.host} answered {answer.status}")
    if answer.status in LATER or answer.status >= 500:
        raise TransientError(f"{target.host} answered {answer.status}{said}", answer.wait)
    if answer.moved_to:
        raise PermanentError(
            f"{target.host} answered {answer.status} and points to {shorten(answer.moved_to, 120)}: "
            "redirects are not followed; use that address if it is right",
            "call",
        )
    raise PermanentError(f"{target.host} did not take the request: it answered {answer.status}{said}", "call")


def _secret(engine: Engine, space: Space, claim: Claim, number: int) -> str:
    found = space.read(lambda t: kept_secrets.read(t, engine.vault, space.id, claim.workflow_id, number))
    if found is None:
        raise PermanentError("the secret of a header is not kept here any more; type it anew", "call")
    return found


def _answered(line: WebRequest, sent: Requested, status: int, text: str, env: Env) -> Requested:
    read = web_request.answered(line, status, text, env)
    return replace(sent, status=status, answer=text[:MOST_KEPT], taken={k: to_wire(v) for k, v in read.values.items()})


def as_recorded(line: WebRequest, sent: Requested, carried: Carried) -> Carried:
    """Return what lines below can use of an answer."""
    types = {i.key: i.type for i in line.takes}
    values = {k: from_wire(v, types[k]) for k, v in (sent.taken or {}).items() if k in types}
    return web_request.carry_on(line, Answered(sent.status, sent.answer or "", values), carried)


def doubt(sending: Sending, why: str, zone_text: str) -> dict[str, Any]:
    """Return what a person is asked about a request of which it is not known that it arrived."""
    call = sending.call
    shown = [("Sent to", f"{call.method} {call.address}"), ("When", zone_text), ("Attempt", str(sending.attempt)), ("Why", why)]
    if call.body:
        shown.append(("What was sent", _short(call.body)))
    return {
        "question": "It is not known whether a web request arrived. Look there: did it?",
        "values": [{"name": name, "text": text} for name, text in shown],
    }


def _short(body: str) -> str:
    try:
        return shorten(json.dumps(json.loads(body), ensure_ascii=False), 600)
    except ValueError:
        return shorten(body, 600)


def now_text(env: Env) -> str:
    return datetime.now(UTC).astimezone(env.zone).strftime("%-d %b %Y %H:%M:%S")
