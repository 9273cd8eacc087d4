"""Conversion functions and those on booleans (OMG DMN 1.5, tables 66 to 68)."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

from kelvix.core.feel import values as v
from kelvix.core.feel.builtin import ANY, BOOLEAN, BUILTINS, DATE, DATETIME, DAY, DURATION, NUMBER, RANGE, STRING, TIME, Param
from kelvix.core.feel.environment import Env
from kelvix.core.feel.values import Months, Range
from kelvix.core.patterns import pattern, short

GROUP = "Conversion"
RANGE_FORM = pattern(r"(?s)\s*([\[\](])(.*)\.\.(.*)([\])\[])\s*", worst="..")
PLAIN_NUMBER = short(r"-?\d+(\.\d+)?", most=400, worst="1", flags=re.ASCII)
LITERAL = pattern(r'(?:@|(?:date and time|date|time|duration)\s*\(\s*)"([^"]*)"\s*\)?', worst='@"')
DATETIME_LIKE = DATETIME | STRING | DATE


def whole(value: Decimal, what: str) -> int:
    if value != value.to_integral_value() or abs(value) > 10**9:
        raise ValueError(f"{what} must be a whole number")
    return int(value)


@BUILTINS.add(
    "number",
    [Param("from", STRING | NUMBER), Param("grouping separator", STRING, True), Param("decimal separator", STRING, True)],
    NUMBER,
    "A text as a number, with its grouping and decimal separators.",
    'number("1 850,60", " ", ",")',
    "1850.6",
    GROUP,
)
def number(text: str | Decimal, grouping: str | None = None, point: str | None = None) -> Decimal:
    if isinstance(text, Decimal):
        return text
    if grouping is not None and grouping not in (" ", ",", "."):
        raise ValueError("the grouping separator is a space, a comma or a point")
    if point is not None and (point not in (".", ",") or point == grouping):
        raise ValueError("the decimal separator is a point or a comma, and differs from the grouping separator")
    plain = text.replace(grouping, "") if grouping else text
    plain = plain.replace(point, ".") if point else plain
    if len(plain) > 400 or not re.fullmatch(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,4})?", plain, re.ASCII):
        raise ValueError(f"“{text[:40]}” is not a number")
    return +Decimal(plain)


@BUILTINS.add("string", [Param("from", ANY)], STRING, "Any value as a text.", 'string(1.50) + " m"', '"1.5 m"', GROUP)
def string(value: object) -> str | None:
    return None if value is None else v.write(value)


@BUILTINS.add(
    "date",
    [Param("from", STRING | DAY)],
    DATE,
    "The date in a text such as 2026-11-23, or of a date and time.",
    'date("2026-11-23")',
    'date("2026-11-23")',
    GROUP,
)
def date_(value: str | date) -> date:
    if isinstance(value, datetime):
        return value.date()
    if isinstance(value, str):
        return v.read_date(value) if "T" not in value else v.read_datetime(value).date()
    return value


@BUILTINS.add(
    "date",
    [Param("year", NUMBER), Param("month", NUMBER), Param("day", NUMBER)],
    DATE,
    "The date with this year, month and day.",
    "date(2026, 11, 23)",
    'date("2026-11-23")',
    GROUP,
)
def date_of_parts(year: Decimal, month: Decimal, day: Decimal) -> date:
    return date(whole(year, "the year"), whole(month, "the month"), whole(day, "the day"))


@BUILTINS.add(
    "time",
    [Param("from", STRING | TIME | DAY)],
    TIME,
    "The time in a text such as 17:02:00, or of a date and time.",
    'time("17:02:00")',
    'time("17:02:00")',
    GROUP,
)
def time_(value: str | time | date) -> time:
    if isinstance(value, datetime):
        return value.timetz()
    if isinstance(value, date):
        return time(tzinfo=UTC)
    if isinstance(value, str):
        return v.read_datetime(value).timetz() if "T" in value.partition("@")[0] else v.read_time(value)
    return value


@BUILTINS.add(
    "time",
    [
        Param("hour", NUMBER),
        Param("minute", NUMBER),
        Param("second", NUMBER),
        Param("offset", frozenset({timedelta}), True, True),
    ],
    TIME,
    "The time with this hour, minute and second, and offset from UTC.",
    'time(17, 2, 0, duration("PT1H"))',
    'time("17:02:00+01:00")',
    GROUP,
)
def time_of_parts(hour: Decimal, minute: Decimal, second: Decimal, offset: timedelta | None = None) -> time:
    micro = int(second % 1 * 1_000_000)
    zone = v.offset_of(offset) if offset is not None else None
    return time(whole(hour, "the hour"), whole(minute, "the minute"), int(second), micro, zone)


@BUILTINS.add(
    "date and time",
    [Param("from", STRING | DAY)],
    DATETIME,
    "The date and time in a text such as 2026-11-23T17:02:00, or the midnight of a date.",
    'date and time("2026-11-23T17:02:00Z").hour',
    "17",
    GROUP,
)
def date_and_time(value: str | date) -> datetime:
    if isinstance(value, str):
        return v.read_datetime(value)
    return value if isinstance(value, datetime) else datetime.combine(value, time(tzinfo=UTC))


@BUILTINS.add(
    "date and time",
    [Param("date", DAY), Param("time", TIME)],
    DATETIME,
    "A date and a time combined.",
    'date and time(date("2026-11-23"), time("17:02:00"))',
    'date and time("2026-11-23T17:02:00")',
    GROUP,
)
def date_and_time_of_parts(day: date, clock: time) -> datetime:
    return datetime.combine(day.date() if isinstance(day, datetime) else day, clock)


@BUILTINS.add(
    "duration",
    [Param("from", STRING | DURATION)],
    DURATION,
    "The duration in a text: P3D is three days, PT4H30M four and a half hours, P1Y2M a year and two months.",
    'date("2026-11-23") + duration("P3D")',
    'date("2026-11-26")',
    GROUP,
)
def duration(value: str | timedelta | Months) -> timedelta | Months:
    return v.read_duration(value) if isinstance(value, str) else value


@BUILTINS.add(
    "years and months duration",
    [Param("from", DAY), Param("to", DAY)],
    DURATION,
    "The whole months from one date to another.",
    'years and months duration(date("2025-09-30"), date("2026-11-23"))',
    'duration("P1Y1M")',
    GROUP,
)
def years_and_months_duration(start: date, end: date) -> Months:
    def key(value: date) -> tuple[int, time]:
        return value.day, value.time() if isinstance(value, datetime) else time()

    count = (end.year - start.year) * 12 + end.month - start.month
    if count > 0 and key(end) < key(start):
        count -= 1
    elif count < 0 and key(end) > key(start):
        count += 1
    return Months(count)


@BUILTINS.add(
    "range",
    [Param("from", STRING)],
    RANGE,
    "The range in a text, whose ends are numbers, texts, dates, times or durations.",
    '15 in range("[10..20)")',
    "true",
    GROUP,
)
def range_(text: str) -> Range:
    found = RANGE_FORM.fullmatch(text)
    if not found:
        raise ValueError("a range is written [10..20]")
    low, high = (_end(found[n].strip()) for n in (2, 3))
    if low is None and high is None:
        raise ValueError("a range needs an end")
    if low is not None and high is not None and (low.__class__ is not high.__class__ or low > high):  # type: ignore[operator]
        raise ValueError("a range must go up between two ends of the same type")
    return Range(low, found[1] == "[" and low is not None, high, found[4] == "]" and high is not None)


def _end(text: str) -> object:
    if not text:
        return None
    if PLAIN_NUMBER.fullmatch(text):
        return Decimal(text)
    if text[0] == '"' and text[-1] == '"' and len(text) > 1:
        return text[1:-1]
    called = LITERAL.fullmatch(text)
    if not called:
        raise ValueError(f"“{text[:40]}” can’t be the end of a range")
    return v.read_at(called[1])


@BUILTINS.add("not", [Param("negand", ANY)], BOOLEAN, "The opposite of true or false.", "not(1 > 2)", "true", "True and false")
def not_(value: object) -> bool | None:
    return not value if isinstance(value, bool) else None


@BUILTINS.add(
    "is",
    [Param("value1", ANY), Param("value2", ANY)],
    BOOLEAN,
    "Whether two values are identical, including time zones.",
    'is(time("17:02:00Z"), time("18:02:00+01:00"))',
    "false",
    "True and false",
)
def is_(one: object, other: object) -> bool:
    if one.__class__ is not other.__class__:
        return False
    if isinstance(one, (time, datetime)):
        return v.write(one) == v.write(other)
    return bool(one == other)


@BUILTINS.add(
    "now", [], DATETIME, "The current date and time in the workspace's zone.", "now() = now()", "true", "Dates",
    needs_env=True,
)  # fmt: skip
def now(env: Env) -> datetime:
    return env.now.astimezone(env.zone)


@BUILTINS.add(
    "today", [], DATE, "Today's date in the workspace's zone.", "today() = date(now())", "true", "Dates", needs_env=True
)
def today(env: Env) -> date:
    return env.now.astimezone(env.zone).date()
