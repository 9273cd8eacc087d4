"""Fields for a time of day and for a duration: what they take, refuse, say and come to in formulas and conditions."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core import figures, formulas
from kelvix.core.conditions import goes_on, read, write_all
from kelvix.core.feel import FUNCTIONS, Env, Scope, write
from kelvix.core.feel import read as read_formula
from kelvix.core.feel.values import read_duration, write_duration
from kelvix.core.fields import TYPES, coerce, from_wire
from kelvix.core.figures import Figure
from kelvix.core.filling import Carried
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Unfit, as_text, iso_duration, to_wire
from kelvix.core.workflow import Condition, Reference

LONDON = ZoneInfo("Europe/London")
ENV = Env(datetime(2026, 11, 28, tzinfo=UTC), LONDON)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("17:02", time(17, 2)),
        ("17.02", time(17, 2)),
        ("9:05:30", time(9, 5, 30)),
        ("5 pm", time(17)),
        ("5:02pm", time(17, 2)),
        ("12 a.m.", time(0)),
        ("12:30 p.m.", time(12, 30)),
        (datetime(2026, 7, 1, 16, 2, tzinfo=UTC), time(17, 2)),  # the workspace's clock, in summer
        (time(8), time(8)),
    ],
)
def test_times_of_day_that_are_taken(text, expected):
    assert coerce(text, "time", LONDON) == expected


@pytest.mark.parametrize(
    "text", ["5", "24:00", "12:60", "13 pm", "0 am", "noon", "17:02Z", True, Decimal(5), timedelta(hours=5)]
)
def test_times_of_day_that_are_refused(text):
    with pytest.raises(Unfit, match="is not a time of day"):
        coerce(text, "time", LONDON)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1:30", timedelta(hours=1, minutes=30)),
        ("100:00:05", timedelta(hours=100, seconds=5)),
        ("90 min", timedelta(minutes=90)),
        ("1h30m", timedelta(hours=1, minutes=30)),
        ("1 h 30 min", timedelta(hours=1, minutes=30)),
        ("2 days, 4 hours and 1 second", timedelta(days=2, hours=4, seconds=1)),
        ("1.5 hours", timedelta(hours=1, minutes=30)),
        ("2 weeks", timedelta(weeks=2)),
        ("minus 3 days", timedelta(days=-3)),
        ("PT1H30M", timedelta(hours=1, minutes=30)),
        ("P2W", timedelta(weeks=2)),
        ("-P1DT0.5S", -timedelta(days=1, milliseconds=500)),
        ("0 minutes", timedelta()),
    ],
)
def test_durations_that_are_taken(text, expected):
    assert coerce(text, "duration", LONDON) == expected


@pytest.mark.parametrize(
    "text", ["90", "1 month", "P1Y", "P", "PT", "P1DT", "1:75", "an hour", "min", "-", True, Decimal(90), time(1), "1 h 2 d"]
)
def test_durations_that_are_refused(text):
    with pytest.raises(Unfit, match="is not a duration"):
        coerce(text, "duration", LONDON)


@pytest.mark.parametrize("text", ["40000 days", "9" * 20 + " weeks"])
def test_a_duration_has_an_end(text):
    with pytest.raises(Unfit, match="at most 36,500 days"):
        coerce(text, "duration", LONDON)


# W3C XML Schema 1.1 part 2, 3.4.27.3: the canonical form of a dayTimeDuration carries into the next unit and leaves out zeros.
@pytest.mark.parametrize(
    ("value", "canonical"),
    [
        (timedelta(hours=36), "P1DT12H"),
        (timedelta(minutes=90), "PT1H30M"),
        (timedelta(), "PT0S"),
        (timedelta(days=2), "P2D"),
        (-timedelta(seconds=90.25), "-PT1M30.25S"),
    ],
)
def test_durations_are_sent_in_their_canonical_form(value, canonical):
    assert iso_duration(value) == canonical == to_wire(value) and from_wire(canonical, "duration") == value


spans = st.integers(-(10**9), 10**9).map(lambda n: timedelta(milliseconds=n))
clocks = st.times().map(lambda t: t.replace(microsecond=0))


@given(spans, clocks)
def test_what_is_kept_and_sent_comes_back(span, clock):
    assert from_wire(to_wire(span), "duration") == span and from_wire(to_wire(clock), "time") == clock
    kept = TYPES["duration"]
    assert kept.from_column(kept.to_column(span)) == span
    assert TYPES["time"].from_column(datetime.combine(datetime.min, clock) - datetime.min) == clock
    assert coerce(as_text(clock, LONDON), "time", LONDON) == clock
    whole = timedelta(seconds=span // timedelta(seconds=1))
    assert coerce(as_text(whole, LONDON), "duration", LONDON) == whole
    assert read_duration(iso_duration(span)) == span == read_duration(write_duration(span))  # as the language writes it


@pytest.mark.parametrize(("wire", "of"), [("17:02+01:00", "time"), ("5 pm", "time"), ("1:30", "duration"), (True, "duration")])
def test_what_was_not_sent_by_us_is_refused(wire, of):
    with pytest.raises(Unfit):
        from_wire(wire, of)


@pytest.mark.parametrize(
    ("formula", "type_", "value"),
    [
        ('time("17:02:00")', "time", time(17, 2)),
        ('@"PT90M"', "duration", timedelta(minutes=90)),
        ('@"2026-11-28" - @"2026-11-20"', "duration", timedelta(days=8)),
        ('time("17:02:00") + @"PT1H"', None, time(18, 2)),
        ('@"P2M"', "text", "2 months"),
    ],
)
def test_formulas_come_to_times_and_durations(formula, type_, value):
    node = read_formula(formula, Scope())
    assert formulas.type_of(node, {}) == type_
    assert formulas.evaluate(formulas.t.dump(node), {}, ENV) == value


@pytest.mark.parametrize(
    ("type_", "operator", "word", "fits", "not_", "formula"),
    [
        ("time", "before", "9 am", time(8, 59), time(9), 'Begins < @"09:00:00"'),
        ("time", "is", "17:02", time(17, 2), time(17, 3), 'Begins = @"17:02:00"'),
        ("duration", "more", "90 min", timedelta(hours=2), timedelta(hours=1), 'Begins > @"PT1H30M"'),
        ("duration", "is_not", "1 day", timedelta(hours=25), timedelta(hours=24), 'Begins != @"P1D"'),
    ],
)
def test_a_row_compares_them_and_is_read_back(type_, operator, word, fits, not_, formula):
    ref = Reference("w", "b")
    fields = {ref: CarriedField("b", ("Begins",), type_)}
    row = Condition(ref, operator, (word,))
    node = write_all("all", (row,), fields, ENV)
    scope = Scope.of_carried([(formulas.t.Value("w", "b"), ("Begins",))], FUNCTIONS.forms)
    assert write(node, scope) == formula
    [back] = read(node, fields)[1]
    assert isinstance(back, Condition) and back.operator == operator
    assert write_all("all", (back,), fields, ENV) == node
    for value, expected in ((fits, True), (not_, False)):
        carried = Carried({}, {}, {}).plus("w", tuple(fields.values()), {"b": value})
        assert goes_on(OnlyIf("o", "all", (row,)), carried, ENV) is expected


def test_hours_are_added_up():
    field = Field(1, "Took", "duration")
    database = Database(1, "Visits", (field,))
    records = tuple((n, {1: timedelta(minutes=m)}) for n, m in enumerate((30, 45, 60)))

    def of(kind):
        return figures.figure(Figure("k", kind, 1), database, records)

    assert of("sum") == timedelta(minutes=135) and of("average") == timedelta(minutes=45)
    assert of("least") == timedelta(minutes=30) and of("greatest") == timedelta(hours=1)
    assert figures.figure(Figure("k", "sum", 1), database, ()) == timedelta()
    assert not figures.fits(Figure("k", "sum", 1), Field(2, "Begins", "time"))
