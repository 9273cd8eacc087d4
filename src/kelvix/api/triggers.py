"""What starts a workflow in Kelvix itself: its address, the times of its schedule, its buttons."""

from __future__ import annotations

import json
import secrets
from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Header
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core import schedule, sources
from kelvix.core.fields import TYPES
from kelvix.core.values import Unfit
from kelvix.core.workflow import Address, Input, Schedule
from kelvix.engine.subscriptions import records, requests
from kelvix.engine.versions import Versions
from kelvix.workspace import addresses, workflows

router = APIRouter(prefix="/api/v1", tags=["triggers"])
MAX_RECORDS = 500


class AddressOut(BaseModel):
    """`example` is a request that can be sent as it stands. `secret` is shown when the address is made, and not again."""

    address: str
    secret: str | None
    example: str


class TimesOut(BaseModel):
    """The next times of a schedule, and how often it comes round in thirty days; or what is wrong with it."""

    times: list[datetime]
    a_month: int
    problem: str


class LearnedOut(BaseModel):
    inputs: list[Input]


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


def _example(address: str, own: Address | None) -> str:
    """Return a ready-made request for a shell."""
    body: dict[str, Any] = {}
    for one in own.inputs if own else ():
        at = body
        *above, last = one.key.split(".")
        for part in above:
            at = at.setdefault(part, {})
            if not isinstance(at, dict):
                break
        if isinstance(at, dict):
            at[last] = TYPES[one.type].example
    data = json.dumps(body, ensure_ascii=False).replace("'", "'\\''")
    return f"curl -X POST '{address}' -H 'content-type: application/json' -d '{data}'"


@router.get("/workflows/{workflow_id}/address")
def get_address(who: Editor, workflow_id: int) -> AddressOut | None:
    """Return the workflow's own address; nothing where none was made yet."""
    kept = workflows.get(who.space, workflow_id)
    token = addresses.token(who.engine, who.space, workflow_id)
    return _address_out(who, kept, token, None) if token else None


def _address_out(who: Caller, kept: workflows.Kept, token: str, secret: str | None) -> AddressOut:
    address = requests.address_of(who.engine, who.space, token)
    own = kept.draft.when.own
    return AddressOut(address=address, secret=secret, example=_example(address, own if isinstance(own, Address) else None))


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
    return LearnedOut(inputs=list(sources.learned(addresses.last_body(who.space, workflow_id))))


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
