"""Schedules against the standards.

Rules: the examples of RFC 5545, 3.8.5.3 (dates recalled from its text), all on America/New_York. Over changes of the clocks: RFC
5545, 3.3.5, for rules; Debian's cron(8), "daylight saving", for cron. The days on which clocks change are those of the law in
Britain (last Sundays of March and October, 01:00 UTC) and in the United States (second Sunday of March, first of November, 02:00
local), as the tz database has them for 2026.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.schedule import last_before, next_times, times
from kelvix.core.workflow import Schedule

NEW_YORK, LONDON = ZoneInfo("America/New_York"), ZoneInfo("Europe/London")


def days(*texts: str) -> list[str]:
    """1997-09 2 3 4 → the dates of that month."""
    found: list[str] = []
    for text in texts:
        month, *numbers = text.split()
        found += [f"{month}-{int(n):02}" for n in numbers]
    return found


EXAMPLES = [
    ("19970902", "FREQ=DAILY;COUNT=10", days("1997-09 2 3 4 5 6 7 8 9 10 11")),
    ("19970902", "FREQ=DAILY;INTERVAL=2", days("1997-09 2 4 6 8 10 12")),
    ("19970902", "FREQ=DAILY;INTERVAL=10;COUNT=5", days("1997-09 2 12 22", "1997-10 2 12")),
    ("19970902", "FREQ=WEEKLY;COUNT=10", days("1997-09 2 9 16 23 30", "1997-10 7 14 21 28", "1997-11 4")),
    ("19970902", "FREQ=WEEKLY;INTERVAL=2;WKST=SU", days("1997-09 2 16 30", "1997-10 14 28", "1997-11 11 25", "1997-12 9 23")),
    ("19970902", "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH", days("1997-09 2 4 9 11 16 18 23 25 30", "1997-10 2")),
    (
        "19970905",
        "FREQ=MONTHLY;COUNT=10;BYDAY=1FR",
        days(
            "1997-09 5",
            "1997-10 3",
            "1997-11 7",
            "1997-12 5",
            "1998-01 2",
            "1998-02 6",
            "1998-03 6",
            "1998-04 3",
            "1998-05 1",
            "1998-06 5",
        ),
    ),
    (
        "19970922",
        "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO",
        days("1997-09 22", "1997-10 20", "1997-11 17", "1997-12 22", "1998-01 19", "1998-02 16"),
    ),
    (
        "19970928",
        "FREQ=MONTHLY;BYMONTHDAY=-3",
        days("1997-09 28", "1997-10 29", "1997-11 28", "1997-12 29", "1998-01 29", "1998-02 26"),
    ),
    (
        "19970902",
        "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15",
        days("1997-09 2 15", "1997-10 2 15", "1997-11 2 15", "1997-12 2 15", "1998-01 2 15"),
    ),
    (
        "19970930",
        "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1",
        days("1997-09 30", "1997-10 1 31", "1997-11 1 30", "1997-12 1 31", "1998-01 1 31", "1998-02 1"),
    ),
    (
        "19970910",
        "FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15",
        days("1997-09 10 11 12 13 14 15", "1999-03 10 11 12 13"),
    ),
    ("19970610", "FREQ=YEARLY;COUNT=10;BYMONTH=6,7", [f"{y}-{m}-10" for y in range(1997, 2002) for m in ("06", "07")]),
    ("19970519", "FREQ=YEARLY;BYDAY=20MO", days("1997-05 19", "1998-05 18", "1999-05 17")),
    ("19970512", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", days("1997-05 12", "1998-05 11", "1999-05 17")),
    (
        "19980213",
        "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13",
        days("1998-02 13", "1998-03 13", "1998-11 13", "1999-08 13", "2000-10 13"),
    ),
    (
        "19961105",
        "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8",
        days("1996-11 5", "2000-11 7", "2004-11 2"),
    ),
    ("19970904", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", days("1997-09 4", "1997-10 7", "1997-11 6")),
    (
        "19970929",
        "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2",
        days("1997-09 29", "1997-10 30", "1997-11 27", "1997-12 30", "1998-01 29", "1998-02 26", "1998-03 30"),
    ),
    ("19970805", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", days("1997-08 5 10 19 24")),
    ("19970805", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", days("1997-08 5 17 19 31")),
    ("20070115", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", days("2007-01 15 30", "2007-02 15", "2007-03 15 30")),
]


def upcoming(schedule: Schedule, zone: ZoneInfo, after: datetime, count: int) -> list[str]:
    """On the zone's clock."""
    return [at.astimezone(zone).strftime("%Y-%m-%d %H:%M") for at in next_times(schedule, zone, after, count)]


@pytest.mark.parametrize("start, rule, expected", EXAMPLES)
def test_the_examples_of_the_standard(start, rule, expected):
    begins = datetime.strptime(start, "%Y%m%d").replace(hour=9)
    schedule = Schedule(rule, start=begins.isoformat(timespec="minutes"))
    before = begins.replace(tzinfo=NEW_YORK) - timedelta(seconds=1)
    got = upcoming(schedule, NEW_YORK, before, len(expected) + ("COUNT" in rule))
    assert got == [f"{day} 09:00" for day in expected]


def test_until_is_in_utc_and_counts_across_the_change_of_clocks():
    """Daily until 24 December 1997: 113 times, each at nine by the clock."""
    schedule = Schedule("FREQ=DAILY;UNTIL=19971224T000000Z", start="1997-09-02T09:00")
    found = list(times(schedule, NEW_YORK, datetime(1997, 9, 1, tzinfo=UTC)))
    assert len(found) == 113 and found[-1].astimezone(NEW_YORK).isoformat() == "1997-12-23T09:00:00-05:00"
    assert {at.astimezone(NEW_YORK).hour for at in found} == {9}


@pytest.mark.parametrize(
    "rule, expected", [("FREQ=MINUTELY;INTERVAL=15;COUNT=6", "09:00 09:15 09:30 09:45 10:00 10:15"), ("FREQ=MINUTELY;INTERVAL=90;COUNT=4", "09:00 10:30 12:00 13:30")]
)  # fmt: skip
def test_rules_by_minutes(rule, expected):
    schedule = Schedule(rule, start="1997-09-02T09:00")
    got = upcoming(schedule, NEW_YORK, datetime(1997, 9, 2, 12, tzinfo=UTC), 9)
    assert [g[-5:] for g in got] == expected.split()


AT_HALF_PAST_ONE = Schedule("FREQ=DAILY", start="2026-01-01T01:30")
AT_HALF_PAST_TWO = Schedule("FREQ=DAILY", start="2026-01-01T02:30")


@pytest.mark.parametrize(
    "schedule, zone, after, expected",
    [
        # 01:30 does not exist in London on 29 March: the offset before the change makes it 02:30
        (AT_HALF_PAST_ONE, LONDON, "2026-03-28", ["03-28T01:30Z", "03-29T01:30Z", "03-30T00:30Z"]),
        # 01:30 comes twice on 25 October: the first counts
        (AT_HALF_PAST_ONE, LONDON, "2026-10-24", ["10-24T00:30Z", "10-25T00:30Z", "10-26T01:30Z"]),
        # 02:30 does not exist in New York on 8 March; 01:30 comes twice on 1 November
        (AT_HALF_PAST_TWO, NEW_YORK, "2026-03-07", ["03-07T07:30Z", "03-08T07:30Z", "03-09T06:30Z"]),
        (AT_HALF_PAST_ONE, NEW_YORK, "2026-10-31", ["10-31T05:30Z", "11-01T05:30Z", "11-02T06:30Z"]),
        # by the hour, real hours pass: five of them over each night
        (Schedule("FREQ=HOURLY", start="2026-01-01T00:00"), LONDON, "2026-03-29T00:30", ["03-29T01:00Z", "03-29T02:00Z"]),
        (Schedule("FREQ=HOURLY", start="2026-01-01T00:00"), LONDON, "2026-10-24T23:30", ["10-25T00:00Z", "10-25T01:00Z", "10-25T02:00Z"]),
        # cron: a job at a fixed time that is left out is run right after the change
        (Schedule(cron="30 1 * * *"), LONDON, "2026-03-28T02:00", ["03-29T01:00Z", "03-30T00:30Z"]),
        # one at a fixed time that comes twice is run once
        (Schedule(cron="30 1 * * *"), LONDON, "2026-10-24T02:00", ["10-25T00:30Z", "10-26T01:30Z"]),
        (Schedule(cron="30 2 * * *"), NEW_YORK, "2026-03-07T08:00", ["03-08T07:00Z", "03-09T06:30Z"]),
        (Schedule(cron="30 1 * * *"), NEW_YORK, "2026-10-31T06:00", ["11-01T05:30Z", "11-02T06:30Z"]),
        # one by the hour follows real time
        (Schedule(cron="0 * * * *"), LONDON, "2026-10-24T23:30", ["10-25T00:00Z", "10-25T01:00Z", "10-25T02:00Z"]),
        (Schedule(cron="0 8 * * MON-FRI"), LONDON, "2026-10-23T12:00", ["10-26T08:00Z", "10-27T08:00Z"]),
    ],
)  # fmt: skip
def test_over_the_changes_of_the_clocks(schedule, zone, after, expected):
    since = datetime.fromisoformat(after).replace(tzinfo=UTC)
    got = next_times(schedule, zone, since, len(expected))
    assert [at.strftime("%m-%dT%H:%MZ") for at in got] == expected


def test_times_that_were_missed_are_counted_with_the_last():
    """Common practice: what was missed is made up for once."""
    daily = Schedule("FREQ=DAILY", start="2026-11-01T09:00")
    since, now = datetime(2026, 11, 20, 9, tzinfo=UTC), datetime(2026, 11, 24, 10, tzinfo=UTC)
    assert last_before(daily, LONDON, since, now) == (datetime(2026, 11, 24, 9, tzinfo=UTC), 3)
    assert last_before(daily, LONDON, now, now) == (None, 0)
