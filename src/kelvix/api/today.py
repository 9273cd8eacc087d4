"""The day and the weeks in figures, and what needs a person."""

from __future__ import annotations

from dataclasses import asdict
from datetime import UTC, date, datetime, timedelta
from datetime import time as clock
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import APIRouter, Query
from pydantic import BaseModel

from kelvix.api.access import Caller, Reader
from kelvix.core.day_figures import Day, Ended, by_day
from kelvix.core.outcome import FileSaved, MailsSent, RanAnother, Requested, Wrote
from kelvix.core.workflow import Address, RecordEvent, Schedule, Workflow
from kelvix.engine import attention, versions
from kelvix.engine.attention import Cause, Kind
from kelvix.remembering import Remembered
from kelvix.store import databases, questions, runs, statistics
from kelvix.store.database_server import Transaction
from kelvix.store.runs import Run, RunLine

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


_PAST: Remembered[tuple[list[Day], bool]] = Remembered(200, statistics.FRESH)  # of the days that are over


def _day_out(day: Day) -> DayOut:
    return DayOut(**asdict(day))


def _causes(who: Caller) -> list[Cause]:
    return attention.causes(who.space)


@router.get("/today")
def get_today(who: Reader) -> TodayOut:
    """Return the figures of today, by the workspace's clock, and of the thirty days before."""
    zone = who.space.zone
    today = datetime.now(zone).date()
    midnight = datetime.combine(today, clock(), zone).astimezone(UTC)

    def ended(t: Transaction, since: datetime, until: datetime) -> list[tuple[int, Ended]]:
        rows = statistics.ended_between(t, who.space.id, since, until)
        seconds = [float(r["seconds"]) if r["seconds"] is not None else None for r in rows]
        return [(r["id"], Ended(r["state"], r["created_at"], s)) for r, s in zip(rows, seconds, strict=True)]

    def past(t: Transaction) -> tuple[list[Day], bool]:
        runs = [run for _, run in ended(t, midnight - timedelta(days=DAYS - 1), midnight)]
        return by_day(runs, zone, today - timedelta(days=1), DAYS - 1), len(runs) >= statistics.MAX_RUNS

    def work(t: Transaction) -> tuple[list[tuple[int, Ended]], tuple[list[Day], bool], int, int]:
        return (
            ended(t, midnight, midnight + timedelta(days=2)),  # a day may have 25 hours
            _PAST.get((who.space.id, midnight), lambda: past(t)),
            statistics.went_out_since(t, who.space.id, midnight),
            len(questions.open_ones(t, who.space.id)),
        )

    runs, (before, partial), went_out, asked = who.space.read(work)
    (day,) = by_day((run for _, run in runs), zone, today, 1)
    slow = max(((run.seconds, id) for id, run in runs if run.seconds is not None), default=(None, None))
    return TodayOut(
        came_in=day.total,
        went_out=went_out,
        success=day.success,
        slowest=slow[0],
        slowest_run=slow[1],
        needs=asked + len(_causes(who)),
        days=[_day_out(d) for d in (*before, day)],
        partial=partial,
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
    """A run as the day's list shows it: what came from where, and where it went."""

    run: int
    workflow: int
    workflow_name: str
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
def list_day(who: Reader, before: int | None = None, limit: Annotated[int, Query(ge=1, le=200)] = 60) -> DayListOut:
    """List received items and written results, newest first, today before earlier days."""
    known = versions.Versions()

    def work(t: Transaction) -> DayListOut:
        found, onward = runs.page(t, who.space.id, runs.Sought(), before, limit)
        lines = runs.lines(t, who.space.id, [r.id for r in found])
        names = {d.id: d.name for d in databases.load(t, who.space.id).values()}
        entries = [_entry(who, r, list(lines[r.id].values()), known.get(who.space, r.version_id), names) for r in found]
        return DayListOut(entries=entries, next=onward)

    return who.space.read(work)


def _entry(who: Caller, run: Run, lines: list[RunLine], document: Workflow, names: dict[int, str]) -> EntryOut:
    took = (run.finished_at - run.created_at).total_seconds() if run.finished_at else None
    return EntryOut(
        run=run.id,
        workflow=run.workflow_id,
        workflow_name=run.workflow,
        kind=run.kind,
        at=run.created_at,
        source=_source(who, document, names),
        targets=_targets(who, lines, names),
        title=run.title or f"item {run.item_id}",
        state=run.state,
        said=(run.problem or {}).get("sentence", ""),
        seconds=took,
    )


def _source(who: Caller, document: Workflow, names: dict[int, str]) -> EndOut:
    when = document.when
    match when.own:
        case RecordEvent(database=database):
            return EndOut(app="kelvix", monogram="Kx", name=names.get(database or 0, "a database since deleted"))
        case Schedule():
            return EndOut(app="time", monogram="Ti", name="a time")
        case Address():
            return EndOut(app="request", monogram="Rq", name="a request")
    return _in_app(who, when.app, when.container_name or "somewhere")


def _in_app(who: Caller, code: str, name: str) -> EndOut:
    app = who.engine.apps.get(code)
    return EndOut(app=code, monogram=app.monogram if app else "??", name=name)


def _targets(who: Caller, lines: list[RunLine], names: dict[int, str]) -> list[EndOut]:
    """Where a run wrote, sent or saved, each place once."""
    found: dict[tuple[str, str], EndOut] = {}
    for line in lines:
        match line.outcome:
            case Wrote(code=code, database=database, database_name=name) if code != "found_none":
                end = EndOut(app="kelvix", monogram="Kx", name=names.get(database) or name or "a database")
            case MailsSent(mails=mails, app=app):
                end = _in_app(who, app, ", ".join(a for m in mails[:1] for a in m["to"][:1]))
            case Requested(code="sent" | "in_doubt", address=address) if address:
                end = EndOut(app="web", monogram="Wb", name=urlsplit(address).netloc)
            case FileSaved(happened=happened, app=str() as app, folder=folder) if happened != "there":
                end = _in_app(who, app, folder)
            case RanAnother(workflow_name=name):
                end = EndOut(app="kelvix", monogram="Kx", name=name or "another workflow")
            case _:
                continue
        found.setdefault((end.app, end.name), end)
    return list(found.values())
