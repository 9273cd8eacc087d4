"""Rules and formulas that would go on for ever, or for hours: each is given up after so many steps, and says so."""

from __future__ import annotations

import pickle
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from attacks import computing, taking
from kelvix.core import schedule
from kelvix.core.feel import Env, evaluate, heavy
from kelvix.core.feel.environment import FIRST_STEPS, MAX_STEPS
from kelvix.core.feel.errors import FeelError, TooMuch
from kelvix.core.feel.values import Months, Range
from kelvix.core.values import Unfit
from kelvix.core.workflow import Schedule
from kelvix.readers import kinds
from kelvix.readers.formulas import elsewhere

LONDON, NOW = ZoneInfo("Europe/London"), datetime(2026, 11, 28, 12, tzinfo=UTC)
NEVER = "BYMONTH=2;BYMONTHDAY=30"


@pytest.mark.parametrize("frequency", ["YEARLY", "MONTHLY", "DAILY", "HOURLY", "MINUTELY"])
@pytest.mark.parametrize("more", ["", ";COUNT=5", ";UNTIL=99991231T000000Z"])
def test_a_rule_that_never_comes_round_is_not_looked_through_to_the_year_9999(frequency, more):
    with computing(3):
        assert schedule.next_times(Schedule(f"FREQ={frequency};{NEVER}{more}", start="1970-01-01T00:00"), LONDON, NOW, 1) == []


@pytest.mark.parametrize(
    ("rule", "start", "said"),
    [
        ("FREQ=MINUTELY;COUNT=2000000000", "2026-01-01T00:00", "COUNT=2000000000 is not valid: use a number from 1 to"),
        ("FREQ=MINUTELY;COUNT=1000000", "1970-01-01T00:00", "has 100,000 times before now"),
        ("FREQ=DAILY", "0001-01-01T00:00", "between the years 1970 and 2200"),
        ("FREQ=DAILY;BYHOUR=25", "2026-01-01T00:00", "BYHOUR=25 is not valid: use a number from 0 to 23"),
        ("FREQ=DAILY;BYHOUR=-1", "2026-01-01T00:00", "BYHOUR=-1 is not valid"),
        ("FREQ=MONTHLY;BYMONTHDAY=32", "2026-01-01T00:00", "BYMONTHDAY=32 is not valid"),
        ("FREQ=YEARLY;BYMONTH=0", "2026-01-01T00:00", "BYMONTH=0 is not valid"),
        ("FREQ=DAILY;INTERVAL=0", "2026-01-01T00:00", "INTERVAL=0 is not valid"),
        ("FREQ=WEEKLY;BYDAY=XX", "2026-01-01T00:00", "BYDAY=XX is not valid"),
        ("FREQ=WEEKLY;BYDAY=2MO", "2026-01-01T00:00", "needs MONTHLY or YEARLY"),
        ("FREQ=MINUTELY;BYSETPOS=366", "2026-01-01T00:00", "at most 1 times to choose from"),
        ("FREQ=DAILY;FREQ=DAILY", "2026-01-01T00:00", "is used twice"),
        ("FREQ=DAILY;" + "BYHOUR=1;" * 200, "2026-01-01T00:00", "at most 500 characters"),
    ],
)
def test_bad_parts_of_a_rule_are_named(rule, start, said):
    with computing(5), pytest.raises(Unfit, match=said):
        schedule.next_times(Schedule(rule, start=start), LONDON, NOW, 1)


@pytest.mark.parametrize(
    ("rule", "start", "first"),
    [  # a later beginning counts alike: worked out by hand from the calendar
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=MO", "2020-01-06T09:00", "2026-11-30T09:00+00:00"),  # 360 weeks after 6 January 2020
        ("FREQ=DAILY;INTERVAL=3", "2026-01-01T09:00", "2026-11-30T09:00+00:00"),  # 333 days after 1 January
        ("FREQ=MONTHLY;BYDAY=-1FR", "2020-01-01T09:00", "2026-12-25T09:00+00:00"),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", "1970-01-01T09:00", "2028-02-29T09:00+00:00"),
        ("FREQ=YEARLY;BYYEARDAY=-1", "1970-01-01T09:00", "2026-12-31T09:00+00:00"),
    ],
)
def test_rules_of_long_ago_come_round_as_ever(rule, start, first):
    assert schedule.next_times(Schedule(rule, start=start), LONDON, NOW, 1)[0].isoformat(timespec="minutes") == first


def env(**more) -> Env:
    return Env(NOW, LONDON, **more)


LARGE = {"t": "reed " * 100_000}


def test_a_formula_is_charged_by_the_size_of_what_it_touches():
    """A loop of a few thousand rounds, each of which goes through half a megabyte: within the steps, and yet hours."""
    with computing(20), pytest.raises(TooMuch, match=f"more than {MAX_STEPS:,} steps"):
        evaluate('count(for i in 1..5000 return contains(t, "never there"))', LARGE, env())
    assert evaluate('contains(t, "reed")', LARGE, env()) is True


def test_a_formula_has_so_many_parts():
    with computing(10), pytest.raises(FeelError, match="at most 4,000 parts"):
        evaluate(f"count([{','.join('1' * 4_500)}])", {}, env())
    assert evaluate(f"count([{','.join('1' * 3_000)}])", {}, env()) == 3000
    with computing(10), pytest.raises(FeelError):
        evaluate("+".join(["1"] * 4_900), {}, env())


VALUES = {
    "d": date(2026, 11, 28), "dt": datetime(2026, 11, 28, 9, tzinfo=LONDON), "tm": time(9, 30), "du": timedelta(hours=3),
    "n": Decimal("1.50"), "l": [Decimal(1), None, "x", True], "c": {"a": Decimal(1)},
}  # fmt: skip


def test_past_its_first_steps_a_formula_is_worked_out_elsewhere(monkeypatch):
    """With the same result and the same notes, whatever kind of value it has."""
    asked = []

    def counted(node, scope, own):
        asked.append(sorted(map(str, scope)))
        return elsewhere(node, scope, own)

    many = f"count(for i in 1..{FIRST_STEPS + 5000} return i)"
    for name, value in VALUES.items():
        formula = f"if {many} > 0 then {name} else null"
        given = env(elsewhere=counted)
        assert evaluate(formula, VALUES, given) == evaluate(formula, VALUES, env()) == value, name
    assert asked == [[name] for name in VALUES], "each is sent what it reads, and no more"
    for formula in ('duration("P1Y2M")', "[1..5)", '@"2026-11-28T10:00:00@Europe/London"'):
        assert evaluate(f"if {many} > 0 then {formula} else null", {}, env(elsewhere=counted)) == evaluate(formula, {}, env())
    noted = env(elsewhere=counted)
    assert evaluate(f"if {many} > 0 then [1].x else null", {}, noted) == evaluate("[1].x", {}, other := env())
    assert noted.notes == other.notes != []
    few = len(asked)
    assert evaluate("1 + 1", {}, env(elsewhere=counted)) == 2 and len(asked) == few


def test_elsewhere_there_is_an_end(monkeypatch):
    monkeypatch.setitem(kinds.KINDS, "formula", replace(kinds.KINDS["formula"], seconds=0.5))
    with taking(10), pytest.raises(TooMuch):  # by the clock: another process works
        evaluate("count(for i in 1..400, j in 1..400 return string(i) + string(j))", {}, env(elsewhere=elsewhere))
    given = env(elsewhere=elsewhere)
    assert evaluate(f"if count(for i in 1..{FIRST_STEPS + 5000} return i) > 0 then function(x) x else null", {}, given) is None
    assert "gives a function" in given.notes[0]


def test_what_comes_back_can_name_nothing_but_values():
    """A child that was taken over cannot make its parent run anything."""

    class Evil:
        def __reduce__(self):
            return print, ("run",)

    with pytest.raises(pickle.UnpicklingError, match="no value of the language"):
        heavy.received(pickle.dumps((Evil(), [], "")), env())
    kept = Months(14), Range(Decimal(1), True, Decimal(5), False)
    for value in kept:
        assert heavy.received(pickle.dumps((value, [], "")), env()) == value
