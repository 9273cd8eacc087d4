"""Functions that compare points and ranges (OMG DMN 1.5, table 78; the relations of Allen's interval algebra)."""

from __future__ import annotations

from collections.abc import Callable

from kelvix.core.feel.builtin import ANY, BOOLEAN, BUILTINS, RANGE, Param
from kelvix.core.feel.comparison import both, either, equal, in_range, less
from kelvix.core.feel.environment import Env
from kelvix.core.feel.values import Range

GROUP = "Ranges"
TWO_RANGES = [Param("range1", RANGE), Param("range2", RANGE)]
Answer = bool | None


def _as_range(value: object) -> Range:
    """Return a range; a point is a range of one."""
    return value if isinstance(value, Range) else Range(value, True, value, True)


def _before(env: Env, one: Range, other: Range) -> Answer:
    if one.high is None or other.low is None:
        return False
    touching = both(equal(env, one.high, other.low), not (one.high_in and other.low_in))
    return either(less(env, one.high, other.low), touching)


def _same_start(env: Env, a: Range, b: Range) -> Answer:
    return both(equal(env, a.low, b.low), a.low_in == b.low_in)


def _same_end(env: Env, a: Range, b: Range) -> Answer:
    return both(equal(env, a.high, b.high), a.high_in == b.high_in)


def _starts_earlier(env: Env, a: Range, b: Range) -> Answer:
    if a.low is None or b.low is None:
        return a.low is None and b.low is not None
    return either(less(env, a.low, b.low), both(equal(env, a.low, b.low), a.low_in and not b.low_in))


def _ends_later(env: Env, a: Range, b: Range) -> Answer:
    if a.high is None or b.high is None:
        return a.high is None and b.high is not None
    return either(less(env, b.high, a.high), both(equal(env, a.high, b.high), a.high_in and not b.high_in))


def _not(answer: Answer) -> Answer:
    return None if answer is None else not answer


def _within(env: Env, inner: Range, outer: Range) -> Answer:
    return both(_not(_starts_earlier(env, inner, outer)), _not(_ends_later(env, inner, outer)))


@BUILTINS.add(
    "before", [Param("value1", ANY), Param("value2", ANY)], BOOLEAN, "Whether a point or range ends before another begins.",
    "before([1..5), 5)", "true", GROUP, needs_env=True,
)  # fmt: skip
def before(env: Env, one: object, other: object) -> Answer:
    return None if one is None or other is None else _before(env, _as_range(one), _as_range(other))


@BUILTINS.add(
    "after", [Param("value1", ANY), Param("value2", ANY)], BOOLEAN, "Whether a point or range begins after another ends.",
    "after(10, [1..5])", "true", GROUP, needs_env=True,
)  # fmt: skip
def after(env: Env, one: object, other: object) -> Answer:
    return None if one is None or other is None else _before(env, _as_range(other), _as_range(one))


Declared = Callable[[Callable[..., Answer]], Callable[..., Answer]]


def _relation(name: str, says: str, example: str, gives: str) -> Declared:
    return BUILTINS.add(name, TWO_RANGES, BOOLEAN, says, example, gives, GROUP, needs_env=True)


@_relation("meets", "Whether the first ends where the second begins.", "meets([1..5], [5..10])", "true")
def meets(env: Env, a: Range, b: Range) -> Answer:
    return both(a.high_in and b.low_in, equal(env, a.high, b.low))


@_relation("met by", "Whether the first begins where the second ends.", "met by([5..10], [1..5])", "true")
def met_by(env: Env, a: Range, b: Range) -> Answer:
    return meets(env, b, a)


@_relation("overlaps", "Whether two ranges overlap.", "overlaps([1..5], [3..8])", "true")
def overlaps(env: Env, a: Range, b: Range) -> Answer:
    return both(_not(_before(env, a, b)), _not(_before(env, b, a)))


@_relation(
    "overlaps before", "Whether the first begins earlier and ends within the second.", "overlaps before([1..5], [3..8])", "true"
)
def overlaps_before(env: Env, a: Range, b: Range) -> Answer:
    return both(both(_starts_earlier(env, a, b), overlaps(env, a, b)), _not(_ends_later(env, a, b)))


@_relation(
    "overlaps after", "Whether the first begins within the second and ends later.", "overlaps after([3..8], [1..5])", "true"
)
def overlaps_after(env: Env, a: Range, b: Range) -> Answer:
    return both(both(_ends_later(env, a, b), overlaps(env, a, b)), _not(_starts_earlier(env, a, b)))


def _point_or_range(name: str, first: str, says: str, example: str) -> Declared:
    params = [Param(first, ANY), Param("range", RANGE)] if first != "range" else [Param("range", RANGE), Param("value", ANY)]
    return BUILTINS.add(name, params, BOOLEAN, says, example, "true", GROUP, needs_env=True)


@_point_or_range(
    "finishes", "point", "Whether a point or range ends exactly where the range ends.", "finishes([5..10], [1..10])"
)
def finishes(env: Env, one: object, outer: Range) -> Answer:
    if one is None:
        return None
    if not isinstance(one, Range):
        return both(outer.high_in, equal(env, one, outer.high))
    return both(_same_end(env, one, outer), _not(_starts_earlier(env, one, outer)))


@_point_or_range(
    "finished by", "range", "Whether the range ends exactly where a point or range ends.", "finished by([5..10], 10)"
)
def finished_by(env: Env, outer: Range, one: object) -> Answer:
    return finishes(env, one, outer)


@_point_or_range("includes", "range", "Whether the range contains a point or another range.", "includes([5..10], 6)")
def includes(env: Env, outer: Range, one: object) -> Answer:
    if one is None:
        return None
    return _within(env, one, outer) if isinstance(one, Range) else in_range(env, one, outer)


@_point_or_range("during", "point", "Whether a point or range is within the range.", "during([4..6], [1..10])")
def during(env: Env, one: object, outer: Range) -> Answer:
    return includes(env, outer, one)


@_point_or_range(
    "starts", "point", "Whether a point or range begins exactly where the range begins.", "starts([1..5], [1..10])"
)
def starts(env: Env, one: object, outer: Range) -> Answer:
    if one is None:
        return None
    if not isinstance(one, Range):
        return both(outer.low_in, equal(env, one, outer.low))
    return both(_same_start(env, one, outer), _not(_ends_later(env, one, outer)))


@_point_or_range(
    "started by", "range", "Whether the range begins exactly where a point or range begins.", "started by([1..10], 1)"
)
def started_by(env: Env, outer: Range, one: object) -> Answer:
    return starts(env, one, outer)


@BUILTINS.add(
    "coincides", [Param("value1", ANY), Param("value2", ANY)], BOOLEAN, "Whether two points or ranges are the same.",
    "coincides([1..5], [1..5])", "true", GROUP, needs_env=True,
)  # fmt: skip
def coincides(env: Env, one: object, other: object) -> Answer:
    if one is None or other is None:
        return None
    a, b = _as_range(one), _as_range(other)
    return both(_same_start(env, a, b), _same_end(env, a, b))
