"""Paths into contexts, lists and dates; filters; and what `for`, `some` and `every` run through."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import date, datetime, time, timedelta
from decimal import ROUND_FLOOR, Decimal
from zoneinfo import ZoneInfo

from kelvix.core.feel.environment import MAX_ITEMS, MAX_STEPS, Env, shown, sized
from kelvix.core.feel.errors import TooMuch, nearest_name
from kelvix.core.feel.values import Months, Range, kind, write

PROPERTIES: dict[type, dict[str, Callable[[Env, object], object]]] = {}


def _properties(of: type, **by_name: Callable[..., object]) -> None:
    PROPERTIES[of] = {n.replace("_", " "): f for n, f in by_name.items()}


def _offset(value: time | datetime) -> object:
    return value.utcoffset() if value.tzinfo else None


def _zone_name(value: time | datetime) -> object:
    return value.tzinfo.key if isinstance(value.tzinfo, ZoneInfo) else None


_days: dict[str, Callable[..., object]] = {
    "year": lambda _, v: Decimal(v.year),
    "month": lambda _, v: Decimal(v.month),
    "day": lambda _, v: Decimal(v.day),
    "weekday": lambda _, v: Decimal(v.isoweekday()),
}
_clocks: dict[str, Callable[..., object]] = {
    "hour": lambda _, v: Decimal(v.hour),
    "minute": lambda _, v: Decimal(v.minute),
    "second": lambda _, v: Decimal(v.second) + Decimal(v.microsecond) / 1_000_000,
    "time_offset": lambda _, v: _offset(v),
    "timezone": lambda _, v: _zone_name(v),
}
_properties(date, **_days)
_properties(time, **_clocks)
_properties(datetime, **_days, **_clocks)


def _part(unit: int, of: int) -> Callable[[Env, timedelta], Decimal]:
    def part(_: Env, value: timedelta) -> Decimal:
        whole = abs(value) // timedelta(seconds=unit) % of if of else abs(value) // timedelta(seconds=unit)
        return Decimal(-whole if value < timedelta() else whole)

    return part


def _seconds(_: Env, value: timedelta) -> Decimal:
    micro = abs(value) // timedelta(microseconds=1) % 60_000_000
    return Decimal(-micro if value < timedelta() else micro) / 1_000_000


_properties(timedelta, days=_part(86400, 0), hours=_part(3600, 24), minutes=_part(60, 60), seconds=_seconds)
_properties(
    Months,
    years=lambda _, v: Decimal(int(v.count / 12)),
    months=lambda _, v: Decimal(v.count - 12 * int(v.count / 12)),
)
_properties(
    Range,
    start=lambda _, v: v.low,
    end=lambda _, v: v.high,
    start_included=lambda _, v: v.low_in,
    end_included=lambda _, v: v.high_in,
)


def path(env: Env, value: object, name: str) -> object:
    """Return the entry of a context, the property of a date or range, and of a list those of each of its items."""
    if value is None:
        return None
    if isinstance(value, dict):
        if name in value:
            return value[name]
        near = nearest_name(name, value)
        return env.note(f"there is nothing named “{name}” in this context" + (f"; did you mean “{near}”?" if near else ""))
    if isinstance(value, list):
        env.spend(len(value))
        return [path(env, item, name) for item in value]
    properties = PROPERTIES.get(value.__class__, {})
    if name in properties:
        return properties[name](env, value)
    if not properties:
        return env.note(f"{kind(value)}, {shown(value)}, has no “{name}”")
    return env.note(f"{kind(value)} has no “{name}”, but {', '.join(properties)}")


def filtered(env: Env, value: object, test: Callable[[object], object]) -> object:
    """Return the items that pass, or the one at a place. Anything but a list is a list of one; null is none."""
    items = value if isinstance(value, list) else [] if value is None else [value]
    kept = []
    env.spend(len(items))
    for item in items:
        found = test(item)
        if found is True:
            kept.append(item)
        elif isinstance(found, Decimal):  # a place, which does not hang on the item
            return at_place(env, items, found)
    return kept


def at_place(env: Env, value: object, place: object) -> object:
    """Return the item at a place, counted from 1, or from the end with -1."""
    items = value if isinstance(value, list) else [] if value is None else [value]
    if not isinstance(place, Decimal) or place != place.to_integral_value():
        return env.note(f"{shown(place)} is not a position in a list")
    if not place or abs(place) > len(items):
        return env.note(f"there is no item {write(place)} in a list of {len(items)}")
    return items[int(place) - 1 if place > 0 else int(place)]


def run_through(env: Env, source: object) -> Iterable[object]:
    """Return what `for`, `some` and `every` run through."""
    if isinstance(source, list):
        return source
    if isinstance(source, Range):
        ends = source.low, source.high
        if source.low_in and source.high_in:
            return from_to(env, *ends) or []
    if source is None:
        return []
    return [source]


def from_to(env: Env, low: object, high: object) -> Iterable[object] | None:
    """Return the whole numbers, or the days, from one end to the other, downwards too."""
    if isinstance(low, Decimal) and isinstance(high, Decimal):
        a, b = int(low.to_integral_value(ROUND_FLOOR)), int(high.to_integral_value(ROUND_FLOOR))
        if abs(b - a) > MAX_STEPS:
            raise TooMuch(f"from {a} to {b} is more than {MAX_STEPS:,} steps")
        return map(Decimal, range(a, b + 1) if a <= b else range(a, b - 1, -1))
    if low.__class__ is date and high.__class__ is date:
        assert isinstance(low, date) and isinstance(high, date)
        days = (high - low).days
        step = 1 if days >= 0 else -1
        return (low + timedelta(days=n) for n in range(0, days + step, step))
    env.note(f"there is no range from {shown(low)} to {shown(high)}")
    return None


def loop(
    env: Env, source: Iterable[object] | None, partial: list[object], body: Callable[[object], object], last: bool
) -> object:
    """Run through `source`. The last iterator's results are collected in `partial`; an outer one only runs the inner."""
    if source is None:
        return None
    for item in source:
        env.steps -= 1
        if env.steps < 0 or len(partial) > MAX_ITEMS:
            env.spend(0)
            sized(partial)
        found = body(item)
        if last:
            partial.append(found)
    return partial


def quantified(env: Env, source: Iterable[object], test: Callable[[object], object], decides: bool) -> bool | None:
    """Decide over a list: `some` is decided by the first True, `every` by the first False; one that is null leaves it open."""
    result: bool | None = not decides
    for item in source:
        env.spend()
        found = test(item)
        if found is decides:
            return decides
        if found is not (not decides):
            result = None
    return result
