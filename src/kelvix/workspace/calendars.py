"""What a calendar of a database shows: the records of some days, and those that have no date yet."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from itertools import groupby

from kelvix.core.calendars import Piece, Stretch, days_of, pieces_of, rows_of, side_by_side, stretch_of
from kelvix.core.periods import one_day
from kelvix.core.query import Comparison, Joined, Where
from kelvix.core.schema import Database
from kelvix.core.views import View
from kelvix.store import arranging
from kelvix.workspace import Space, views
from kelvix.workspace.refusals import NotValid
from kelvix.workspace.views import Shown

MAX_DAYS = 400  # that are asked for at once
MAX_SHOWN, MAX_UNDATED = 2000, 200
LONGEST = 62  # days by which a span may begin before those that are asked for


@dataclass(frozen=True)
class Dated:
    """A record on a calendar: the stretch it takes by the wall's clock, its pieces day by day, and the row in which it is drawn
    among those that take whole days."""

    shown: Shown
    stretch: Stretch
    pieces: tuple[Piece, ...]
    row: int


@dataclass(frozen=True)
class Calendar:
    """`more`: there are more than are shown. `undated`: records without a date, of `undated_count`."""

    dated: list[Dated]
    more: bool
    undated: list[Shown]
    undated_count: int


def read(space: Space, database: Database, view: View, first: date, last: date) -> Calendar:
    """Return what a calendar shows from a first to a last day. Raises NotValid."""
    by = database.readable_field(view.by) if view.by is not None else None
    if by is None:
        raise NotValid("This calendar has no date field.", "Choose the field by which records are dated.")
    if not 0 <= (last - first).days < MAX_DAYS:
        raise NotValid("These days can’t be shown.", f"Ask for {MAX_DAYS} days at most, the first one first.")
    after, before = one_day(first - timedelta(days=LONGEST + 1)), one_day(last + timedelta(days=1))
    asked = _all(view.where, Comparison(by.id, "after", after), Comparison(by.id, "before", before))
    empty = _all(view.where, Comparison(by.id, "empty"))

    def ids(where: Where, most: int) -> tuple[list[int], bool]:
        found, rest = space.read(lambda t: arranging.places(t, database, where, view.order, None, space.zone, most))
        return [place.record for place in found], rest is not None

    dated, more = ids(asked, MAX_SHOWN)
    undated, _ = ids(empty, MAX_UNDATED)
    (count,) = space.read(lambda t: arranging.figures(t, database, empty, None, (), space.zone))
    shown = [
        (one, stretch)
        for one in views.shown(space, database, view.marks, dated)
        if (stretch := stretch_of(one.record.readable.get(by.id), space.zone)) is not None and days_of(stretch)[1] >= first
    ]
    shown.sort(key=lambda one: one[1].start)
    return Calendar(_laid_out(shown, first, last), more, views.shown(space, database, view.marks, undated), count.records)


def _all(*tests: Where | None) -> Joined:
    return Joined("all", tuple(one for one in tests if one is not None))


def _laid_out(shown: list[tuple[Shown, Stretch]], first: date, last: date) -> list[Dated]:
    """Return where each is drawn: in a row of its own among whole days, or beside what overlaps it on its day."""
    whole = [n for n, (_, stretch) in enumerate(shown) if not stretch.has_clock]
    rows = dict(zip(whole, rows_of([days_of(shown[n][1]) for n in whole]), strict=True))
    cut = [(n, piece) for n, (_, stretch) in enumerate(shown) for piece in pieces_of(stretch, first, last)]
    timed = sorted((one for one in cut if one[0] not in rows), key=lambda one: one[1].day)
    pieces: dict[int, list[Piece]] = {n: [] for n in range(len(shown))}
    for n, piece in cut:
        if n in rows:
            pieces[n].append(piece)
    for _, of_day in groupby(timed, key=lambda one: one[1].day):
        several = list(of_day)
        for (n, _), placed in zip(several, side_by_side([piece for _, piece in several]), strict=True):
            pieces[n].append(placed)
    return [Dated(one, stretch, tuple(pieces[n]), rows.get(n, 0)) for n, (one, stretch) in enumerate(shown)]
