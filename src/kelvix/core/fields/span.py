"""From a start to an end: days, or moments on a clock. Sent as an interval of ISO 8601 (8601-1, 5.5.1)."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields import date as days
from kelvix.core.fields import datetime as moments
from kelvix.core.fields import duration
from kelvix.core.fields.field_type import Bound, FieldType, Taking, one_line
from kelvix.core.patterns import pattern, short
from kelvix.core.values import Span, Unfit, Value, Wire, shorten

BETWEEN = (" – ", " — ", " - ", " to ", " until ", "–")
CLOCK = short(r"(?P<h>[01]?\d|2[0-3]):(?P<m>[0-5]\d)", most=5, worst="1")
HAS_CLOCK = pattern(r"\d:\d\d", worst="1")


def span(start: datetime | date, end: datetime | date) -> Span:
    """Make a span. Raises Unfit for one that ends before it starts."""
    if end < start:
        raise Unfit("this ends before it starts")
    return Span(start, end)


class SpanType(FieldType):
    code, rank, name, with_article = "span", 52, "span of time", "a span of time"
    accepts = (
        "a start and an end: 23 Nov 2026 – 27 Nov 2026; 23 Nov 2026, 10:00 – 11:30; ISO 8601 as 2026-11-23/2026-11-27 or "
        "2026-11-23T10:00/PT1H30M; a single date"
    )
    refuses = "an end before the start; a start with a time and an end without one"
    example = "2026-11-23/2026-11-27"
    longest = 200
    operators = ("before", "after", "within", "filled", "empty")
    compares_values = True
    parts = {"start": "datetime", "end": "datetime"}
    compared_by, as_day = "start", True
    column = "DATETIME(3)"  # its start
    more_columns = {"end": "DATETIME(3)", "clock": "BOOLEAN"}  # without a clock: midnights, of UTC
    family, from_text = "time", 0.3
    fits = {"date": 0.4, "datetime": 0.3}
    refuses_families = frozenset(("number", "yes_no", "address"))
    keeps = Span

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, Span):
            return value
        if isinstance(value, datetime):
            moment = days.within(value).astimezone(UTC)
            return span(moment, moment)
        return span(value, value) if isinstance(value, date) else super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        head, found, tail = line.partition("/")
        if (found and days.BEGINS_ISO.search(line)) or head.startswith("P"):
            return self._interval(head, tail, text, how)
        for sign in BETWEEN:
            head, found, tail = line.partition(sign)
            if found and head and tail:
                start = self._end(head, how)
                if isinstance(start, datetime) and (clock := CLOCK.fullmatch(tail.strip())):
                    local = start.astimezone(how.zone)
                    end = datetime.combine(local.date(), time(int(clock["h"]), int(clock["m"])), how.zone).astimezone(UTC)
                    return span(start, end)
                return self._both(start, self._end(tail, how), text)
        day = self._end(line, how)
        return span(day, day)

    def _interval(self, head: str, tail: str, text: str, how: Taking) -> Value:
        """Start and end, start and duration, or duration and end. Raises Unfit."""
        if head.startswith("P"):
            end = self._end(tail, how)
            return self._both(end - self._length(head, end, how), end, text)
        start = self._end(head, how)
        end = start + self._length(tail, start, how) if tail.startswith("P") else self._end(tail, how)
        return self._both(start, end, text)

    def _length(self, text: str, of: datetime | date, how: Taking) -> timedelta:
        """Of days, the last belongs to it: P1D is one day. Raises Unfit."""
        length = duration.TYPE.read(text, how)
        assert isinstance(length, timedelta)
        return length if isinstance(of, datetime) else max(timedelta(), length - timedelta(days=1))

    def _end(self, text: str, how: Taking) -> datetime | date:
        found = moments.TYPE.read(text, how) if HAS_CLOCK.search(text) else days.TYPE.read(text, how)
        assert isinstance(found, date)
        return found

    def _both(self, start: datetime | date, end: datetime | date, text: str) -> Span:
        if isinstance(start, datetime) is not isinstance(end, datetime):
            raise Unfit(f"“{shorten(text)}” has a time at one end only; give both ends a time, or neither")
        return span(start, end)

    def from_wire(self, wire: Wire) -> Value:
        parts = [
            moments.TYPE.from_wire(p) if "T" in p else days.TYPE.from_wire(p) for p in str(super().from_wire(wire)).split("/")
        ]
        start, end = parts
        if (
            not isinstance(start, date)
            or not isinstance(end, date)
            or isinstance(start, datetime) is not isinstance(end, datetime)
        ):
            raise ValueError
        return span(start, end)

    def of_parts(self, parts: Mapping[str, Any], zone: ZoneInfo) -> Value:
        how = Taking(zone)
        start, end = (
            moments.TYPE.coerce(p, how) if isinstance(p, datetime) else days.TYPE.coerce(p, how)
            for p in (parts["start"], parts["end"])
        )
        if not isinstance(start, date) or not isinstance(end, date):
            raise Unfit("a span has a start and an end")
        return self._both(start, end, "this span")

    def to_columns(self, value: Value) -> dict[str, Any]:
        if not isinstance(value, Span):
            return {"": None, "end": None, "clock": None}
        return {"": _kept(value.start), "end": _kept(value.end), "clock": value.has_clock}

    def from_columns(self, raw: Mapping[str, Any]) -> Value:
        if raw[""] is None:
            return None
        return Span(raw[""], raw["end"]) if raw["clock"] else Span(raw[""].date(), raw["end"].date())

    def bounds(self, value: Value, less: bool, zone: ZoneInfo) -> tuple[Bound, ...]:
        """By the day on which it starts, which a clock tells in the workspace's zone."""
        assert isinstance(value, Span)
        day = value.start.astimezone(zone).date() if isinstance(value.start, datetime) else value.start
        first = datetime.combine(day if less else day + timedelta(days=1), time(), zone).astimezone(UTC)
        return (
            Bound("<" if less else ">", _kept(day), {"clock": False}),
            Bound("<" if less else ">=", first, {"clock": True}),
        )

    def at(self, value: Value, zone: ZoneInfo) -> str:
        return days.TYPE.at(value, zone)

    def word(self, literal: object) -> str | None:
        return days.TYPE.word(literal)


def _kept(end: datetime | date) -> datetime:
    return end if isinstance(end, datetime) else datetime(end.year, end.month, end.day, tzinfo=UTC)


TYPE = SpanType()
