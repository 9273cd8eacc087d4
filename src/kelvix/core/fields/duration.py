"""How long something takes: days, hours, minutes and seconds. A month or a year is none: they differ in length."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import short
from kelvix.core.values import Unfit, Value, Wire, as_text, iso_duration, shorten

MAX_DURATION = timedelta(days=36_500)
MILLISECOND = timedelta(milliseconds=1)
ISO = short(  # ISO 8601-1, 5.5.2, without years and months
    r"(?P<sign>-?)P(?:(?P<w>\d+)W|(?=\d|T\d)(?:(?P<d>\d+)D)?(?:T(?=\d)(?:(?P<h>\d+)H)?(?:(?P<m>\d+)M)?(?:(?P<s>\d+(?:\.\d{1,3})?)S)?)?)",
    most=60,
    worst="1",
    flags=re.A,
)
CLOCK = short(r"(?P<sign>-?)(?P<h>\d{1,5}):(?P<m>[0-5]\d)(?::(?P<s>[0-5]\d))?", most=20, worst="1", flags=re.A)
UNITS = {
    "w": r"w|wks?|weeks?",
    "d": r"d|days?",
    "h": r"h|hrs?|hours?",
    "m": r"m|mins?|minutes?",
    "s": r"s|secs?|seconds?",
}
WORDS = short(
    r"(?P<sign>minus |-|−)?"
    + "".join(rf"(?:(?P<{u}>\d+(?:\.\d+)?) ?(?:{names})(?![a-z])[, ]*(?:and )?)?" for u, names in UNITS.items()),
    most=80,
    worst="1",
    flags=re.I | re.A,
)
PARTS = {"w": "weeks", "d": "days", "h": "hours", "m": "minutes", "s": "seconds"}


class Duration(FieldType):
    code, rank, name, with_article = "duration", 54, "duration", "a duration"
    accepts = "durations; text such as 1:30 for hours and minutes, 90 min, 2 days, 4 hours, or PT1H30M"
    refuses = "90, which has no unit; months and years, which vary in length"
    example = "PT1H30M"
    longest = 200
    operators = ("is", "is_not", "less", "more", "filled", "empty")
    compares_values = has_order = has_sum = reads_first_words = True
    column = "BIGINT"  # milliseconds
    added_within = ()
    family, from_text = "number", 0.35
    refuses_families = frozenset(("time", "yes_no", "address"))
    of_class = timedelta
    keeps = timedelta

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, timedelta):
            return bounded(value)
        if not isinstance(value, str):
            raise Unfit(f"“{as_text(value, how.zone)}” is not a duration; add a unit")
        return super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        found = ISO.fullmatch(line) or CLOCK.fullmatch(line) or WORDS.fullmatch(line.rstrip(" ,"))
        given = {PARTS[u]: float(n) for u, n in found.groupdict().items() if u in PARTS and n} if found else {}
        if not found or not given:
            raise Unfit(f"“{shorten(text)}” is not a duration; a duration looks like 1:30, 90 min or 2 days, 4 hours")
        try:
            span = timedelta(**given)
        except OverflowError:
            span = timedelta.max
        return bounded(-span if found["sign"] else span)

    def from_wire(self, wire: Wire) -> Value:
        text = str(super().from_wire(wire))
        if not ISO.fullmatch(text):
            raise ValueError
        return self.read(text, Taking(ZoneInfo("UTC")))

    def to_column(self, value: Value) -> Any:
        return value // MILLISECOND if isinstance(value, timedelta) else value

    def from_column(self, raw: Any) -> Value:
        return None if raw is None else raw * MILLISECOND

    def total(self, values: Sequence[Value]) -> Value:
        return sum((v for v in values if isinstance(v, timedelta)), timedelta())

    def mean(self, values: Sequence[Value]) -> Value:
        spans = [v for v in values if isinstance(v, timedelta)]
        return sum(spans, timedelta()) / len(spans) // MILLISECOND * MILLISECOND if spans else None

    def at(self, value: Value, zone: ZoneInfo) -> str:
        assert isinstance(value, timedelta)
        return iso_duration(value)

    def word(self, literal: object) -> str | None:
        return as_text(literal, ZoneInfo("UTC")) if isinstance(literal, timedelta) else None


def bounded(value: timedelta) -> timedelta:
    """Return a duration that a field keeps, in milliseconds. Raises Unfit."""
    if abs(value) > MAX_DURATION:
        raise Unfit(f"a duration field holds at most {MAX_DURATION.days:,} days")
    return value // MILLISECOND * MILLISECOND


TYPE = Duration()
