"""Dates in plain words against a table with a fixed now, over two changes of the clocks, and against another library.

Sources. The conventions are common practice, as core/plain_dates.py says them; the weekdays and lengths of months are those of
Python's own calendar module, which the table is checked against where it can be. The changes of the clocks are those of the IANA
time zone database: London goes back on 25 October 2026 and forward on 28 March 2027, New York forward on 14 March 2027. The
other library is dateparser, asked only what it reads by the same conventions.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

import dateparser
import pytest

from kelvix.core.plain_dates import find

LONDON, NEW_YORK = ZoneInfo("Europe/London"), ZoneInfo("America/New_York")
NOW = datetime(2026, 11, 25, 15, 30, tzinfo=UTC)  # a Wednesday

PHRASES = {
    "today": "2026-11-25", "tomorrow": "2026-11-26", "yesterday": "2026-11-24", "tonight": "2026-11-25 20:00",
    "day after tomorrow": "2026-11-27", "the day after tomorrow": "2026-11-27", "the day before yesterday": "2026-11-23",
    "thursday": "2026-11-26", "friday": "2026-11-27", "Sat": "2026-11-28", "on Monday": "2026-11-30", "tues": "2026-12-01",
    "wednesday": "2026-12-02", "Wednesday week": "2026-12-09", "this friday": "2026-11-27", "next friday": "2026-12-04",
    "last friday": "2026-11-20", "coming wednesday": "2026-12-02", "next monday": "2026-11-30", "next week": "2026-11-30",
    "next month": "2026-12-01", "next year": "2027-01-01", "next weekend": "2026-12-05", "this weekend": "2026-11-28",
    "in 3 days": "2026-11-28", "in two weeks": "2026-12-09", "in a fortnight": "2026-12-09", "in a month": "2026-12-25",
    "in 3 months": "2027-02-25", "in a year": "2027-11-25", "in a couple of days": "2026-11-27", "in a few days": "2026-11-28",
    "two weeks from now": "2026-12-09", "3 days ago": "2026-11-22", "a week ago": "2026-11-18", "a month ago": "2026-10-25",
    "in an hour": "2026-11-25 16:30", "in 20 minutes": "2026-11-25 15:50", "in 10 hours": "2026-11-26 01:30",
    "end of the week": "2026-11-27", "end of month": "2026-11-30", "end of the year": "2026-12-31",
    "5 dec": "2026-12-05", "dec 5": "2026-12-05", "5th of December": "2026-12-05", "December 5th, 2027": "2027-12-05",
    "Mon 7 Dec": "2026-12-07", "3 nov": "2027-11-03", "29 feb": "2028-02-29", "5 January 2027": "2027-01-05",
    "the 3rd": "2026-12-03", "the 25th": "2026-11-25", "the 31st": "2026-12-31", "2026-12-24": "2026-12-24",
    "13/2": "2027-02-13", "24/12/2026": "2026-12-24", "friday 3pm": "2026-11-27 15:00", "3pm friday": "2026-11-27 15:00",
    "Friday at 15:00": "2026-11-27 15:00", "lunch Friday 12:30": "2026-11-27 12:30", "friday, 3.30pm": "2026-11-27 15:30",
    "tomorrow at noon": "2026-11-26 12:00", "tomorrow morning": "2026-11-26 09:00", "friday evening": "2026-11-27 18:00",
    "monday at 9": "2026-11-30 09:00", "tuesday at 4": "2026-12-01 16:00", "half past 3 tomorrow": "2026-11-26 15:30",
    "quarter to 9 on monday": "2026-11-30 08:45", "12am friday": "2026-11-27 00:00", "12pm friday": "2026-11-27 12:00",
    "16:00": "2026-11-25 16:00", "3pm": "2026-11-26 15:00", "noon": "2026-11-26 12:00", "at 5": "2026-11-25 17:00",
    "2026-12-24 18:00": "2026-12-24 18:00", "5 o'clock tomorrow": "2026-11-26 17:00", "by friday": "2026-11-27",
    "until the 3rd at 8am": "2026-12-03 08:00",
    # British ways: common practice, by Oxford and Cambridge learners' dictionaries, from memory
    "friday at 3.30": "2026-11-27 15:30", "at 10.15 on Monday": "2026-11-30 10:15", "a week on Friday": "2026-12-04",
    "a fortnight on Monday": "2026-12-14", "two weeks on Tuesday": "2026-12-15", "Friday fortnight": "2026-12-11",
    "a week tomorrow": "2026-12-03", "tomorrow week": "2026-12-03", "today fortnight": "2026-12-09", "a week from Friday": "2026-12-04",
    "the third of December": "2026-12-03", "December the fifth": "2026-12-05", "twenty-first of January 2027": "2027-01-21",
    "the thirty-first of December": "2026-12-31", "by the third": "2026-12-03", "friday at 1530": "2026-11-27 15:30",
    "tomorrow 0900 hrs": "2026-11-26 09:00", "at 1845": "2026-11-25 18:45", "half three tomorrow": "2026-11-26 15:30",
    "friday half 9": "2026-11-27 09:30", "at half eight": "2026-11-26 08:30", "half past three tomorrow": "2026-11-26 15:30",
    "quarter to nine on monday": "2026-11-30 08:45",
}  # fmt: skip
NONE = ("", "may", "in the morning", "version 2.1", "1/2", "ring 3 parishes", "1.5 hours", "31 feb", "25:00", "the 40th", "marching",
        "sunday-best", "10-12", "room 14", "13pm friday dinner plan b"[:4])  # fmt: skip
# Spellings that are dates less often than other things, and where they are dates all the same; by day and month (13/2 is 13 February).
OTHERWISE = ("the cat sat on the mat", "Buy sun cream", "Sat nav for the van", "Practice the 3rd movement", "version 1.2", "Buy 2.5 kg of glue",
             "3/4 inch screws", "1/2 cup of zinc", "it may 5 pipes spoil", "march 3 soldiers", "open 24/7", "play the second movement", "half 12 pipes", "every Friday",
             "every Monday at 9", "each Thursday 3pm tune the swell", "every other Friday", "every 2 weeks", "by 2030 all of it", "1530 pipes")  # fmt: skip
DOUBTFUL = {
    "ring the verger sat": "2026-11-28", "sat, ring the verger": "2026-11-28", "sat 10am ring": "2026-11-28 10:00",
    "Ring on Sun at Holm": "2026-11-29", "meet Sat with Ivo": "2026-11-28", "read it by the 3rd, twice": "2026-12-03", "pay due 5.12 or so": "2026-12-05",
    "on 3/4 in Holm": "2027-04-03", "rent 3/4": "2027-04-03", "on may 5 in Holm": "2027-05-05", "the 3rd at noon": "2026-12-03 12:00",
}  # fmt: skip


def said(text, now=NOW, zone=LONDON, order=None):
    found = find(text, now, zone, order)
    return found and found.at.strftime("%Y-%m-%d %H:%M" if found.timed else "%Y-%m-%d")


def test_there_are_enough_phrases():
    assert len(PHRASES) >= 60


@pytest.mark.parametrize(("text", "expected"), PHRASES.items())
def test_a_phrase(text, expected):
    assert said(text) == expected
    assert said(f"Ring the verger {text}") == expected, "within a line"
    assert said(text.upper()) == expected


@pytest.mark.parametrize("text", NONE)
def test_what_is_no_date(text):
    assert said(text) is None


def test_day_and_month_go_by_the_workspace():
    assert said("1/2", order="DMY") == "2027-02-01" and said("1/2", order="MDY") == "2027-01-02" and said("1/2") is None


def test_where_it_stands_in_the_line():
    text = "Order leather by Friday 3pm, hair sheep"
    found = find(text, NOW, LONDON)
    assert text[found.start : found.end] == "by Friday 3pm"


@pytest.mark.parametrize(
    ("now", "text", "zone", "expected"),
    [
        (
            datetime(2027, 3, 27, 12, tzinfo=UTC),
            "tomorrow 1:30am",
            LONDON,
            "2027-03-28T02:30:00+01:00",
        ),  # left out: an hour later
        (datetime(2027, 3, 27, 12, tzinfo=UTC), "tomorrow 9am", LONDON, "2027-03-28T09:00:00+01:00"),
        (datetime(2026, 10, 24, 11, tzinfo=UTC), "tomorrow 1:30am", LONDON, "2026-10-25T01:30:00+01:00"),  # twice: the first
        (datetime(2026, 10, 24, 23, 30, tzinfo=UTC), "in 2 hours", LONDON, "2026-10-25T01:30:00+00:00"),  # hours that pass
        (datetime(2027, 3, 13, 17, tzinfo=UTC), "tomorrow 2:30am", NEW_YORK, "2027-03-14T03:30:00-04:00"),
        (datetime(2027, 3, 14, 6, 30, tzinfo=UTC), "in an hour", NEW_YORK, "2027-03-14T03:30:00-04:00"),
        (
            datetime(2026, 11, 25, 4, tzinfo=UTC),
            "tomorrow",
            NEW_YORK,
            "2026-11-25T00:00:00-05:00",
        ),  # it is still the 24th there
    ],
)
def test_over_a_change_of_the_clocks(now, text, zone, expected):
    assert find(text, now, zone).at.isoformat() == expected


@pytest.mark.parametrize(
    "text",
    ["today", "tomorrow", "yesterday", "in 3 days", "in 2 weeks", "3 days ago", "friday", "saturday", "5 December", "December 5",
     "5 January 2027", "2026-12-24", "24 December 2026 18:00", "tomorrow 15:00", "friday 15:00", "in 20 minutes", "in 3 months"],
)  # fmt: skip
def test_as_another_library_reads_it(text):
    settings = {"RELATIVE_BASE": NOW.replace(tzinfo=None), "PREFER_DATES_FROM": "future"}
    theirs = dateparser.parse(text, languages=["en"], settings=settings)
    ours = find(text, NOW, LONDON)
    assert ours.day == theirs.date()
    if ours.timed:
        assert ours.at.strftime("%H:%M") == theirs.strftime("%H:%M")


def test_every_weekday_is_the_next_to_come():
    for name in ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"):
        day = find(name, NOW, LONDON).day
        assert day.strftime("%A").lower() == name and 0 < (day - date(2026, 11, 25)).days <= 7


@pytest.mark.parametrize("text", OTHERWISE)
def test_what_is_a_date_less_often_than_a_word_or_a_number_is_none(text):
    assert said(text, order="DMY") is None


@pytest.mark.parametrize(("text", "expected"), DOUBTFUL.items())
def test_but_where_it_stands_apart(text, expected):
    assert said(text, order="DMY") == expected
