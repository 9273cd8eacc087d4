"""A source that usually speaks and does not; figures by the day."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core import silence
from kelvix.core.day_figures import Ended, by_day, nearest_rank

NOW = datetime(2026, 11, 25, 9, 0, tzinfo=UTC)


def every(hours, number, last=NOW):
    return [last - timedelta(hours=hours * n) for n in range(number)]


def test_a_silence_unlike_any_before_is_noticed():
    times = every(2, 20, NOW - timedelta(hours=9))
    found = silence.measure(times, NOW)
    assert found and found.since == max(times) and found.usual == timedelta(hours=2) == found.longest


def test_nights_and_weekends_that_the_source_keeps_are_no_silence():
    """A working week: nine to five, Monday to Friday (common practice); on Monday morning all is as usual."""
    times = [datetime(2026, 11, d, h, tzinfo=UTC) for d in (9, 10, 11, 12, 13, 16, 17, 18, 19, 20) for h in range(9, 18, 2)]
    assert silence.measure(times, datetime(2026, 11, 23, 9, 30, tzinfo=UTC)) is None
    assert silence.measure(times, datetime(2026, 11, 25, 9, 30, tzinfo=UTC)) is not None


@pytest.mark.parametrize("number", [0, 1, silence.FEWEST])
def test_with_few_events_nothing_is_usual(number):
    assert silence.measure(every(1, number, NOW - timedelta(days=300)), NOW) is None


def test_what_comes_every_second_is_not_missed_within_the_hour():
    assert silence.measure(every(1 / 3600, 50, NOW - timedelta(minutes=59)), NOW) is None
    assert silence.measure(every(1 / 3600, 50, NOW - timedelta(minutes=61)), NOW) is not None


@given(st.lists(st.integers(1, 10_000), min_size=9, max_size=60), st.integers(0, 100_000))
def test_it_is_never_silent_for_less_than_it_was_before(gaps, since):
    times = [NOW]
    for gap in gaps:
        times.append(times[-1] - timedelta(minutes=gap))
    found = silence.measure(times, NOW + timedelta(minutes=since))
    assert (found is not None) == (since > 60 and since > 1.5 * max(gaps))


@pytest.mark.parametrize(
    ("span", "said"),
    [
        (timedelta(seconds=20), "20 seconds"),
        (timedelta(minutes=90), "90 minutes"),
        (timedelta(hours=36), "36 hours"),
        (timedelta(hours=2) - timedelta(milliseconds=3), "2 hours"),
        (timedelta(days=3), "3 days"),
        (timedelta(days=21), "3 weeks"),
    ],
)
def test_spans_in_words(span, said):
    assert silence.words(span) == said


def test_days_are_those_of_the_workspace():
    zone = ZoneInfo("Pacific/Auckland")  # 13 hours ahead in November
    runs = [
        Ended("done", datetime(2026, 11, 24, 12, tzinfo=UTC), 1.0),
        Ended("failed", datetime(2026, 11, 24, 10, tzinfo=UTC), 3.0),
        Ended("waiting", datetime(2026, 11, 24, 13, tzinfo=UTC), None),
        Ended("done", datetime(2026, 10, 1, tzinfo=UTC), 1.0),
    ]
    days = by_day(runs, zone, date(2026, 11, 25), 3)
    assert [(d.day.day, d.done, d.failed, d.others, d.total) for d in days] == [
        (23, 0, 0, 0, 0),
        (24, 0, 1, 0, 1),
        (25, 1, 0, 1, 2),
    ]
    assert [d.success for d in days] == [None, 0.0, 1.0] and days[2].usual_delay == 1.0


@pytest.mark.parametrize(("share", "value"), [(0.05, 15), (0.3, 20), (0.4, 20), (0.5, 35), (1.0, 50)])
def test_nearest_rank(share, value):
    """The worked example of the nearest-rank method: 15, 20, 35, 40, 50 (Wikipedia, “Percentile”, from memory)."""
    assert nearest_rank([50, 15, 40, 20, 35], share) == value


def test_nearest_rank_of_nothing():
    assert nearest_rank([], 0.5) is None
