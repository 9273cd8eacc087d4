"""Days counted from today. ISO 8601 for weeks; dateutil's relativedelta for months."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from dateutil.relativedelta import relativedelta
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvix.core.periods import EXAMPLES, Period, period
from kelvix.core.values import Unfit

DAYS = st.dates(date(1980, 1, 1), date(2090, 12, 31))
WEDNESDAY = date(2026, 11, 25)


def days(words: str, today: date = WEDNESDAY) -> tuple[date, date]:
    found = period(words)
    assert isinstance(found, Period), words
    return found.days(today)


@pytest.mark.parametrize(
    ("words", "first", "last"),
    [
        ("Today", "2026-11-25", "2026-11-25"),
        ("yesterday", "2026-11-24", "2026-11-24"),
        (" tomorrow ", "2026-11-26", "2026-11-26"),
        ("this week", "2026-11-23", "2026-11-29"),
        ("last week", "2026-11-16", "2026-11-22"),
        ("next month", "2026-12-01", "2026-12-31"),
        ("the last 90 days", "2026-08-28", "2026-11-25"),
        ("last 7 days", "2026-11-19", "2026-11-25"),
        ("the next 2  weeks", "2026-11-25", "2026-12-08"),
        ("past 3 months", "2026-08-26", "2026-11-25"),
        ("in 7 days", "2026-12-02", "2026-12-02"),
        ("2 weeks from now", "2026-12-09", "2026-12-09"),
        ("3 months ago", "2026-08-25", "2026-08-25"),
    ],
)
def test_words_stand_for_days(words, first, last):
    assert days(words) == (date.fromisoformat(first), date.fromisoformat(last))


def test_what_names_no_days_is_no_period():
    for words in ("", "soon", "2026-11-25", "Friday", "in days", "the last days", "in 1000 days", "this week or next"):
        assert period(words) is None, words
    assert all(period(words) for words in EXAMPLES)


@settings(max_examples=300, deadline=None)
@given(DAYS)
def test_weeks_are_those_of_iso_8601(today):
    first, last = days("this week", today)
    assert (first.isocalendar()[:2], first.isoweekday(), last - first) == (today.isocalendar()[:2], 1, timedelta(days=6))
    assert days("next week", today)[0] == last + timedelta(days=1)


@settings(max_examples=200, deadline=None)
@given(DAYS, st.sampled_from([("month", 1), ("quarter", 3), ("year", 12)]))
def test_months_quarters_and_years_follow_each_other(today, unit):
    words, months = unit
    (before, _), (first, last), (after, _) = (days(f"{which} {words}", today) for which in ("last", "this", "next"))
    assert before + relativedelta(months=months) == first and first + relativedelta(months=months) == after
    assert first <= today <= last == after - timedelta(days=1)
    assert (first.day, (first.month - 1) % months) == (1, 0)


@settings(max_examples=200, deadline=None)
@given(DAYS, st.integers(1, 60))
def test_months_from_now_are_those_of_dateutil(today, count):
    """The same day of the month, or its last: dateutil's relativedelta."""
    assert days(f"in {count} months", today)[0] == today + relativedelta(months=count)
    assert days(f"{count} months ago", today)[0] == today - relativedelta(months=count)


def test_what_is_outside_the_calendar_is_said():
    with pytest.raises(Unfit, match="outside the calendar"):
        days("999 years ago", date(500, 1, 1))
