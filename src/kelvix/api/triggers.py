"""What starts a workflow in Kelvix itself: its address, the times of its schedule, its buttons."""

from __future__ import annotations

import json
import secrets
from datetime import UTC, datetime
from typing import Annotated, Any, Literal
from urllib.parse import urlencode

from fastapi import APIRouter, Header
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core import requests as core
from kelvix.core import schedule
from kelvix.core.fields import TYPES
from kelvix.core.values import Unfit
from kelvix.core.workflow import Address, Input, InputList, Schedule
from kelvix.engine.subscriptions import records, requests
from kelvix.engine.subscriptions.requests import MAX_BYTES
from kelvix.engine.versions import Versions
from kelvix.workspace import addresses, workflows

router = APIRouter(prefix="/api/v1", tags=["triggers"])
MAX_RECORDS = 500


class AddressOut(BaseModel):
    """`example` is a request that can be sent as it stands, `example_body` its body. `secret` is shown when the address is
    made, and not again."""

    address: str
    secret: str | None
    example: str
    example_body: str


class TimesOut(BaseModel):
    """The next times of a schedule, and how often it comes round in thirty days; or what is wrong with it."""

    times: list[datetime]
    a_month: int
    problem: str


class LearnedOut(BaseModel):
    inputs: list[Input]
    lists: list[InputList]


class TestIn(BaseModel):
    """A request as it is composed: a body of JSON, and what stands behind the address."""

    body: str = Field("{}", max_length=MAX_BYTES)
    query: str = Field("", max_length=2000, examples=["source=form&page=2"])
    headers: dict[str, str] = Field({}, max_length=20)


class TestOut(BaseModel):
    """What the address answered."""

    status: int
    answer: dict[str, Any]


class ButtonOut(BaseModel):
    """A workflow that can be started by hand, for records or by the database's own button; one whose trigger is a button says
    what stands on it."""

    workflow: int
    name: str
    button: str | None
    of: Literal["record", "database"]


class PressIn(BaseModel):
    """`records` are those that it is started for: none, for a database's own button."""

    records: list[int] = Field([], max_length=MAX_RECORDS)


class PressOut(BaseModel):
    started: int


def _put(body: dict[str, Any], key: str, value: Any) -> None:
    """Put a value where its dotted name leads, unless something else stands in the way."""
    at = body
    *above, last = key.split(".")
    for part in above:
        at = at.setdefault(part, {})
        if not isinstance(at, dict):
            return
    at[last] = value


def _example_body(own: Address | None) -> dict[str, Any]:
    """Return a body that fits what is declared."""
    body: dict[str, Any] = {}
    for one in (i for i in own.inputs if i.place == "body") if own else ():
        _put(body, one.key, TYPES[one.type].example)
    for several in own.lists if own else ():
        _put(body, several.key, [{f.key: TYPES[f.type].example for f in several.fields if f.key != core.ITSELF}])
    return body


def _example(address: str, own: Address | None) -> str:
    """Return a ready-made request for a shell."""
    data = json.dumps(_example_body(own), ensure_ascii=False).replace("'", "'\\''")
    query = urlencode({i.key: TYPES[i.type].example for i in own.inputs if i.place == "query"}) if own else ""
    headers = [f"{i.key}: {TYPES[i.type].example}" for i in own.inputs if i.place == "header"] if own else []
    headers += ["authorization: Bearer SECRET"] if own and own.secret else []
    more = "".join(f" -H '{one}'" for one in headers)
    return f"curl -X POST '{address}{query and '?' + query}' -H 'content-type: application/json'{more} -d '{data}'"


@router.get("/workflows/{workflow_id}/address")
def get_address(who: Editor, workflow_id: int) -> AddressOut | None:
    """Return the workflow's own address; nothing where none was made yet."""
    kept = workflows.get(who.space, workflow_id)
    token = addresses.token(who.engine, who.space, workflow_id)
    return _address_out(who, kept, token, None) if token else None


def _address_out(who: Caller, kept: workflows.Kept, token: str, secret: str | None) -> AddressOut:
    address = requests.address_of(who.engine, who.space, token)
    own = kept.draft.when.own
    declared = own if isinstance(own, Address) else None
    body = json.dumps(_example_body(declared), ensure_ascii=False, indent=2)
    return AddressOut(address=address, secret=secret, example=_example(address, declared), example_body=body)


@router.post("/workflows/{workflow_id}/address")
def make_address(who: Editor, workflow_id: int) -> AddressOut:
    """Make the workflow's address and the secret that signs requests to it, or make them anew: then the old address leads
    nowhere."""
    kept = workflows.get(who.space, workflow_id)
    token, secret = addresses.make(who.engine, who.space, workflow_id)
    return _address_out(who, kept, token, secret)


@router.post("/workflows/{workflow_id}/learn")
def learn_inputs(who: Reader, workflow_id: int) -> LearnedOut:
    """Return the names and types of what the last request brought that was kept as a sample."""
    workflows.get(who.space, workflow_id)
    inputs, lists = core.learned(addresses.last_request(who.space, workflow_id))
    return LearnedOut(inputs=list(inputs), lists=list(lists))


@router.post("/workflows/{workflow_id}/address/test")
def send_test(who: Editor, workflow_id: int, body: TestIn) -> TestOut:
    """Send a request to the workflow’s own address, with all that it must prove, and return the answer. Where the workflow is
    on, it runs."""
    workflows.get(who.space, workflow_id)
    return TestOut(**addresses.send_test(who.engine, who.space, workflow_id, body.body, body.query, body.headers))


@router.post("/schedule")
def look_ahead(who: Reader, body: Schedule) -> TimesOut:
    """When a schedule comes round."""
    now = datetime.now(UTC)
    problem = schedule.check(body, who.space.zone, now)
    try:
        times = schedule.next_times(body, who.space.zone, now, 5)
        return TimesOut(times=times, a_month=0 if problem else schedule.a_month(body, who.space.zone, now), problem=problem)
    except (Unfit, OverflowError):
        return TimesOut(times=[], a_month=0, problem=problem)


@router.get("/databases/{database_id}/buttons")
def list_buttons(who: Reader, database_id: int) -> list[ButtonOut]:
    """Return the workflows that are on and can be started by hand: for this database's records, or by a button of its own."""
    return [
        ButtonOut(workflow=b.workflow.id, name=b.workflow.name, button=b.name, of="database" if b.of_database else "record")
        for b in addresses.buttons(who.space, database_id)
    ]


@router.post("/workflows/{workflow_id}/press", status_code=202)
def press(
    who: Editor, workflow_id: int, body: PressIn, idempotency_key: Annotated[str | None, Header(max_length=200)] = None
) -> PressOut:
    """Start a workflow for chosen records."""
    workflows.get(who.space, workflow_id)
    key = f"{who.person.id}/{idempotency_key}" if idempotency_key else secrets.token_hex(16)
    try:
        started = records.press(who.engine, Versions(), who.space, workflow_id, body.records, key, who.person.name)
    except records.NotStarted as why:
        raise Problem(409, "Nothing was started.", f"{str(why)[:1].upper()}{str(why)[1:]}.") from None
    return PressOut(started=started)
