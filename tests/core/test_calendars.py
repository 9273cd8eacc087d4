"""Where values of time stand on a calendar. The clocks of London go forward on 29 March 2026 at 01:00 UTC and back on 25 October 2026
(the European summer time directive 2000/84/EC; the tz database)."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvix.core.calendars import DAY, Piece, Stretch, days_of, pieces_of, rows_of, side_by_side, stretch_of
from kelvix.core.values import Span

LONDON = ZoneInfo("Europe/London")
MONDAY, SUNDAY = date(2026, 3, 23), date(2026, 3, 29)


def at(text: str) -> datetime:
    """A moment by London's clock."""
    return datetime.fromisoformat(text).replace(tzinfo=LONDON).astimezone(UTC)


def drawn(value, first=MONDAY, last=SUNDAY):
    stretch = stretch_of(value, LONDON)
    return [(p.day.day, p.start, p.end, p.begins, p.ends) for p in pieces_of(stretch, first, last)]


def test_a_visit_stands_at_the_same_time_of_the_wall_before_and_after_the_clocks_change():
    for day in (28, 29, 30):
        value = Span(at(f"2026-03-{day}T09:00"), at(f"2026-03-{day}T11:30"))
        assert drawn(value, last=date(2026, 3, 31)) == [(day, 540, 690, True, True)]
    for day in (24, 25, 26):
        value = Span(at(f"2026-10-{day}T09:00"), at(f"2026-10-{day}T11:30"))
        assert drawn(value, date(2026, 10, 19), date(2026, 10, 31)) == [(day, 540, 690, True, True)]


def test_over_the_hour_that_is_left_out_and_the_one_that_comes_twice():
    night = Span(datetime(2026, 3, 29, 0, 30, tzinfo=UTC), datetime(2026, 3, 29, 1, 30, tzinfo=UTC))  # 00:30 GMT to 02:30 BST
    assert drawn(night) == [(29, 30, 150, True, True)]
    twice = Span(datetime(2026, 10, 25, 0, 45, tzinfo=UTC), datetime(2026, 10, 25, 1, 15, tzinfo=UTC))  # 01:45 BST to 01:15 GMT
    ((_, start, end, *_),) = drawn(twice, date(2026, 10, 19), date(2026, 10, 25))
    assert (start, end) == (105, 165)  # drawn as a moment: it ends, by the wall, before it began


@pytest.mark.parametrize(
    ("value", "expected"),
    [
        (date(2026, 3, 24), [(24, 0, DAY, True, True)]),
        (Span(date(2026, 3, 28), date(2026, 3, 30)), [(28, 0, DAY, True, False), (29, 0, DAY, False, False)]),
        (Span(date(2026, 3, 20), date(2026, 3, 23)), [(23, 0, DAY, False, True)]),
        (at("2026-03-24T17:02"), [(24, 1022, 1082, True, True)]),
        (at("2026-03-24T23:30"), [(24, 1410, DAY, True, True)]),
        (Span(at("2026-03-24T22:00"), at("2026-03-25T06:00")), [(24, 1320, DAY, True, False), (25, 0, 360, False, True)]),
        (Span(at("2026-03-24T22:00"), at("2026-03-25T00:00")), [(24, 1320, DAY, True, True)]),
        (Span(at("2026-03-24T10:00"), at("2026-03-24T10:05")), [(24, 600, 615, True, True)]),
        (None, None),
    ],
)  # fmt: skip
def test_values_are_cut_by_days(value, expected):
    if expected is None:
        assert stretch_of(value, LONDON) is None
    else:
        assert drawn(value) == expected


MOMENTS = st.datetimes(datetime(2026, 1, 1), datetime(2026, 12, 31))


@settings(max_examples=300, deadline=None)
@given(MOMENTS, st.timedeltas(timedelta(), timedelta(days=9)), st.booleans())
def test_pieces_cover_all_days_once_and_begin_and_end_where_the_value_does(start, length, has_clock):
    value = Span(start.replace(tzinfo=UTC), (start + length).replace(tzinfo=UTC))
    if not has_clock:
        value = Span(start.date(), (start + length).date())
    stretch = stretch_of(value, LONDON)
    first, last = days_of(stretch)
    pieces = pieces_of(stretch, first, last)
    assert [p.day for p in pieces] == [first + timedelta(days=n) for n in range((last - first).days + 1)]
    assert [p.begins for p in pieces] == [True, *[False] * (len(pieces) - 1)]
    assert [p.ends for p in pieces] == [*[False] * (len(pieces) - 1), True]
    assert all(0 <= p.start < p.end <= DAY for p in pieces)
    if has_clock and stretch.end - stretch.start > timedelta(minutes=15):
        assert pieces[0].start == stretch.start.hour * 60 + stretch.start.minute or pieces[0].end == DAY
    inside = pieces_of(stretch, first + timedelta(days=1), last)
    assert inside == pieces[1:]


SOME = st.lists(st.tuples(st.integers(0, DAY - 16), st.integers(15, 300)), max_size=12)


@settings(max_examples=300, deadline=None)
@given(SOME)
def test_what_overlaps_stands_side_by_side(some):
    pieces = [Piece(MONDAY, start, min(start + length, DAY), True, True) for start, length in some]
    placed = side_by_side(pieces)
    assert [(p.start, p.end) for p in placed] == [(p.start, p.end) for p in pieces]
    for n, one in enumerate(placed):
        assert 0 <= one.lane < one.lanes
        for other in placed[n + 1 :]:
            if one.start < other.end and other.start < one.end:
                assert one.lane != other.lane and one.lanes == other.lanes
    at_once = max((sum(p.start <= minute < p.end for p in pieces) for minute in range(0, DAY, 5)), default=0)
    assert all(p.lanes >= 1 for p in placed) and max((p.lanes for p in placed), default=0) >= at_once


@settings(max_examples=200, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 40), st.integers(0, 9)), max_size=12))
def test_whole_days_that_share_a_day_are_in_different_rows(some):
    days = [(MONDAY + timedelta(days=first), MONDAY + timedelta(days=first + more)) for first, more in some]
    rows = rows_of(days)
    for n, (first, last) in enumerate(days):
        for m in range(n + 1, len(days)):
            if first <= days[m][1] and days[m][0] <= last:
                assert rows[n] != rows[m]
    at_once = max((sum(a <= MONDAY + timedelta(days=d) <= b for a, b in days) for d in range(50)), default=0)
    assert len(set(rows)) == at_once  # as few rows as can be


def test_a_moment_is_drawn_for_an_hour_but_not_into_the_next_day():
    stretch = Stretch(datetime.combine(MONDAY, time(23, 50)), datetime.combine(MONDAY, time(23, 50)), True)
    (piece,) = pieces_of(stretch, MONDAY, SUNDAY)
    assert (piece.start, piece.end) == (1425, 1440)
