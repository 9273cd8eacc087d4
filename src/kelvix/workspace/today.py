"""The day in figures, and what came from where and went where."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from datetime import time as clock
from urllib.parse import urlsplit

from kelvix.core.day_figures import Day, Ended, by_day
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.outcome import FileSaved, MailsSent, Operated, RanAnother, Requested, Wrote
from kelvix.core.schema import Database
from kelvix.core.workflow import Address, RecordEvent, Schedule, Workflow
from kelvix.engine import versions
from kelvix.engine.engine import Engine
from kelvix.remembering import Remembered
from kelvix.store import crossings, mirrors, places, questions, runs, statistics
from kelvix.store.crossings import Crossing
from kelvix.store.database_server import Transaction
from kelvix.store.runs import Run, RunLine
from kelvix.workspace import Space

DAYS = 30
MAX_CROSSINGS = 200  # in the span of time of one page
_PAST: Remembered[tuple[list[Day], bool]] = Remembered(200, statistics.FRESH)  # of the days that are over


@dataclass(frozen=True)
class Figures:
    """`slowest` is how long the slowest run of today took, in seconds, and which it was. `days` are the last thirty, today the
    last of them; `partial` says that they had too many runs to count all. `mirrored`: how much crossed in mirrors, where
    there are any; `questions`: how many are open."""

    today: Day
    days: Sequence[Day]
    partial: bool
    slowest: tuple[float | None, int | None]
    went_out: int
    mirrored: int | None
    questions: int


@dataclass(frozen=True)
class End:
    """An end of a crossing: the app, and the place in it."""

    app: str
    monogram: str
    name: str


@dataclass(frozen=True)
class Entry:
    """A run with what it came from and where it went."""

    run: Run
    source: End
    targets: list[End]


@dataclass(frozen=True)
class Mirrored:
    """What crossed in a mirror, from one side to the other."""

    mirror: int
    mirror_name: str
    crossing: Crossing
    source: End
    target: End


def figures(space: Space) -> Figures:
    """Return the figures of today, by the workspace's clock, and of the thirty days before."""
    zone = space.zone
    today = datetime.now(zone).date()
    midnight = datetime.combine(today, clock(), zone).astimezone(UTC)

    def ended(t: Transaction, since: datetime, until: datetime) -> list[tuple[int, Ended]]:
        rows = statistics.ended_between(t, space.id, since, until)
        seconds = [float(r["seconds"]) if r["seconds"] is not None else None for r in rows]
        return [(r["id"], Ended(r["state"], r["created_at"], s)) for r, s in zip(rows, seconds, strict=True)]

    def past(t: Transaction) -> tuple[list[Day], bool]:
        runs = [run for _, run in ended(t, midnight - timedelta(days=DAYS - 1), midnight)]
        return by_day(runs, zone, today - timedelta(days=1), DAYS - 1), len(runs) >= statistics.MAX_RUNS

    def work(t: Transaction) -> Figures:
        runs = ended(t, midnight, midnight + timedelta(days=2))  # a day may have 25 hours
        before, partial = _PAST.get((space.id, midnight), lambda: past(t))
        (day,) = by_day((run for _, run in runs), zone, today, 1)
        slowest = max(((run.seconds, id) for id, run in runs if run.seconds is not None), default=(None, None))
        went_out, asked = statistics.went_out_since(t, space.id, midnight), len(questions.open_ones(t, space.id))
        mirrored = crossings.written_since(t, space.id, midnight) if mirrors.list_all(t, space.id) else None
        return Figures(day, [*before, day], partial, slowest, went_out, mirrored, asked)

    return space.read(work)


def entries(engine: Engine, space: Space, before: int | None, limit: int) -> tuple[list[Entry | Mirrored], int | None]:
    """Return what came and went, and what crossed in mirrors in the same time, the newest first; and the cursor of the
    following page."""
    known = versions.Versions()

    def work(t: Transaction) -> tuple[list[Entry | Mirrored], int | None]:
        found, onward = runs.page(t, space.id, runs.Sought(), before, limit)
        lines = runs.lines(t, space.id, [r.id for r in found])
        there = places.load_all(t, space.id)
        names = {d.id: d.name for d in there.values()}
        made: list[Entry | Mirrored] = [
            Entry(
                r, _source(engine, known.get(space, r.version_id), names), _targets(engine, list(lines[r.id].values()), there)
            )
            for r in found
        ]
        above = runs.get(t, space.id, before) if before is not None else None
        since, until = found[-1].created_at if found and onward else None, above.created_at if above else None
        made += _mirrored(t, engine, space, there, since, until)
        return sorted(made, key=_at, reverse=True), onward

    return space.read(work)


def _at(one: Entry | Mirrored) -> datetime:
    return one.run.created_at if isinstance(one, Entry) else one.crossing.at


def _mirrored(
    t: Transaction,
    engine: Engine,
    space: Space,
    there: dict[int, Database],
    since: datetime | None,
    until: datetime | None,
) -> list[Mirrored]:
    """Return what crossed in a span of time; of very much, the newest."""
    kept = {one.id: one for one in mirrors.list_all(t, space.id)}
    found = crossings.between(t, space.id, since, until, MAX_CROSSINGS) if kept else []

    def end(mirror: int, side: Side) -> End:
        database = there.get(kept[mirror].mirror.side(side).database)
        if database is None:
            return End("kelvix", "Kx", "a deleted database")
        outside = database.outside
        return _in_app(engine, outside.app, database.name) if outside else End("kelvix", "Kx", database.name)

    return [
        Mirrored(mirror, kept[mirror].name, one, end(mirror, OTHER[one.side]), end(mirror, one.side))
        for mirror, one in found
        if mirror in kept
    ]


def _source(engine: Engine, document: Workflow, names: dict[int, str]) -> End:
    when = document.when
    match when.own:
        case RecordEvent(database=database):
            return End("kelvix", "Kx", names.get(database or 0, "a deleted database"))
        case Schedule():
            return End("time", "Ti", "a time")
        case Address():
            return End("request", "Rq", "a request")
    return _in_app(engine, when.app, when.container_name or "somewhere")


def _in_app(engine: Engine, code: str, name: str) -> End:
    app = engine.apps.get(code)
    return End(code, app.monogram if app else "??", name)


def _targets(engine: Engine, lines: list[RunLine], there: dict[int, Database]) -> list[End]:
    """Where a run wrote, sent or saved, each place once."""
    found: dict[tuple[str, str], End] = {}
    for line in lines:
        match line.outcome:
            case Wrote(code=code, database=database, database_name=name) if code != "found_none":
                known = there.get(database)
                outside = known.outside.app if known and known.outside else line.outcome.more.get("app")
                called = (known.name if known else name) or "a database"
                end = _in_app(engine, outside, called) if outside else End("kelvix", "Kx", called)
            case MailsSent(mails=mails, app=app):
                end = _in_app(engine, app, ", ".join(a for m in mails[:1] for a in m["to"][:1]))
            case Requested(code="sent" | "in_doubt", address=address) if address:
                end = End("web", "Wb", urlsplit(address).netloc)
            case FileSaved(happened=happened, app=str() as app, folder=folder) if happened != "there":
                end = _in_app(engine, app, folder)
            case Operated(app=app, place=place):
                end = _in_app(engine, app, place)
            case RanAnother(workflow_name=name):
                end = End("kelvix", "Kx", name or "another workflow")
            case _:
                continue
        found.setdefault((end.app, end.name), end)
    return list(found.values())
