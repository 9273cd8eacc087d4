"""The day and the weeks in figures, and what needs a person."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date, datetime
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel

from kelvix.api.access import Caller, Reader
from kelvix.core.day_figures import Day
from kelvix.engine import attention
from kelvix.engine.attention import Cause, Kind
from kelvix.workspace import today
from kelvix.workspace.today import End, Entry, Mirrored

router = APIRouter(prefix="/api/v1", tags=["today"])


class DayOut(BaseModel):
    """`success` is the share of those that were carried or failed; delays are in seconds."""

    day: date
    done: int
    passed_by: int
    failed: int
    others: int
    success: float | None
    usual_delay: float | None
    long_delay: float | None


class TodayOut(BaseModel):
    """`slowest` is how long the slowest run of today took, in seconds. `days` are the last thirty, today the last of them.
    `mirrored`: how much crossed in mirrors; null where there are none."""

    came_in: int
    went_out: int
    mirrored: int | None
    success: float | None
    slowest: float | None
    slowest_run: int | None
    needs: int
    days: list[DayOut]
    partial: bool


class CauseOut(BaseModel):
    kind: Kind
    key: str
    sentence: str
    advice: str
    at: datetime
    workflow: int | None
    workflow_name: str
    connection: int | None
    run: int | None
    count: int
    mirror: int | None


def _day_out(day: Day) -> DayOut:
    return DayOut(**asdict(day))


def _causes(who: Caller) -> list[Cause]:
    return attention.causes(who.engine, who.space)


@router.get("/today")
def get_today(who: Reader) -> TodayOut:
    """Return the figures of today, by the workspace's clock, and of the thirty days before."""
    seen = today.figures(who.space)
    return TodayOut(
        came_in=seen.today.total,
        went_out=seen.went_out,
        mirrored=seen.mirrored,
        success=seen.today.success,
        slowest=seen.slowest[0],
        slowest_run=seen.slowest[1],
        needs=seen.questions + len(_causes(who)),
        days=[_day_out(d) for d in seen.days],
        partial=seen.partial,
    )


@router.get("/attention")
def list_attention(who: Reader, also_never_on: bool = False) -> list[CauseOut]:
    """Return what needs a person besides the questions of runs, the gravest first."""
    causes = _causes(who) + (attention.never_on(who.space) if also_never_on else [])
    return [CauseOut(**asdict(c)) for c in causes]


class EndOut(BaseModel):
    """An end of a crossing: the app, and the place in it; nothing where it went nowhere."""

    app: str
    monogram: str
    name: str


class EntryOut(BaseModel):
    """A run as the day's list shows it: what came from where, and where it went; or what crossed in a mirror, with its number
    (`crossing`), where `by` is the mirror and `kind` says what was done: create, update, delete,
    restore or comment."""

    run: int | None
    workflow: int | None
    mirror: int | None
    crossing: int | None
    by: str
    kind: str
    at: datetime
    source: EndOut
    targets: list[EndOut]
    title: str
    state: str
    said: str
    seconds: float | None


class DayListOut(BaseModel):
    entries: list[EntryOut]
    next: int | None


@router.get("/today/list")
def list_day(who: Reader, before: int | None = None, limit: Annotated[int, Query(ge=1, le=200)] = 30) -> DayListOut:
    """List received items, written results, and what crossed in mirrors, newest first, today before earlier days."""
    found, onward = today.entries(who.engine, who.space, before, limit)
    return DayListOut(entries=[_entry(one) for one in found], next=onward)


def _end(end: End) -> EndOut:
    return EndOut(app=end.app, monogram=end.monogram, name=end.name)


def _entry(one: Entry | Mirrored) -> EntryOut:
    if isinstance(one, Mirrored):
        return _mirrored(one)
    run = one.run
    return EntryOut(
        run=run.id,
        workflow=run.workflow_id,
        mirror=None,
        crossing=None,
        by=run.workflow,
        kind=run.kind,
        at=run.created_at,
        source=_end(one.source),
        targets=[_end(e) for e in one.targets],
        title=run.title or f"item {run.item_id}",
        state=run.state,
        said=(run.problem or {}).get("sentence", ""),
        seconds=(run.finished_at - run.created_at).total_seconds() if run.finished_at else None,
    )


def _mirrored(one: Mirrored) -> EntryOut:
    crossing = one.crossing
    return EntryOut(
        run=None,
        workflow=None,
        mirror=one.mirror,
        crossing=crossing.n,
        by=one.mirror_name,
        kind=crossing.kind,
        at=crossing.at,
        source=_end(one.source),
        targets=[_end(one.target)],
        title=crossing.title or f"item {crossing.item_id}",
        state="done",
        said="",
        seconds=crossing.delay_ms / 1000 if crossing.delay_ms is not None else None,
    )
