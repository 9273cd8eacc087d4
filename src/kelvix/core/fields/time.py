"""A time of day, on whose day and whose clock is not said."""

from __future__ import annotations

import re
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields.date import within
from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import short
from kelvix.core.values import Unfit, Value, Wire, as_text, shorten

WRITTEN = short(
    r"(?P<hour>\d{1,2})(?:[:.](?P<minute>\d{2})(?::(?P<second>\d{2}))?)?\s?(?P<half>[ap])\.?m\.?"
    r"|(?P<h24>\d{1,2})[:.](?P<m24>\d{2})(?::(?P<s24>\d{2}))?",
    most=20,
    worst="1",
    flags=re.I | re.A,
)


class TimeOfDay(FieldType):
    code, rank, name, with_article = "time", 52, "time of day", "a time of day"
    accepts = "times; the time in the workspace's zone of a date and time; text such as 17:02, 17.02 or 5:02 pm"
    refuses = "5, which has no unit; 24:00"
    example = "17:02"
    longest = 100
    operators = ("is", "before", "after", "filled", "empty")
    compares_values = has_order = reads_first_words = True
    column = "TIME(3)"
    family, from_text = "time", 0.35
    fits = {"datetime": 0.3}
    refuses_families = frozenset(("number", "yes_no", "address"))
    of_class = time
    keeps = time

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, datetime):
            return within(value).astimezone(how.zone).time().replace(microsecond=0)
        if isinstance(value, time):
            return value.replace(microsecond=0, tzinfo=None)
        if isinstance(value, (bool, date, timedelta)):
            raise Unfit(f"“{as_text(value, how.zone)}” is not a time of day")
        return super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        found = WRITTEN.fullmatch(one_line(text))
        if not found:
            raise Unfit(f"“{shorten(text)}” is not a time of day; a time of day looks like 17:02 or 5:02 pm")
        hour, minute, second = (int(n or 0) for n in (found["h24"] or found["hour"], found["m24"] or found["minute"],
                                                     found["s24"] or found["second"]))  # fmt: skip
        if found["half"]:
            if not 1 <= hour <= 12:
                raise Unfit(f"“{shorten(text)}” is not a time of day: before am and pm, hours go from 1 to 12")
            hour = hour % 12 + (12 if found["half"].lower() == "p" else 0)
        if hour > 23 or minute > 59 or second > 59:
            raise Unfit(f"“{shorten(text)}” is not a time of day; the latest is 23:59:59")
        return time(hour, minute, second)

    def from_wire(self, wire: Wire) -> Value:
        """ISO 8601, the extended format: 17:02 or 17:02:30."""
        value = time.fromisoformat(str(super().from_wire(wire)))
        if value.tzinfo:
            raise ValueError
        return value

    def from_column(self, raw: Any) -> Value:
        return None if raw is None else (datetime.min + raw).time()

    def at(self, value: Value, zone: ZoneInfo) -> str:
        return f"{value:%H:%M:%S}"

    def word(self, literal: object) -> str | None:
        return as_text(literal, ZoneInfo("UTC")) if isinstance(literal, time) and literal.tzinfo is None else None


TYPE = TimeOfDay()
