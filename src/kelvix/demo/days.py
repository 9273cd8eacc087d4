"""The demo's days, counted back from the day on which it is loaded."""

from __future__ import annotations

from datetime import UTC, date, datetime, time

WRITTEN = date(2026, 11, 24)  # the last day that the demo tells of
NOW = datetime.now(UTC)


def moved(at: datetime) -> datetime:
    """Return when something of the demo happened, `at` being its time as written. What is told of the last day happens in the part
    of today that has gone by, in its order."""
    day = at.date() + (NOW.date() - WRITTEN)
    midnight = datetime.combine(day, time(), UTC)
    clock = at - datetime.combine(at.date(), time(), UTC)
    return midnight + (clock if day != NOW.date() else clock * ((NOW - midnight).total_seconds() / 86_400))


TURNED_ON = moved(datetime(2026, 11, 4, 8, 0, tzinfo=UTC))  # when workflows were
YEAR = 365 * 24 * 3600  # seconds
