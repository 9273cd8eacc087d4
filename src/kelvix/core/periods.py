"""Days that are counted from today, by the words for them: "this week", "the last 90 days", "in 7 days".

They are kept as words, and stand for other days tomorrow. Weeks begin on Monday (ISO 8601). "The last 7 days" are today and
the six days before, "the next 7 days" today and the six that follow (common practice); of months and years the same day of the
month counts, or its last.
"""

from __future__ import annotations

import calendar
from datetime import date, timedelta

from kelvix.core.patterns import short
from kelvix.core.values import Unfit

EXAMPLES = ("today", "this week", "next week", "this month", "the last 30 days", "the next 7 days", "in 7 days")
_UNIT = r"(day|week|month|quarter|year)"
_COUNTED = r"(\d{1,3}) (day|week|month|quarter|year)s?"
NEAR = {"yesterday": -1, "today": 0, "tomorrow": 1}
DAY = short(r"\d{4}-\d{2}-\d{2}", most=10, worst="1")
WHICH = short(rf"(this|last|next) {_UNIT}", most=40, worst="last ")
SEVERAL = short(rf"(?:the )?(last|past|next|coming) {_COUNTED}", most=40, worst="the last 1")
AHEAD = short(rf"in {_COUNTED}|{_COUNTED} from (?:now|today)", most=40, worst="in 1")
AGO = short(rf"{_COUNTED} ago", most=40, worst="1 day ")
MONTHS_OF = {"month": 1, "quarter": 3, "year": 12}


class Period(str):
    """Days by the words for them. Made by `period`."""

    @property
    def is_one(self) -> bool:
        """Whether one day is meant, whichever it is today."""
        return self in NEAR or bool(DAY.fullmatch(self) or AHEAD.fullmatch(self) or AGO.fullmatch(self))

    def days(self, today: date) -> tuple[date, date]:
        """Return the first and the last day that are meant today. Raises Unfit where they are outside the calendar."""
        try:
            return _days(str(self), today)
        except (OverflowError, ValueError):
            raise Unfit(f"“{self}” is outside the calendar") from None


def one_day(day: date) -> Period:
    """Return a day as a period of its own."""
    return Period(day.isoformat())


def named(words: str) -> Period | None:
    """Return the days that words stand for, or a day that is written as 2026-11-23; None for all else."""
    return period(words) or (Period(words.strip()) if DAY.fullmatch(words.strip()) else None)


def period(words: str) -> Period | None:
    """Return the days that words stand for; None where they are no such words."""
    plain = " ".join(words.casefold().split())
    counted = SEVERAL.fullmatch(plain) or AHEAD.fullmatch(plain) or AGO.fullmatch(plain)
    return Period(plain) if counted or plain in NEAR or WHICH.fullmatch(plain) else None


def _days(words: str, today: date) -> tuple[date, date]:
    if DAY.fullmatch(words):
        return date.fromisoformat(words), date.fromisoformat(words)
    if words in NEAR:
        day = today + timedelta(days=NEAR[words])
        return day, day
    if found := WHICH.fullmatch(words):
        first = _later(_start(today, found[2]), {"last": -1, "this": 0, "next": 1}[found[1]], found[2])
        return first, _later(first, 1, found[2]) - timedelta(days=1)
    if found := SEVERAL.fullmatch(words):
        count = int(found[2])
        if found[1] in ("last", "past"):
            return _later(today, -count, found[3]) + timedelta(days=1), today
        return today, _later(today, count, found[3]) - timedelta(days=1)
    if found := AGO.fullmatch(words):
        day = _later(today, -int(found[1]), found[2])
    elif found := AHEAD.fullmatch(words):
        day = _later(today, int(found[1] or found[3]), found[2] or found[4])
    else:
        raise ValueError
    return day, day


def _start(today: date, unit: str) -> date:
    """Return the first day of the week, month, quarter or year that has a day."""
    if unit == "day":
        return today
    if unit == "week":
        return today - timedelta(days=today.weekday())
    months = MONTHS_OF[unit]
    return date(today.year, (today.month - 1) // months * months + 1, 1)


def _later(day: date, count: int, unit: str) -> date:
    if unit in ("day", "week"):
        return day + timedelta(days=count * (7 if unit == "week" else 1))
    year, month = divmod(day.year * 12 + day.month - 1 + count * MONTHS_OF[unit], 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))
