"""+ - * / ** on numbers, texts, dates, times and durations (OMG DMN 1.5, tables 54 to 58).

Compiled code handles numbers in line and calls these for all else. What has no result is null, and the environment notes why.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import ROUND_HALF_EVEN, Decimal
from zoneinfo import ZoneInfo

from kelvix.core.feel.environment import Env, shown, sized_text
from kelvix.core.feel.values import Months, kind


def aware(env: Env, value: datetime) -> datetime:
    """Return the moment of a date and time; one without an offset is meant in the workspace's zone (the implicit time zone of
    XPath and XQuery Functions and Operators 3.1, section 10.1, to which the standard refers)."""
    return value if value.tzinfo else value.replace(tzinfo=env.zone)


def instant(env: Env, value: datetime) -> datetime:
    return aware(env, value).astimezone(UTC)


def clock_key(env: Env, value: time) -> timedelta:
    zone = value.tzinfo or env.zone
    offset = zone.utcoffset(datetime.combine(env.now.astimezone(zone).date(), value.replace(tzinfo=None))) or timedelta()
    return _since_midnight(value) - offset


def _since_midnight(value: time) -> timedelta:
    return timedelta(hours=value.hour, minutes=value.minute, seconds=value.second, microseconds=value.microsecond)


def shift(value: date, months: int) -> date:
    """Return the same day some months on, or the month's last. Raises ValueError beyond the calendar."""
    year, month = divmod(value.year * 12 + value.month - 1 + months, 12)
    if not 1 <= year <= 9999:
        raise OverflowError("outside the calendar")
    last = [31, 29 if year % 4 == 0 and (year % 100 != 0 or year % 400 == 0) else 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
    return value.replace(year=year, month=month + 1, day=min(value.day, last[month]))


def later(value: datetime, by: timedelta) -> datetime:
    """`by` further on the clock of time itself: across a change of the clocks the offset changes."""
    if isinstance(value.tzinfo, ZoneInfo):
        return (value.astimezone(UTC) + by).astimezone(value.tzinfo)
    return value + by


def _add_span(value: object, span: timedelta | Months) -> object:
    if isinstance(span, Months):
        if isinstance(value, Months):
            return Months(value.count + span.count)
        return shift(value, span.count) if isinstance(value, date) else NotImplemented
    if isinstance(value, datetime):
        return later(value, span)
    if isinstance(value, date):
        return (datetime.combine(value, time()) + span).date()
    if isinstance(value, time):
        total = (_since_midnight(value) + span) % timedelta(days=1)
        return (datetime.min + total).time().replace(tzinfo=value.tzinfo)
    return value + span if isinstance(value, timedelta) else NotImplemented


def add(env: Env, a: object, b: object) -> object:
    if a is None or b is None:
        return None
    if isinstance(a, str) and isinstance(b, str):
        made = a + b
        if len(made) > 256:
            env.spend(len(made) // 256)
            sized_text(made)
        return made
    return _arithmetic(env, "+", a, b)


def subtract(env: Env, a: object, b: object) -> object:
    if a.__class__ is date and b.__class__ is date:
        return a - b  # type: ignore[operator]
    return _arithmetic(env, "-", a, b)


def multiply(env: Env, a: object, b: object) -> object:
    return _arithmetic(env, "*", a, b)


def divide(env: Env, a: object, b: object) -> object:
    return _arithmetic(env, "/", a, b)


def power(env: Env, a: object, b: object) -> object:
    return _arithmetic(env, "**", a, b)


WORDS = {"+": "added to", "-": "taken from", "*": "multiplied by", "/": "divided by", "**": "raised to"}


def _arithmetic(env: Env, op: str, a: object, b: object) -> object:
    if a is None or b is None:
        return None
    try:
        found = _of_numbers(op, a, b) if isinstance(a, Decimal) and isinstance(b, Decimal) else _of_others(env, op, a, b)
    except ZeroDivisionError:
        return env.note(f"{shown(a)} can’t be divided by zero")
    except (ArithmeticError, ValueError):
        return env.note(f"{shown(a)} {op} {shown(b)} is too large")
    if found is not NotImplemented:
        return found
    left, right = (b, a) if op in ("+", "-") else (a, b)
    return env.note(f"{kind(left)}, {shown(left)}, can’t be {WORDS[op]} {kind(right)}, {shown(right)}")


def _of_numbers(op: str, a: Decimal, b: Decimal) -> object:
    match op:
        case "+":
            return a + b
        case "-":
            return a - b
        case "*":
            return a * b
        case "/":
            if not b:
                raise ZeroDivisionError
            return a / b
        case _:
            return a**b


def _of_others(env: Env, op: str, a: object, b: object) -> object:
    spans = (timedelta, Months)
    if op == "+":
        if isinstance(b, spans):
            return _add_span(a, b)
        return _add_span(b, a) if isinstance(a, spans) else NotImplemented
    if op == "-":
        if isinstance(b, spans):
            return _add_span(a, -b if isinstance(b, timedelta) else Months(-b.count))
        return _difference(env, a, b)
    if isinstance(a, spans) and isinstance(b, Decimal) and op in ("*", "/"):
        return _scaled(a, b if op == "*" else Decimal(1) / b)
    if isinstance(b, spans) and isinstance(a, Decimal) and op == "*":
        return _scaled(b, a)
    if op == "/" and isinstance(a, timedelta) and isinstance(b, timedelta):
        return Decimal(a // timedelta(microseconds=1)) / Decimal(b // timedelta(microseconds=1))
    if op == "/" and isinstance(a, Months) and isinstance(b, Months):
        return Decimal(a.count) / Decimal(b.count)
    return NotImplemented


def _scaled(span: timedelta | Months, by: Decimal) -> object:
    if isinstance(span, Months):
        return Months(int(span.count * by))
    micro = (Decimal(span // timedelta(microseconds=1)) * by).to_integral_value(ROUND_HALF_EVEN)
    return timedelta(microseconds=int(micro))


def _difference(env: Env, a: object, b: object) -> object:
    if isinstance(a, date) and isinstance(b, date):
        if isinstance(a, datetime) or isinstance(b, datetime):
            return instant(env, _midnight(a)) - instant(env, _midnight(b))
        return a - b
    if isinstance(a, time) and isinstance(b, time):
        return clock_key(env, a) - clock_key(env, b)
    return NotImplemented


def _midnight(value: date) -> datetime:
    return value if isinstance(value, datetime) else datetime(value.year, value.month, value.day, tzinfo=UTC)


def negate(env: Env, a: object) -> object:
    if a is None:
        return None
    if isinstance(a, Decimal):
        return -a
    if isinstance(a, timedelta):
        return -a
    if isinstance(a, Months):
        return Months(-a.count)
    return env.note(f"{kind(a)}, {shown(a)}, has no negative")
