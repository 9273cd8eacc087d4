"""What workflows cost in calls and runs, by connection, and what will not last once one is turned on."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Reader
from kelvix.engine.costing import LOOKED_BACK, RunningOut
from kelvix.workspace import costs, workflows

router = APIRouter(prefix="/api/v1", tags=["connections"])


class ShareOut(BaseModel):
    """What a workflow is expected to do in a month by the connection."""

    workflow: int
    name: str
    runs: int | None = Field(description="none where nothing says how many")
    told_from: str
    calls: int


class LimitOut(BaseModel):
    """An app takes `most` calls in `window` seconds."""

    most: int
    window: int
    left: int
    resets: datetime


class DayOut(BaseModel):
    day: date = Field(description="in UTC")
    calls: int


class RunningOutOut(BaseModel):
    at: datetime
    sentence: str
    advice: str


class CostsOut(BaseModel):
    """`days`: the calls of the last thirty days, of those with any; `runs`, `calls`: expected in a month."""

    days: list[DayOut]
    made: int
    had: int = Field(description="runs of the last thirty days, of the workflows that use the connection")
    calls: int
    runs: int
    shares: list[ShareOut]
    limits: list[LimitOut]
    warning: RunningOutOut | None


def _said(one: RunningOut) -> RunningOutOut:
    return RunningOutOut(at=one.at, sentence=f"{one.sentence}.", advice=one.advice)


@router.get("/connections/{connection_id}/costs")
def connection_costs(who: Reader, connection_id: int) -> CostsOut:
    found, warning = costs.of_connection(who.engine, who.space, connection_id)
    since = datetime.now(UTC).date() - timedelta(days=LOOKED_BACK)
    days = sorted((day, number) for day, number in found.made.items() if day > since)
    return CostsOut(
        days=[DayOut(day=day, calls=number) for day, number in days],
        made=sum(number for _, number in days),
        had=found.had,
        calls=found.calls,
        runs=found.runs,
        shares=[ShareOut(**share.__dict__) for share in found.shares],
        limits=[LimitOut(most=one.most, window=one.window, left=max(one.left, 0), resets=one.resets) for one in found.limits],
        warning=_said(warning) if warning else None,
    )


@router.get("/workflows/{workflow_id}/costs")
def workflow_costs(who: Reader, workflow_id: int) -> list[RunningOutOut]:
    """Return what will not last once this workflow is on, with those that are."""
    kept = workflows.get(who.space, workflow_id)
    return [_said(one) for one in costs.before_turning_on(who.engine, who.space, kept)]
