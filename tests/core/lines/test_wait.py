"""Until when a run rests. Changes to and from summer time are facts of the tz database: in the United Kingdom on the last
Sundays of March and October at 01:00 UTC; in New York on the second Sunday of March and the first of November, at 02:00
there. What is expected here was worked out from these by hand."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.filling import Carried
from kelvix.core.lines.add import Add
from kelvix.core.lines.wait import Wait, until, words
from kelvix.core.rehearsal import rehearse
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Unfit
from kelvix.core.workflow import FieldFilling, Part, Reference, When, Workflow

LONDON, NEW_YORK = ZoneInfo("Europe/London"), ZoneInfo("America/New_York")
SOURCE = (CarriedField("date", ("Message", "Date"), "datetime"), CarriedField("subject", ("Message", "Subject"), "text"))
WHEN = When("w", connection=1, container="5")
DATE = (Part(ref=Reference("w", "date")),)


def utc(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def rests(line: Wait, since: str, zone: ZoneInfo = LONDON, **values) -> datetime:
    env = Env(utc(since), zone)
    return until(line, utc(since), Carried({}, {}).plus("w", SOURCE, values), env)


def span(amount: int, unit: str) -> Wait:
    return Wait("x", "span", amount, unit)


SPANS = [
    (span(90, "minutes"), LONDON, "2026-11-25T09:00", "2026-11-25T10:30"),
    (span(1, "hours"), LONDON, "2026-03-29T00:30", "2026-03-29T01:30"),  # an hour is an hour
    # a day by the clock on the wall: nine o'clock stays nine o'clock
    (span(1, "days"), LONDON, "2026-03-28T09:00", "2026-03-29T08:00"),
    (span(1, "days"), LONDON, "2026-10-24T08:00", "2026-10-25T09:00"),
    (span(1, "days"), NEW_YORK, "2026-03-07T14:00", "2026-03-08T13:00"),
    (span(1, "days"), NEW_YORK, "2026-10-31T13:00", "2026-11-01T14:00"),
    (span(2, "weeks"), LONDON, "2026-10-12T08:00", "2026-10-26T09:00"),
    # half past one is left out on 29 March in London: it comes an hour later, at 02:30 summer time
    (span(1, "days"), LONDON, "2026-03-28T01:30", "2026-03-29T01:30"),
    # and comes twice on 25 October: the first is meant
    (span(1, "days"), LONDON, "2026-10-24T00:30", "2026-10-25T00:30"),
    (span(1, "days"), NEW_YORK, "2026-03-07T07:30", "2026-03-08T07:30"),
    (span(1, "days"), NEW_YORK, "2026-10-31T05:30", "2026-11-01T05:30"),
]


@pytest.mark.parametrize(("line", "zone", "since", "due"), SPANS)
def test_spans(line, zone, since, due):
    assert rests(line, since, zone) == utc(due)


WORK = Wait("x", "working")
HOURS = [
    (WORK, LONDON, "2026-11-25T10:00", "2026-11-25T10:00"),  # a Wednesday, within
    (WORK, LONDON, "2026-11-25T09:00", "2026-11-25T09:00"),
    (WORK, LONDON, "2026-11-25T17:00", "2026-11-26T09:00"),  # the end is not within
    (WORK, LONDON, "2026-11-25T06:00", "2026-11-25T09:00"),
    (WORK, LONDON, "2026-11-27T18:00", "2026-11-30T09:00"),  # over a week-end
    (WORK, LONDON, "2026-03-27T18:00", "2026-03-30T08:00"),  # and into summer time
    (WORK, NEW_YORK, "2026-10-30T22:00", "2026-11-02T14:00"),  # and out of it
    (WORK, NEW_YORK, "2026-11-25T13:59", "2026-11-25T14:00"),
    (replace(WORK, days=(3,), begins="22:00", ends="23:00"), LONDON, "2026-11-25T23:30", "2026-12-02T22:00"),
    (replace(WORK, days=(7,), begins="01:30", ends="03:00"), LONDON, "2026-03-28T12:00", "2026-03-29T01:30"),
]


@pytest.mark.parametrize(("line", "zone", "since", "due"), HOURS)
def test_working_hours(line, zone, since, due):
    assert rests(line, since, zone) == utc(due)


def test_until_a_moment_that_a_value_gives():
    assert rests(Wait("x", "moment", filling=DATE), "2026-11-25T09:00", date=utc("2026-11-26T10:00")) == utc("2026-11-26T10:00")
    typed = Wait("x", "moment", filling=(Part(text="1 Jul 2026, 12:30"),))
    assert rests(typed, "2026-06-30T00:00") == utc("2026-07-01T11:30")  # by the clock in London
    assert rests(typed, "2026-08-01T00:00") < utc("2026-08-01T00:00"), "what is past is not waited for"


WRONG = [
    (span(0, "hours"), "enter a whole number"),
    (span(20_000, "minutes"), "enter a whole number"),
    (span(400, "days"), "a run can wait one year at most"),
    (Wait("x", "moment", filling=DATE), "is empty in this item"),
    (Wait("x", "moment", filling=(Part(text="soon"),)), "“soon” is not a date"),
    (Wait("x", "moment", filling=(Part(text="1 Jul 2036"),)), "a run can wait one year at most"),
    (replace(WORK, days=()), "choose at least one working day"),
    (replace(WORK, days=(9,)), "choose at least one working day"),
    (replace(WORK, begins="17:00", ends="09:00"), "a start before the end"),
    (replace(WORK, begins="nine"), "working hours like 09:00"),
    (replace(WORK, begins="09:00+01:00"), "working hours like 09:00"),
    (replace(WORK, ends="24:00"), "working hours like 09:00"),
]


@pytest.mark.parametrize(("line", "said"), WRONG)
def test_what_cannot_be_waited_for_is_said(line, said):
    with pytest.raises(Unfit, match=said):
        rests(line, "2026-11-25T09:00")


@given(
    st.datetimes(datetime(2020, 1, 1), datetime(2030, 1, 1), timezones=st.just(UTC)),
    st.sampled_from([LONDON, NEW_YORK, ZoneInfo("Asia/Kolkata"), ZoneInfo("Pacific/Chatham")]),
    st.sets(st.integers(1, 7), min_size=1).map(sorted).map(tuple),
)
def test_a_working_hour_is_one_and_is_the_next(since, zone, days):
    line = Wait("x", "working", days=days)
    due = until(line, since, Carried({}, {}), Env(since, zone))
    local = due.astimezone(zone)
    assert due >= since and local.isoweekday() in days and 9 <= local.hour < 17
    if due > since:
        assert (local.hour, local.minute) == (9, 0)
        assert until(line, due, Carried({}, {}), Env(due, zone)) == due


CONTEXT = Context(SOURCE, {1: Database(1, "Tasks", (Field(11, "Name", "text", True),))}, Env(utc("2026-11-25T09:00"), LONDON))
ADD = Add("a", 1, (FieldFilling(11, (Part(ref=Reference("w", "subject")),)),))
ITEM = {"subject": "Quote", "date": "2026-11-26T10:00:00Z"}


def test_rehearsed_it_says_until_when_and_the_lines_below_go_on():
    cells = rehearse(Workflow((WHEN, span(2, "days"), ADD)), ITEM, CONTEXT)
    assert [(c.state, c.note) for c in cells[1:]] == [("waits", "until: 27 Nov 2026, 09:00"), ("fits", "1 field fits")]
    past = rehearse(Workflow((WHEN, Wait("x", "moment", filling=DATE), ADD)), ITEM | {"date": "2026-11-01T10:00:00Z"}, CONTEXT)
    assert (past[1].state, past[1].note) == ("goes_on", "no wait needed")
    empty = rehearse(Workflow((WHEN, Wait("x", "moment", filling=DATE), ADD)), {"subject": "Quote"}, CONTEXT)
    assert empty[1].state == "put_right"


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (span(0, "hours"), "enter a whole number"),
        (Wait("x", "moment"), "enter a time to wait for"),
        (Wait("x", "moment", filling=(Part(ref=Reference("gone", "x")),)), "not available"),
        (replace(WORK, days=()), "working day"),
    ],
)
def test_what_is_unfinished_is_found_before_turning_on(line, said):
    assert [said in f.sentence for f in check(Workflow((WHEN, line, ADD)), CONTEXT)] == [True]


def test_a_whole_line_is_ready_and_said_in_words():
    for line in (span(1, "hours"), Wait("x", "moment", filling=DATE), WORK):
        assert check(Workflow((WHEN, line, ADD)), CONTEXT) == []
    assert [words(w) for w in (span(1, "hours"), span(3, "days"), Wait("x", "moment"), WORK)] == [
        "1 hour",
        "3 days",
        "until a time",
        "until working hours, 09:00 to 17:00",
    ]
