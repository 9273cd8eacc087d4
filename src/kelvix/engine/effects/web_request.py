"""Sending a web request from a run. Whether one that had no answer arrived, a person says, unless it can be sent again without
harm."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import structlog

from kelvix.connectors import guarded_http
from kelvix.core import outcome
from kelvix.core.cells import Cell, Finding
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.feel import Env
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.lines import web_request
from kelvix.core.lines.web_request import Answered, WebRequest
from kelvix.core.outcome import Outcome, Requested, SendRequest, WebCall
from kelvix.core.values import shorten, to_wire
from kelvix.core.walking import Place
from kelvix.engine.effects.effect import Effect
from kelvix.engine.engine import Engine
from kelvix.engine.outside import Outside
from kelvix.engine.remote_write import RemoteWrite
from kelvix.store import kept_secrets
from kelvix.store.directory import Space
from kelvix.store.runs import Claim

MAX_KEPT = 20_000  # characters of an answer
LATER = (408, 425, 429)  # answers that ask to come again (RFC 9110; RFC 8470)
HIDDEN = "•••"
log = structlog.stdlib.get_logger(__name__)


@dataclass(frozen=True)
class Request(RemoteWrite):
    """A web request of a run. Its payload is the call, without what is secret in its headers."""

    engine: Engine
    space: Space
    claim: Claim
    line: WebRequest
    env: Env
    payload: Mapping[str, Any]

    question = "Unconfirmed: did a web request arrive? Check the receiving service."

    def repeats(self) -> bool:
        return web_request.repeatable(self.line)

    def execute(self, intent: Intent) -> Any:
        """Send it, once: what is recorded of the answer. Raises TransientError where it is known not to have been taken,
        PermanentError where it was refused, UnknownOutcomeError where it is not known."""
        call, claim = _call(intent), self.claim
        secrets = {name: _secret(self.engine, self.space, claim, number) for name, number in call.secrets}
        headers = dict(call.headers) | secrets | {
            "user-agent": "Kelvix",
            "accept": "application/json, */*;q=0.5",
            "accept-encoding": "gzip, deflate",
            "idempotency-key": intent.key,
            "kelvix-attempt": str(intent.attempt),
            "kelvix-source": f"workflow={claim.workflow_id}; run={claim.run_id}; line={self.line.id}",
        }  # fmt: skip
        body = call.body.encode() if call.body else None
        if body is not None:
            headers["content-type"] = "application/json; charset=utf-8"
        target = guarded_http.resolve(call.address, self.engine.settings.may_reach)
        answer = guarded_http.send(call.method, target, headers, body)
        text = answer.text
        for secret in filter(None, secrets.values()):  # a receiver that says it back must not make it readable here
            text = text.replace(secret, HIDDEN)
        said = f": {shorten(' '.join(text.split()), 200)}" if text.strip() else ""
        if web_request.succeeds(self.line, answer.status):
            read = web_request.answered(self.line, answer.status, text, self.env)
            taken = {k: to_wire(v) for k, v in read.values.items()}
            return replace(recorded("sent", intent), status=answer.status, answer=text[:MAX_KEPT], taken=taken).kept()
        if answer.status >= 500:
            raise UnknownOutcomeError(f"{target.host} answered {answer.status}{said}", answer.wait)
        if answer.status in LATER:
            raise TransientError(f"{target.host} answered {answer.status}{said}", answer.wait)
        if answer.moved_to:
            raise PermanentError(
                f"{target.host} answered {answer.status} and redirects to {shorten(answer.moved_to, 120)}. "
                "Redirects are not followed; use that address if it is correct",
                "call",
            )
        raise PermanentError(f"{target.host} did not accept the request: it answered {answer.status}{said}", "call")

    def arrived(self, intent: Intent, by: str | None) -> Any:
        return replace(recorded("sent", intent), by=by).kept()

    def under_way(self, code: str, intent: Intent) -> Outcome | None:
        return recorded(code, intent)

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        call = _call(intent)
        return [("Sent to", f"{call.method} {call.address}"), *([("What was sent", _short(call.body))] if call.body else [])]


def payload(call: WebCall) -> dict[str, Any]:
    """Return a call as JSON."""
    headers, secrets = [list(h) for h in call.headers], [list(s) for s in call.secrets]
    return {"method": call.method, "address": call.address, "headers": headers, "secrets": secrets, "body": call.body}


def _call(intent: Intent) -> WebCall:
    kept = intent.payload
    headers, secrets = (tuple((name, value) for name, value in kept[key]) for key in ("headers", "secrets"))
    return WebCall(kept["method"], kept["address"], headers, secrets, kept["body"])


def recorded(code: str, intent: Intent) -> Requested:
    """Return what is recorded of a request with its line, by the code of what became of it."""
    return Requested(code, intent.attempt, **intent.payload)


def _secret(engine: Engine, space: Space, claim: Claim, number: int) -> str:
    found = space.read(lambda t: kept_secrets.read(t, engine.vault, space.id, claim.workflow_id, number))
    if found is None:
        raise PermanentError("the secret of a header is no longer saved. Enter it again", "call")
    return found


def _short(body: str) -> str:
    try:
        return shorten(json.dumps(json.loads(body), ensure_ascii=False), 600)
    except ValueError:
        return shorten(body, 600)


class WebRequestEffect(Effect[WebRequest]):
    recalls = Requested

    def execute(self, run: Outside, line: WebRequest, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        assert isinstance(cell.would, SendRequest)
        one = Request(run.engine, run.space, run.claim, line, run.context.env, payload(cell.would.call))
        made, end = run.write_outside(line, place, carried, one, lambda kept: outcome.read("sent", kept))
        return (carried, end) if end else self.as_recorded(run, line, outcome.read("sent", made), carried)

    def as_recorded(self, run: Outside, line: WebRequest, done: Any, carried: Carried) -> tuple[Carried, str]:
        types = {i.key: i.type for i in line.takes}
        values = {k: from_wire(v, types[k]) for k, v in (done.taken or {}).items() if k in types}
        return web_request.carry_on(line, Answered(done.status, done.answer or "", values), carried), ""

    def may(self, engine: Engine, space: Space, line: WebRequest) -> list[Finding]:
        """Of an address that is known before the run."""
        if len(line.address) != 1 or not line.address[0].text:
            return []
        try:
            guarded_http.resolve(line.address[0].text.strip(), engine.settings.may_reach)
        except PermanentError as failure:
            return [Finding(line.id, str(failure), key="address")]
        except TransientError:
            log.info("the address of a web request can’t be looked up now; its runs will", line=line.id)
        return []


EFFECT = WebRequestEffect()
