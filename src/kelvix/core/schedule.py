"""When a schedule comes round: iCalendar rules (RFC 5545) and cron expressions, on a zone's clock.

A rule counts in local time, as RFC 5545 has it: a time that a change of the clocks leaves out is taken with the offset before
the change (3.3.5), and one that comes twice is taken once. Rules that go by hours or minutes count real time. Cron expressions
keep to Debian's cron: what is left out comes right after the change, and what comes twice comes once, unless it goes by hours
or minutes.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from itertools import islice, takewhile
from zoneinfo import ZoneInfo

from cronsim import CronSim, CronSimError
from dateutil.rrule import rrulestr

from kelvix.core.values import Unfit
from kelvix.core.workflow import Schedule

SHORTEST = 60  # seconds between two times
REAL_TIME = re.compile(r"FREQ=(HOURLY|MINUTELY|SECONDLY)\b", re.I)
MOST_STEPS = 100_000  # of a rule, looked through for one that is still to come


def _start(schedule: Schedule) -> datetime:
    try:
        return datetime.fromisoformat(schedule.start).replace(tzinfo=None)
    except ValueError:
        raise Unfit("say when the schedule begins, as in 2026-11-25T09:00") from None


def _rule(schedule: Schedule, zone: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """Times of a rule after a moment, which has a zone. Raises Unfit."""
    text = schedule.rule.strip().removeprefix("RRULE:")
    if re.search("SECONDLY|BYSECOND", text, re.I):
        raise Unfit("the shortest time between two is a minute")
    start = _start(schedule)
    real = bool(REAL_TIME.search(text))
    begins = start.replace(tzinfo=zone).astimezone(UTC).replace(tzinfo=None) if real else start
    seen = after.astimezone(UTC if real else zone).replace(tzinfo=None)
    begins = _nearer(text, begins, seen) if real else begins
    try:
        rule = rrulestr(_until(text, zone, real), dtstart=begins)
        found = rule.xafter(seen - timedelta(days=0 if real else 1), inc=False)  # a day back: clocks may have changed
    except (ValueError, KeyError, TypeError, AttributeError):
        raise Unfit(f"“{schedule.rule}” is no rule that iCalendar knows") from None
    last = after
    for naive in islice(found, MOST_STEPS):
        at = naive.replace(tzinfo=UTC) if real else naive.replace(tzinfo=zone).astimezone(UTC)
        if at > last:
            yield at
            last = at


def _nearer(text: str, begins: datetime, seen: datetime) -> datetime:
    """A later beginning from which a rule by hours or minutes counts alike, so that years of them need not be gone through."""
    if "COUNT=" in text.upper() or seen <= begins:
        return begins
    interval = re.search(r"INTERVAL=(\d{1,6})\b", text, re.I)
    step = timedelta(hours=1) if "HOURLY" in text.upper() else timedelta(minutes=1)
    step *= int(interval[1]) or 1 if interval else 1
    return begins + max(0, (seen - begins) // step - 1) * step


def _until(text: str, zone: ZoneInfo, real: bool) -> str:
    """The rule with its end on the clock that is counted by."""

    def local(m: re.Match[str]) -> str:
        end = datetime.strptime(m[1], "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
        return f"UNTIL={end.astimezone(UTC if real else zone):%Y%m%dT%H%M%S}"

    return re.sub(r"UNTIL=(\d{8}T\d{6}Z)", local, text, flags=re.I)


def _cron(schedule: Schedule, zone: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """Times of a cron expression after a moment. Raises Unfit."""
    if len(schedule.cron.split()) != 5:
        raise Unfit("a cron expression has five parts: minute, hour, day of the month, month, day of the week")
    try:
        found = CronSim(schedule.cron, after.astimezone(zone))
    except CronSimError as error:
        raise Unfit(f"“{schedule.cron}” is no cron expression: {error}") from None
    for at in found:
        yield at.astimezone(UTC)


def times(schedule: Schedule, zone: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """The times, in UTC, that come after a moment. Raises Unfit for what is no rule."""
    return _cron(schedule, zone, after) if schedule.cron else _rule(schedule, zone, after)


def next_times(schedule: Schedule, zone: ZoneInfo, after: datetime, count: int) -> list[datetime]:
    """The next times. Raises Unfit."""
    return list(islice(times(schedule, zone, after), count))


def last_before(schedule: Schedule, zone: ZoneInfo, since: datetime, now: datetime) -> tuple[datetime | None, int]:
    """Of the times after `since` that have come by now: the last, and how many came before it. Raises Unfit."""
    last, missed = None, -1
    for at in islice(times(schedule, zone, since), MOST_STEPS):
        if at > now:
            break
        last, missed = at, missed + 1
    return last, max(missed, 0)


def a_month(schedule: Schedule, zone: ZoneInfo, now: datetime) -> int:
    """How often a schedule comes round in the thirty days from now. Raises Unfit."""
    end = now + timedelta(days=30)
    return sum(1 for _ in takewhile(lambda at: at <= end, times(schedule, zone, now)))


def check(schedule: Schedule, zone: ZoneInfo, now: datetime) -> str:
    """A sentence where a schedule cannot be kept to; empty where it can."""
    try:
        soon = next_times(schedule, zone, now, 2)
    except Unfit as unfit:
        return str(unfit)
    if not soon:
        return "this schedule does not come round any more"
    if len(soon) == 2 and (soon[1] - soon[0]).total_seconds() < SHORTEST:
        return "the shortest time between two is a minute"
    return ""
