"""Equality, order, `between`, `in`, and three-valued logic (OMG DMN 1.5, tables 49 to 53)."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

from kelvix.core.feel.arithmetic import clock_key, instant
from kelvix.core.feel.calls import call_function
from kelvix.core.feel.environment import Env, shown
from kelvix.core.feel.values import Function, Months, Range, kind


def equal(env: Env, a: object, b: object) -> bool | None:
    """Null where the two are of different types."""
    if a is None or b is None:
        return a is b
    if a.__class__ is not b.__class__:
        env.note(f"{kind(a)}, {shown(a)}, can’t be compared with {kind(b)}, {shown(b)}")
        return None
    if isinstance(a, list) and isinstance(b, list):
        return _all_equal(env, zip(a, b, strict=False)) if len(a) == len(b) else False
    if isinstance(a, dict) and isinstance(b, dict):
        return _all_equal(env, ((a[k], b[k]) for k in a)) if a.keys() == b.keys() else False
    if isinstance(a, datetime) and isinstance(b, datetime):
        return instant(env, a) == instant(env, b)
    if isinstance(a, time) and isinstance(b, time):
        return clock_key(env, a) == clock_key(env, b)
    if isinstance(a, Range) and isinstance(b, Range):
        same = equal(env, a.low, b.low) and equal(env, a.high, b.high)
        return bool(same and (a.low_in, a.high_in) == (b.low_in, b.high_in))
    return bool(a == b)


def _all_equal(env: Env, pairs: Iterable[tuple[object, object]]) -> bool | None:
    unknown = False
    for x, y in pairs:
        same = equal(env, x, y)
        if same is False:
            return False
        unknown = unknown or same is None
    return None if unknown else True


def unequal(env: Env, a: object, b: object) -> bool | None:
    same = equal(env, a, b)
    return None if same is None else not same


ORDERED = (Decimal, str, date, datetime, time, timedelta, Months)


def order(env: Env, a: object, b: object) -> int | None:
    """-1, 0 or 1; null where the two cannot be ordered."""
    if a is None or b is None:
        return None
    if a.__class__ is datetime and b.__class__ is datetime and a.tzinfo is UTC and b.tzinfo is UTC:  # type: ignore[attr-defined]
        return (a > b) - (a < b)  # type: ignore[operator]
    if a.__class__ is not b.__class__ or not isinstance(a, ORDERED):
        env.note(f"{kind(a)}, {shown(a)}, can’t be compared with {kind(b)}, {shown(b)}")
        return None
    x: object = a
    y: object = b
    if isinstance(a, datetime) and isinstance(b, datetime):
        x, y = instant(env, a), instant(env, b)
    elif isinstance(a, time) and isinstance(b, time):
        x, y = clock_key(env, a), clock_key(env, b)
    return int(x > y) - int(x < y)  # type: ignore[operator]


def less(env: Env, a: object, b: object) -> bool | None:
    found = order(env, a, b)
    return None if found is None else found < 0


def at_most(env: Env, a: object, b: object) -> bool | None:
    found = order(env, a, b)
    return None if found is None else found <= 0


def more(env: Env, a: object, b: object) -> bool | None:
    found = order(env, a, b)
    return None if found is None else found > 0


def at_least(env: Env, a: object, b: object) -> bool | None:
    found = order(env, a, b)
    return None if found is None else found >= 0


def between(env: Env, value: object, low: object, high: object) -> bool | None:
    return both(at_least(env, value, low), at_most(env, value, high))


def both(a: object, b: object) -> bool | None:
    """And, three-valued."""
    if a is False or b is False:
        return False
    return True if a is True and b is True else None


def either(a: object, b: object) -> bool | None:
    """Or, three-valued."""
    if a is True or b is True:
        return True
    return False if a is False and b is False else None


def in_range(env: Env, value: object, range_: Range) -> bool | None:
    low: bool | None = True
    high: bool | None = True
    if range_.low is not None:
        low = at_least(env, value, range_.low) if range_.low_in else more(env, value, range_.low)
    if range_.high is not None:
        high = at_most(env, value, range_.high) if range_.high_in else less(env, value, range_.high)
    return both(low, high)


PLAIN = frozenset({Decimal, str, bool, date, timedelta, Months})
TESTS = frozenset({Range, list, Function})


def passes(env: Env, value: object, test: object) -> bool | None:
    """Whether a value passes what stands after `in`: a range includes it, a list has it or a range that includes it, or it is
    the same."""
    if isinstance(test, Range):
        return in_range(env, value, test)
    if isinstance(test, list):
        if value.__class__ in PLAIN and not any(item.__class__ in TESTS for item in test):
            return any(item == value and item.__class__ is value.__class__ for item in test)
        if isinstance(value, list) and equal(env, value, test):
            return True
        return any_of(passes(env, value, item) if not isinstance(item, list) else equal(env, value, item) for item in test)
    if isinstance(test, Function):
        return call_function(env, test, (value,)) is True
    return equal(env, value, test) if value is None or test is None or value.__class__ is test.__class__ else False


def passes_test(env: Env, value: object, test: object) -> bool | None:
    """For a test that may itself be true or false about the value, as `? > 3` is."""
    if isinstance(test, bool) and not isinstance(value, bool):
        return test
    return passes(env, value, test)


def any_of(found: Iterable[bool | None]) -> bool | None:
    result: bool | None = False
    for one in found:
        if one is True:
            return True
        if one is None:
            result = None
    return result


def make_range(env: Env, low: object, low_in: bool, high: object, high_in: bool, open_low: bool, open_high: bool) -> object:
    """Return a range, which needs two ends of one ordered type."""
    if (low is None and not open_low) or (high is None and not open_high):
        return env.note("a range needs both of its ends")
    if low is not None and high is not None:
        which = order(env, low, high)
        if which is None:
            return None
        if which > 0:
            return env.note(f"a range must go up, but {shown(low)} is more than {shown(high)}")
    return Range(low, low_in, high, high_in)
