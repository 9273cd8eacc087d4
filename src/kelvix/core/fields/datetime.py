"""Moments: kept in UTC, typed and shown by the workspace's clock."""

from __future__ import annotations

from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from kelvix.core.fields.date import read_moment, within
from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.values import Unfit, Value, Wire, as_text


class DateTime(FieldType):
    code, rank, name, with_article = "datetime", 50, "date and time", "a date and time"
    accepts = "dates and times with their zone; a date, as its midnight in the workspace's zone; text as for dates, with 17:02"
    refuses = "a time without a date"
    example = "2026-11-25T09:00:00Z"
    operators = ("before", "after", "within", "filled", "empty")
    recognises = False
    compares_values = has_order = tells_day = has_clock = True
    family = "time"
    fits = {"date": 0.7}
    refuses_families = frozenset(("number", "yes_no"))
    of_class = datetime
    keeps = datetime
    column = "DATETIME(3)"

    def seems(self, raw: object) -> bool:
        return isinstance(raw, str) and len(raw) > 10 and raw[:4].isdigit() and self.takes(raw)

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, bool):
            raise Unfit(f"“{as_text(value, how.zone)}” is not a date and time")
        if isinstance(value, datetime):
            return within(value).astimezone(UTC)
        if isinstance(value, date):
            return within(datetime(value.year, value.month, value.day, tzinfo=how.zone)).astimezone(UTC)
        return super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        return within(read_moment(text.strip(), how.zone, how.order)).astimezone(UTC)

    def from_wire(self, wire: Wire) -> Value:
        value = within(datetime.fromisoformat(str(super().from_wire(wire))))
        return value if value.tzinfo else value.replace(tzinfo=UTC)

    def at(self, value: Value, zone: ZoneInfo) -> str:
        assert isinstance(value, datetime)
        return f"{value.astimezone(zone):%Y-%m-%dT%H:%M:%S}"

    def word(self, literal: object) -> str | None:
        """Of a literal without a zone, which is on the workspace's clock."""
        if not isinstance(literal, datetime) or literal.tzinfo is not None:
            return None
        if not (literal.hour or literal.minute or literal.second):
            return literal.date().isoformat()
        return f"{literal:%Y-%m-%dT%H:%M:%S}" if literal.second else f"{literal:%Y-%m-%d %H:%M}"


TYPE = DateTime()
