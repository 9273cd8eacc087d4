"""What starts a workflow in Kelvix itself: schedules, changes of records, requests."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from kelvix.core import schedule, sources
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env
from kelvix.core.lines.update import Update
from kelvix.core.rehearsal import rehearse_whole
from kelvix.core.schema import Database, Field
from kelvix.core.values import Choice, Unfit
from kelvix.core.workflow import (
    Address,
    BadDocument,
    FieldFilling,
    Input,
    Part,
    RecordEvent,
    Reference,
    Schedule,
    When,
    Workflow,
)

ZONE = ZoneInfo("Europe/London")
NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)
ENV = Env(NOW, ZONE)
STAGES = (Choice("1", "Open"), Choice("2", "Done"))
TASKS = Database(
    7,
    "Tasks",
    (
        Field(1, "Name", "text", True),
        Field(2, "Stage", "choice", False, STAGES),
        Field(3, "Hours", "number"),
        Field(4, "Due", "date"),
        Field(5, "Kinds", "labels", False, (Choice("1", "Reeds"),)),
        Field(6, "Paid", "yes_no"),
        Field(8, "Begins", "time"),
        Field(9, "Took", "duration"),
    ),
)


# Schedules


@pytest.mark.parametrize(
    "given, said",
    [
        (Schedule("FREQ=WEKLY"), "not an iCalendar rule"),
        (Schedule("nonsense"), "not an iCalendar rule"),
        (Schedule(start="soon"), "enter the start of the schedule"),
        (Schedule("FREQ=SECONDLY"), "shortest interval is one minute"),
        (Schedule("FREQ=DAILY;UNTIL=20260101T000000Z"), "has no more times"),
        (Schedule("FREQ=DAILY;COUNT=2", start="2020-01-01T09:00"), "has no more times"),
        (Schedule("FREQ=DAILY;BYSECOND=0,30", start="2020-01-01T09:00"), "shortest interval is one minute"),
        (Schedule(cron="* * * *"), "five parts"),
        (Schedule(cron="61 * * * *"), "Bad minute"),
        (Schedule(cron="0 0 31 2 *"), "not a cron expression"),
    ],
)
def test_a_schedule_that_cannot_be_kept_to_is_said(given, said):
    assert said in schedule.check(given, ZONE, NOW)


def test_how_often_a_schedule_comes_round():
    assert schedule.a_month(Schedule("FREQ=DAILY"), ZONE, NOW) == 30
    assert schedule.a_month(Schedule(cron="0 8 * * MON-FRI"), ZONE, NOW) == 22
    assert schedule.a_month(Schedule("FREQ=MINUTELY;INTERVAL=5", start="2001-01-01T00:00"), ZONE, NOW) == 8640


def test_a_rule_by_hours_that_began_years_ago_keeps_to_its_beginning():
    every_seven = Schedule("FREQ=HOURLY;INTERVAL=7", start="2001-01-01T00:00")
    [at] = schedule.next_times(every_seven, ZONE, NOW, 1)
    assert (at - datetime(2001, 1, 1, tzinfo=UTC)).total_seconds() % (7 * 3600) == 0 and at > NOW


# Records


@pytest.mark.parametrize(
    "event, kind, before, after, starts",
    [
        (RecordEvent(7, "added"), "add", None, {1: "x"}, True),
        (RecordEvent(7, "added"), "update", {1: "x"}, {1: "y"}, False),
        (RecordEvent(7, "changed"), "update", {1: "x"}, {1: "y"}, True),
        (RecordEvent(7, "changed"), "delete", None, None, False),
        (RecordEvent(7, "changed", (3,)), "update", {1: "x"}, {1: "y"}, False),
        (RecordEvent(7, "changed", (1, 3)), "update", {1: "x"}, {1: "y"}, True),
        (RecordEvent(7, "reached", field=2, becomes="done"), "update", {2: "1"}, {2: "2"}, True),
        (RecordEvent(7, "reached", field=2, becomes="done"), "update", {2: "2"}, {2: "1"}, False),
        (RecordEvent(7, "reached", field=2, was="open", becomes="done"), "update", {2: "1"}, {2: "2"}, True),
        (RecordEvent(7, "reached", field=2, was="done", becomes="open"), "update", {2: None}, {2: "1"}, False),
        (RecordEvent(7, "reached", field=2, becomes="done"), "update", {1: "x"}, {1: "y"}, False),
        (RecordEvent(7, "reached", field=2), "update", {2: None}, {2: "1"}, True),
        (RecordEvent(7, "reached", field=2), "update", {2: "1"}, {2: None}, False),
        (RecordEvent(7, "reached", field=3, becomes="8"), "update", {3: None}, {3: Decimal("8")}, True),
        (RecordEvent(7, "reached", field=4, becomes="2026-12-01"), "update", {4: None}, {4: date(2026, 12, 1)}, True),
        (RecordEvent(7, "reached", field=5, becomes="reeds"), "update", {5: None}, {5: ("1",)}, True),
        (RecordEvent(7, "reached", field=6, becomes="yes"), "update", {6: None}, {6: True}, True),
        (RecordEvent(7, "reached", field=6, becomes="yes"), "update", {6: True}, {6: False}, False),
        (RecordEvent(7, "reached", field=8, becomes="9 am"), "update", {8: None}, {8: time(9)}, True),
        (RecordEvent(7, "reached", field=9, becomes="90 min"), "update", {9: None}, {9: timedelta(hours=1.5)}, True),
        (RecordEvent(7, "reached", field=9, becomes="soon"), "update", {9: None}, {9: timedelta(hours=1)}, False),
        (RecordEvent(7, "button", button="Go"), "update", {1: "x"}, {1: "y"}, False),
    ],
)
def test_which_changes_start_a_workflow(event, kind, before, after, starts):
    assert sources.matches(event, TASKS, kind, before, after) is starts


def test_a_record_that_started_a_workflow_can_be_changed_by_it():
    when = When("w", own=RecordEvent(7, "changed"))
    context = Context(sources.fields_of(when.own, {7: TASKS}), {7: TASKS}, ENV)
    update = Update("u", "w", (FieldFilling(3, (Part(ref=Reference("w", "was_3")),)),))
    flow = Workflow((when, update))
    assert not check(flow, context)
    values = {1: "Reeds", 2: "1", 3: Decimal(4), 5: ("1",)}
    item = sources.record_values(TASKS, 31, values, {3: Decimal(2)}, "http://x.example/31", {"number": Decimal(31)})
    assert (
        item["f_number"] == "31"
        and item["f_2"] == "Open"
        and item["f_5"] == ["Reeds"]
        and item["was_3"] == "2"
        and item["was_2"] == "Open"
    )
    cell = rehearse_whole(flow, item, context).cells[-1]
    assert (cell.state, cell.note) == ("fits", "1 field changes: Reeds")


def test_what_must_be_filled_is_waited_for():
    event = RecordEvent(7, "added", filled=(2, 3))
    assert not sources.ready(event, {2: "1", 3: None}) and sources.ready(event, {2: "1", 3: Decimal(0)})


@pytest.mark.parametrize(
    "own, said",
    [
        (RecordEvent(), "choose a database"),
        (RecordEvent(9), "choose a database"),
        (RecordEvent(7, "changed", (99,)), "was deleted"),
        (RecordEvent(7, "reached"), "choose a field"),
        (RecordEvent(7, "button"), "enter a button label"),
        (Address((Input(""),)), "a unique name"),
        (Address((Input("a"), Input("a"))), "a unique name"),
        (Address((Input("a", "choice"),)), "of this type"),
        (Schedule("FREQ=NEVER"), "not an iCalendar rule"),
    ],
)
def test_what_is_unfinished_is_said(own, said):
    context = Context((), {7: TASKS}, ENV)
    assert said in check(Workflow((When("w", own=own),)), context)[0].sentence


def test_bounds_of_what_a_document_can_ask_for():
    for own in (RecordEvent(7, quiet=3601), RecordEvent(7, quiet=-1), Address(tuple(Input(f"k{n}") for n in range(101)))):
        with pytest.raises(BadDocument):
            check_shape(Workflow((When("w", own=own),)))


def test_a_rule_that_is_none_has_no_times():
    with pytest.raises(Unfit):
        schedule.next_times(Schedule("x"), ZONE, NOW, 1)
