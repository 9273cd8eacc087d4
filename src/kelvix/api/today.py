"""The day and the weeks in figures, and what needs a person."""

from __future__ import annotations

from dataclasses import asdict
from datetime import UTC, date, datetime, timedelta
from datetime import time as clock

from fastapi import APIRouter
from pydantic import BaseModel

from kelvix.api.access import Caller, Reader
from kelvix.core.day_figures import Day, Ended, by_day
from kelvix.engine import attention
from kelvix.engine.attention import Cause, Kind
from kelvix.store import questions, statistics
from kelvix.store.database_server import Transaction

router = APIRouter(prefix="/api/v1", tags=["today"])
DAYS = 30


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
    """`slowest` is how long the slowest run of today took, in seconds. `days` are the last thirty, today the last of them."""

    came_in: int
    went_out: int
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


def _day_out(day: Day) -> DayOut:
    return DayOut(**asdict(day))


def _causes(who: Caller) -> list[Cause]:
    return attention.of(who.space)


@router.get("/today")
def get_today(who: Reader) -> TodayOut:
    """The figures of today, by the workspace's clock, and of the thirty days before."""
    zone = who.space.zone
    today = datetime.now(zone).date()
    midnight = datetime.combine(today, clock(), zone).astimezone(UTC)

    def work(t: Transaction) -> tuple[list[Ended], dict[int, int], int, int]:
        rows = statistics.ended_since(t, who.space.id, midnight - timedelta(days=DAYS - 1))
        ended = [Ended(r["state"], r["created_at"], float(r["seconds"]) if r["seconds"] is not None else None) for r in rows]
        ids = {n: r["id"] for n, r in enumerate(rows)}
        return ended, ids, statistics.went_out_since(t, who.space.id, midnight), len(questions.open_ones(t, who.space.id))

    ended, ids, went_out, asked = who.space.read(work)
    days = by_day(ended, zone, today, DAYS)
    slow = max(
        ((r.seconds, ids[n]) for n, r in enumerate(ended) if r.seconds is not None and r.at >= midnight),
        default=(None, None),
    )
    return TodayOut(
        came_in=days[-1].total,
        went_out=went_out,
        success=days[-1].success,
        slowest=slow[0],
        slowest_run=slow[1],
        needs=asked + len(_causes(who)),
        days=[_day_out(d) for d in days],
        partial=len(ended) >= statistics.MOST,
    )


@router.get("/attention")
def list_attention(who: Reader, also_never_on: bool = False) -> list[CauseOut]:
    """What needs a person besides the questions of runs, the gravest first."""
    causes = _causes(who) + (attention.never_on(who.space) if also_never_on else [])
    return [CauseOut(**asdict(c)) for c in causes]
