"""When a schedule comes round: iCalendar rules (RFC 5545) and cron expressions, on a zone's clock.

A rule counts in local time, as RFC 5545 has it: a time that a change of the clocks leaves out is taken with the offset before
the change (3.3.5), and one that comes twice is taken once. Rules that go by hours or minutes count real time. Cron expressions
keep to Debian's cron: what is left out comes right after the change, and what comes twice comes once, unless it goes by hours
or minutes.
"""

from __future__ import annotations

import re
from calendar import monthrange
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from itertools import islice, takewhile
from zoneinfo import ZoneInfo

from cronsim import CronSim, CronSimError
from dateutil.rrule import rrulestr

from kelvix.core.patterns import short
from kelvix.core.values import Unfit, whole
from kelvix.core.workflow import Schedule

SHORTEST = 60  # seconds between two times
REAL_TIME = re.compile(r"FREQ=(HOURLY|MINUTELY|SECONDLY)\b", re.I)
MAX_STEPS = 100_000  # of a rule, looked through for one that is still to come
MAX_RULE = 500  # characters
FIRST_YEAR, LAST_YEAR = 1970, 2200  # in which a schedule may begin
AHEAD = 10  # years in which a rule must come round
FREQUENCIES = ("YEARLY", "MONTHLY", "WEEKLY", "DAILY", "HOURLY", "MINUTELY")
WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
PART = short(r"([A-Z-]+)=(.+)", most=MAX_RULE, worst="A", flags=re.I)
VALUES = {  # RFC 5545, 3.3.10: the least and the most of each part, below zero too where it counts from the end
    "BYMINUTE": (0, 59, False),
    "BYHOUR": (0, 23, False),
    "BYMONTHDAY": (1, 31, True),
    "BYYEARDAY": (1, 366, True),
    "BYWEEKNO": (1, 53, True),
    "BYMONTH": (1, 12, False),
    "BYSETPOS": (1, 366, True),
    "INTERVAL": (1, 10_000, False),
    "COUNT": (1, 1_000_000, False),
}
STEPS = {  # of which a rule's times are whole numbers apart
    "WEEKLY": timedelta(weeks=1),
    "DAILY": timedelta(days=1),
    "HOURLY": timedelta(hours=1),
    "MINUTELY": timedelta(minutes=1),
}
DAY = short(r"([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)", most=5, worst="1", flags=re.I)


def _start(schedule: Schedule) -> datetime:
    try:
        start = datetime.fromisoformat(schedule.start).replace(tzinfo=None)
    except ValueError:
        raise Unfit("enter the start of the schedule, for example 2026-11-25T09:00") from None
    if not FIRST_YEAR <= start.year <= LAST_YEAR:
        raise Unfit(f"a schedule begins between the years {FIRST_YEAR} and {LAST_YEAR}")
    return start


def _parts(text: str) -> dict[str, str]:
    """Return the parts of a rule, by name. Raises Unfit for what RFC 5545 does not allow, which libraries take or stumble
    over."""
    if len(text) > MAX_RULE:
        raise Unfit(f"a rule has at most {MAX_RULE} characters")
    found: dict[str, str] = {}
    for piece in filter(None, (p.strip() for p in text.split(";"))):
        part = PART.fullmatch(piece)
        if part is None or part[1].upper() in found:
            raise Unfit(f"“{piece}” is not an iCalendar rule, or is used twice")
        found[part[1].upper()] = part[2].upper()
    if found.get("FREQ") not in FREQUENCIES:
        said = f"“{text}” is not an iCalendar rule"
        raise Unfit(f"{said}: use FREQ=DAILY, WEEKLY, MONTHLY, YEARLY, HOURLY or MINUTELY")
    for name, (least, most, from_the_end) in VALUES.items():
        for value in found[name].split(",") if name in found else ():
            number = whole(value.lstrip("+").removeprefix("-") if from_the_end else value)
            if number is None or not least <= number <= most:
                raise Unfit(f"{name}={value} is not valid: use a number from {least} to {most}")
    for value in found["BYDAY"].split(",") if "BYDAY" in found else ():
        if (day := DAY.fullmatch(value)) is None or (day[1] and not 1 <= abs(int(day[1])) <= 53):
            raise Unfit(f"BYDAY={value} is not valid: use MO, TU, WE, TH, FR, SA or SU, optionally with a number before it")
    return found


def _rule(schedule: Schedule, zone: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """Yield times of a rule after a moment, which has a zone. Raises Unfit."""
    text = schedule.rule.strip().removeprefix("RRULE:")
    if re.search("SECONDLY|BYSECOND", text, re.I):
        raise Unfit("the shortest interval is one minute")
    parts = _parts(text)
    start = _start(schedule)
    real = bool(REAL_TIME.search(text))
    begins = start.replace(tzinfo=zone).astimezone(UTC).replace(tzinfo=None) if real else start
    seen = after.astimezone(UTC if real else zone).replace(tzinfo=None)
    begins = _nearer(parts, begins, seen)
    if not _comes_round(parts, begins.date()):
        return
    try:
        end = f";UNTIL={_end(parts.pop('UNTIL'), zone, real):%Y%m%dT%H%M%S}" if "UNTIL" in parts else ""
        rule = rrulestr(";".join(f"{k}={v}" for k, v in parts.items()) + end, dtstart=begins)
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError):
        raise Unfit(f"“{schedule.rule}” is not an iCalendar rule") from None
    last = after
    back = seen - timedelta(days=0 if real else 1)  # a day back: clocks may have changed
    for number, naive in enumerate(rule, 1):
        if naive <= back:
            if number >= MAX_STEPS:
                raise Unfit(f"this rule has {MAX_STEPS:,} times before now. Choose a later start")
            continue
        if naive.year > LAST_YEAR:
            return
        at = naive.replace(tzinfo=UTC) if real else naive.replace(tzinfo=zone).astimezone(UTC)
        if at > last:
            yield at
            last = at


def _comes_round(parts: dict[str, str], first: date) -> bool:
    """Say whether there is any day on which a rule can come round, in a number of years: the library goes to the year 9999 for
    one. And whether BYSETPOS names a time that there can be."""
    numbers = {name: [int(v) for v in parts[name].split(",")] for name in VALUES if name in parts}
    days = parts.get("BYDAY", "").split(",") if "BYDAY" in parts else []
    frequency = parts["FREQ"]
    if frequency not in ("MONTHLY", "YEARLY") and any(day[:-2] for day in days):
        raise Unfit(f"a number before a day of the week needs MONTHLY or YEARLY: BYDAY={parts['BYDAY']}")
    times = len(numbers.get("BYMINUTE", "1"))
    times *= len(numbers.get("BYHOUR", "1")) if frequency not in ("HOURLY", "MINUTELY") else 1
    size = times * {"WEEKLY": len(days) or 1, "MONTHLY": 31, "YEARLY": 366}.get(frequency, 1)
    if any(abs(n) > size for n in numbers.get("BYSETPOS", [])):
        raise Unfit(f"BYSETPOS={parts['BYSETPOS']} is not valid: there are at most {size} times to choose from")
    weekdays = {WEEKDAYS.index(day[-2:]) for day in days}
    for ahead in range(366 * AHEAD):
        day = first + timedelta(days=ahead)
        length = 366 if monthrange(day.year, 2)[1] == 29 else 365
        this = {
            "BYMONTH": (day.month, 12),
            "BYMONTHDAY": (day.day, monthrange(day.year, day.month)[1]),
            "BYYEARDAY": (day.timetuple().tm_yday, length),
        }
        if all(not {at, at - of - 1}.isdisjoint(numbers[name]) for name, (at, of) in this.items() if name in numbers) and (
            not weekdays or day.weekday() in weekdays
        ):
            return True
    return False


def _nearer(parts: dict[str, str], begins: datetime, seen: datetime) -> datetime:
    """Return a later beginning from which a rule counts alike, so that years of times need not be gone through; one with a
    count, or by months or years, has none."""
    step = STEPS.get(parts["FREQ"])
    if "COUNT" in parts or step is None or seen <= begins:
        return begins
    step *= int(parts.get("INTERVAL", "1"))
    return begins + max(0, (seen - begins) // step - 2) * step


def _end(text: str, zone: ZoneInfo, real: bool) -> datetime:
    """Return the end of a rule on the clock that is counted by. Raises ValueError."""
    if text.endswith("Z"):
        end = datetime.strptime(text, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
        return end.astimezone(UTC if real else zone).replace(tzinfo=None)
    return datetime.strptime(text, "%Y%m%dT%H%M%S" if "T" in text else "%Y%m%d")


def _cron(schedule: Schedule, zone: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """Yield times of a cron expression after a moment. Raises Unfit."""
    if len(schedule.cron.split()) != 5:
        raise Unfit("a cron expression has five parts: minute, hour, day of the month, month, day of the week")
    try:
        found = CronSim(schedule.cron, after.astimezone(zone))
    except CronSimError as error:
        raise Unfit(f"“{schedule.cron}” is not a cron expression: {error}") from None
    for at in found:
        yield at.astimezone(UTC)


def times(schedule: Schedule, zone: ZoneInfo, after: datetime) -> Iterator[datetime]:
    """Yield the times, in UTC, that come after a moment. Raises Unfit for what is no rule."""
    return _cron(schedule, zone, after) if schedule.cron else _rule(schedule, zone, after)


def next_times(schedule: Schedule, zone: ZoneInfo, after: datetime, count: int) -> list[datetime]:
    """Return the next times. Raises Unfit."""
    return list(islice(times(schedule, zone, after), count))


def last_before(schedule: Schedule, zone: ZoneInfo, since: datetime, now: datetime) -> tuple[datetime | None, int]:
    """Of the times after `since` that have come by now: the last, and how many came before it. Raises Unfit."""
    last, missed = None, -1
    for at in islice(times(schedule, zone, since), MAX_STEPS):
        if at > now:
            break
        last, missed = at, missed + 1
    return last, max(missed, 0)


def a_month(schedule: Schedule, zone: ZoneInfo, now: datetime) -> int:
    """How often a schedule comes round in the thirty days from now. Raises Unfit."""
    end = now + timedelta(days=30)
    return sum(1 for _ in takewhile(lambda at: at <= end, times(schedule, zone, now)))


def check(schedule: Schedule, zone: ZoneInfo, now: datetime) -> str:
    """Return a sentence where a schedule cannot be kept to; empty where it can."""
    try:
        soon = next_times(schedule, zone, now, 2)
    except Unfit as unfit:
        return str(unfit)
    if not soon:
        return "this schedule has no more times"
    if len(soon) == 2 and (soon[1] - soon[0]).total_seconds() < SHORTEST:
        return "the shortest interval is one minute"
    return ""
