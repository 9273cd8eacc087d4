"""Where values of time stand on a calendar: by day and by the clock on the wall, also over changes of the clocks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from kelvix.core.values import Span, Value

DAY = 24 * 60  # minutes of a day on the wall, whatever the clocks do
MOMENT = 60  # minutes that a moment without an end is drawn
SHORTEST = 15  # minutes that anything is drawn


@dataclass(frozen=True)
class Stretch:
    """From one time to another as a clock on the wall shows them; without `has_clock` two days, of which the last belongs to
    it."""

    start: datetime
    end: datetime
    has_clock: bool


@dataclass(frozen=True)
class Piece:
    """What of a stretch falls on one day: from minute to minute of the wall's clock. `begins` and `ends`: whether it does so
    there. `lane` of so many `lanes`: its place beside what overlaps it."""

    day: date
    start: int
    end: int
    begins: bool
    ends: bool
    lane: int = 0
    lanes: int = 1


def stretch_of(value: Value, zone: ZoneInfo) -> Stretch | None:
    """Return the stretch that a day, a moment or a span takes; None for anything else."""
    if isinstance(value, Span):
        start, end = value.start, value.end
    elif isinstance(value, date):
        start = end = value
    else:
        return None
    if isinstance(start, datetime) and isinstance(end, datetime):
        first, last = (moment.astimezone(zone).replace(tzinfo=None) for moment in (start, end))
        return Stretch(first, max(last, first), True)  # an hour that comes twice may end before it began
    return Stretch(datetime.combine(start, time()), datetime.combine(end, time()), False)


def days_of(stretch: Stretch) -> tuple[date, date]:
    """Return the first and the last day on which a stretch is drawn."""
    if not stretch.has_clock:
        return stretch.start.date(), stretch.end.date()
    begins, ends = stretch.start.date(), stretch.end.date()
    if stretch.end.time() == time() and ends > begins:  # midnight, which is of the day before
        ends -= timedelta(days=1)
    return begins, ends


def pieces_of(stretch: Stretch, first: date, last: date) -> tuple[Piece, ...]:
    """Return what of a stretch falls on each day from a first to a last one."""
    begins, ends = days_of(stretch)
    found = []
    day = max(begins, first)
    while day <= min(ends, last):
        start = _minute(stretch.start) if stretch.has_clock and day == begins else 0
        end = _minute(stretch.end) if stretch.has_clock and day == stretch.end.date() else DAY
        if stretch.has_clock and stretch.end == stretch.start:
            end = start + MOMENT
        end = min(max(end, start + SHORTEST), DAY)
        start = min(start, end - SHORTEST)
        found.append(Piece(day, start, end, day == begins, day == ends))
        day += timedelta(days=1)
    return tuple(found)


def _minute(at: datetime) -> int:
    return at.hour * 60 + at.minute


def side_by_side(pieces: Sequence[Piece]) -> list[Piece]:
    """Return pieces of one day, each in a lane of its own beside those that it overlaps. Those that overlap each other, also by
    way of others, share the width."""
    placed: dict[int, Piece] = {}
    cluster: list[int] = []
    ends: list[int] = []  # of the lanes of a cluster

    def close() -> None:
        for n in cluster:
            placed[n] = replace(placed[n], lanes=len(ends))
        cluster.clear()
        ends.clear()

    for n in sorted(range(len(pieces)), key=lambda n: (pieces[n].start, -pieces[n].end, n)):
        piece = pieces[n]
        if ends and piece.start >= max(ends):
            close()
        lane = next((at for at, end in enumerate(ends) if end <= piece.start), len(ends))
        ends[lane : lane + 1] = [piece.end]
        placed[n] = replace(piece, lane=lane)
        cluster.append(n)
    close()
    return [placed[n] for n in range(len(pieces))]


def rows_of(stretches: Sequence[tuple[date, date]]) -> list[int]:
    """Return for each stretch of days the row in which it is drawn: those that share a day are in different ones."""
    ends: list[date] = []
    rows = [0] * len(stretches)
    for n in sorted(range(len(stretches)), key=lambda n: (stretches[n][0], stretches[n][0] - stretches[n][1], n)):
        first, last = stretches[n]
        row = next((at for at, end in enumerate(ends) if end < first), len(ends))
        ends[row : row + 1] = [last]
        rows[n] = row
    return rows
