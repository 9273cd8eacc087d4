"""What fields accept, and what they say of the rest."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.fields import TYPES, coerce, from_wire
from kelvix.core.fields.date import Doubtful
from kelvix.core.fields.email import EMAIL
from kelvix.core.values import (
    Amount,
    Choice,
    File,
    NewChoice,
    Person,
    Referred,
    Span,
    Unfit,
    as_text,
    fold,
    shorten,
    to_wire,
    whole,
)

LONDON = ZoneInfo("Europe/London")
SUMMER = datetime(2026, 7, 1, 11, 30, tzinfo=UTC)
CHOICES = (Choice("1", "New"), Choice("2", "Élan vital"))

FITS = [
    ("  two\n lines ", "text", "two lines"),
    ("two\r\nlines", "long_text", "two\nlines"),
    ("1,850.00", "number", Decimal("1850.00")),
    ("-3", "number", Decimal(-3)),
    (Decimal("0.1"), "number", Decimal("0.1")),
    (Decimal("0e400000000"), "number", Decimal(0)),
    (Decimal("9" * 28 + ".0000000001"), "number", Decimal("9" * 28 + ".0000000001")),
    ("2026-11-23", "date", date(2026, 11, 23)),
    ("23 Nov 2026", "date", date(2026, 11, 23)),
    ("1st September 2026", "date", date(2026, 9, 1)),
    ("3 Sept 2026", "date", date(2026, 9, 3)),
    ("2026-07-01T23:30:00Z", "date", date(2026, 7, 2)),  # half past midnight in London
    (datetime(2026, 7, 1, 23, 30, tzinfo=UTC), "date", date(2026, 7, 2)),
    (date(2026, 7, 1), "datetime", datetime(2026, 6, 30, 23, 0, tzinfo=UTC)),
    ("23 Nov 2026, 17:02", "datetime", datetime(2026, 11, 23, 17, 2, tzinfo=UTC)),
    ("1 Jul 2026, 12:30", "datetime", SUMMER),
    ("Mon, 23 Nov 2026 17:02:00 +0100", "datetime", datetime(2026, 11, 23, 16, 2, tzinfo=UTC)),
    ("2026-11-23T17:02", "datetime", datetime(2026, 11, 23, 17, 2, tzinfo=UTC)),
    ("new", "choice", "1"),
    ("elan VITAL", "choice", "2"),
    ("2", "choice", "2"),
    (" ada.pell@stbride.example ", "email", "ada.pell@stbride.example"),
    ("https://a.example/x?y=1", "link", "https://a.example/x?y=1"),
    ("mailto:ada@b.example", "link", "mailto:ada@b.example"),
    ("Yes", "yes_no", True),
    ("0", "yes_no", False),
    (True, "yes_no", True),
    (SUMMER, "text", "1 Jul 2026, 12:30"),
    (True, "text", "yes"),
    (Decimal("1E+2"), "text", "100"),
    ("new, Elan Vital; NEW", "labels", ("1", "2")),
    (("2", "new"), "labels", ("2", "1")),
    (("Élan vital",), "choice", "2"),
    (("Ada", "Bea"), "text", "Ada, Bea"),
    (("1,850",), "number", Decimal(1850)),
]


@pytest.mark.parametrize(("value", "to", "expected"), FITS)
def test_fits(value, to, expected):
    assert coerce(value, to, LONDON, CHOICES) == expected


UNFIT = [
    ("Revd Ada Pell", "email", "“Revd Ada Pell” is not an email address"),
    ("a@b@c.example", "email", "not an email address"),
    ("01/02/2026", "date", "two different dates"),
    ("31 Feb 2026", "date", "not a valid date"),
    ("2026-02-30", "date", "not a valid date"),
    ("next week", "date", "not a date"),
    ("1.234,50", "number", "not a number"),
    ("12 pounds", "number", "not a number"),
    ("9" * 40, "number", "too many digits"),
    ("0." + "1" * 11, "number", "too many digits"),
    (Decimal("1e28"), "number", "too many digits"),
    (Decimal("1e70"), "number", "too many digits"),
    (Decimal("1e400000000"), "number", "“1E+400000000” has too many digits"),
    (Decimal("NaN"), "number", "too many digits"),
    (Decimal("1." + "0" * 80 + "1"), "number", "too many digits"),
    ("Closed", "choice", "not one of the choices (New, Élan vital)"),
    ("ftp://x.example", "link", "not a link"),
    ("https://", "link", "not a link"),
    ("javascript:alert(1)", "link", "not a link"),
    ("http://[::1/", "link", "not a link"),
    ("http://a.example:99999/", "link", "not a link"),
    ("perhaps", "yes_no", "not yes or no"),
    (True, "number", "not a number"),
    (date(2026, 1, 1), "email", "not an email address"),
    ("23 Nov 2026, 25:00", "datetime", "not a time of day"),
    ("x" * 10_001, "text", "10,001 characters"),
    ("New, Closed", "labels", "“Closed” is not one of the choices"),
    (("New", "Élan vital"), "choice", "“New, Élan vital” is not one"),
    (("1", "2"), "number", "not a number"),
]


@pytest.mark.parametrize(("value", "to", "said"), UNFIT)
def test_unfit_says_why(value, to, said):
    with pytest.raises(Unfit) as caught:
        coerce(value, to, LONDON, CHOICES)
    assert said in str(caught.value)


@pytest.mark.parametrize("to", TYPES)
@pytest.mark.parametrize("value", [None, "", "  \n"])
def test_empty_stays_empty(value, to):
    assert coerce(value, to, LONDON) is None


@given(
    st.one_of(
        st.text(),
        st.decimals(allow_nan=True),
        st.booleans(),
        st.dates(),
        st.datetimes(timezones=st.just(UTC)),
        st.times(),
        st.timedeltas(),
        st.lists(st.text()).map(tuple),
    ),
    st.sampled_from(list(TYPES)),
)
def test_never_fails_otherwise(value, to):
    try:
        kept = coerce(value, to, LONDON, CHOICES)
    except Unfit as unfit:
        assert str(unfit)
    else:
        assert kept is None or isinstance(kept, KEPT.get(to, str))


KEPT = {
    "number": Decimal,
    "date": date,
    "datetime": datetime,
    "time": time,
    "duration": timedelta,
    "yes_no": bool,
    "labels": tuple,
    "amount": Amount,
    "person": Person,
    "span": Span,
    "several_files": tuple,
    "reference": tuple,
}


FILES = st.builds(File, st.text(), st.integers(0, 2**40), st.text(), st.text())
MOMENTS = st.datetimes(datetime(1900, 1, 1), datetime(9998, 12, 30), timezones=st.just(UTC)).map(
    lambda d: d.replace(microsecond=d.microsecond // 1000 * 1000)
)


def of_type(to):
    return {
        "time": st.times().map(lambda t: t.replace(microsecond=0)),
        "duration": st.integers(-(10**12), 10**12).map(lambda n: timedelta(milliseconds=n)),
        "number": st.decimals(allow_nan=False, allow_infinity=False, places=4, min_value=-(10**20), max_value=10**20),
        "date": st.dates(),
        "datetime": MOMENTS,
        "yes_no": st.booleans(),
        "labels": st.lists(st.text(), min_size=1).map(tuple),
        "file": FILES,
        "reference": st.lists(st.builds(Referred, st.text(), st.integers(1, 99), st.integers(1, 99)), min_size=1).map(tuple),
        "several_files": st.lists(FILES, min_size=1).map(tuple),
        "amount": st.builds(Amount, st.decimals(-(10**20), 10**20, places=2), st.sampled_from(("EUR", "USD"))),
        "person": st.one_of(
            st.from_regex(r"[^\W\d_]+( [^\W\d_]+)?", fullmatch=True).map(lambda name: Person(name, "")),
            st.builds(Person, st.from_regex(r"\w*", fullmatch=True), st.emails().filter(EMAIL.fullmatch)),
        ),
        "span": st.one_of(
            st.tuples(st.dates(), st.dates()).map(lambda ends: Span(*sorted(ends))),
            st.tuples(MOMENTS, MOMENTS).map(lambda ends: Span(*sorted(ends))),
        ),
    }.get(to, st.text(min_size=1))


@given(st.sampled_from(list(TYPES)).flatmap(lambda to: st.tuples(st.just(to), of_type(to))))
def test_the_wire_gives_back_what_it_was_given(typed):
    to, value = typed
    assert from_wire(to_wire(value), to) == value


@given(st.dates(min_value=date(1000, 1, 1)))
def test_a_date_that_is_read_is_understood(day):
    assert coerce(as_text(day, LONDON), "date", LONDON) == day


@given(
    st.datetimes(datetime(1900, 1, 1), datetime(9998, 12, 30), timezones=st.just(LONDON)).map(
        lambda d: d.replace(second=0, microsecond=0, fold=0)
    )
)
def test_a_time_that_is_read_is_understood(at):
    shown = as_text(at, LONDON)
    assert as_text(coerce(shown, "datetime", LONDON), LONDON) == as_text(at.astimezone(UTC), LONDON)


def test_shorten_and_fold():
    assert shorten("a  b\nc") == "a b c"
    assert shorten("x" * 50, 10) == "x" * 9 + "…"
    assert fold("Søren ÉLAN") == fold("søren elan")


@pytest.mark.parametrize(
    ("text", "number"),
    [("7", 7), ("007", 7), ("", None), ("²", None), ("٣", None), ("-1", None), ("1" * 19, None), ("1\n", None)],
)
def test_whole_numbers_are_plain_digits(text, number):
    assert whole(text) == number


@pytest.mark.parametrize("wire", ["1e70", "1e400000000", "NaN", "-Infinity"])
def test_numbers_on_the_wire_are_bounded(wire):
    with pytest.raises(Unfit, match="too many digits"):
        from_wire(wire, "number")


# What fields accept: docs/expressions.md shows the table, and `coerce` does it


def test_the_table_has_every_type_and_is_shown_on_the_page():
    from kelvix.commands import handbook

    assert all(t.accepts in handbook.page() and t.refuses in handbook.page() for t in TYPES.values())


@pytest.mark.parametrize(
    ("text", "order", "day"),
    [
        ("23/11/2026", None, "2026-11-23"),
        ("11.23.2026", None, "2026-11-23"),
        ("02-02-2026", None, "2026-02-02"),
        ("2026/11/23", None, "2026-11-23"),
        ("Mon 23 Nov 2026", None, "2026-11-23"),
        ("November 23rd, 2026", None, "2026-11-23"),
        ("01/02/2026", "DMY", "2026-02-01"),
        ("01/02/2026", "MDY", "2026-01-02"),
    ],
)
def test_dates_that_can_be_read_one_way(text, order, day):
    assert str(coerce(text, "date", ZoneInfo("Europe/London"), (), order)) == day


def test_a_date_that_can_be_read_two_ways_is_never_guessed():
    with pytest.raises(Doubtful) as caught:
        coerce("01/02/2026", "date", ZoneInfo("Europe/London"))
    assert [(o, str(d)) for o, d in caught.value.readings] == [("DMY", "2026-02-01"), ("MDY", "2026-01-02")]
    with pytest.raises(Unfit, match="two-digit year"):
        coerce("01/02/26", "date", ZoneInfo("Europe/London"), (), "DMY")
    with pytest.raises(Unfit, match="not a valid date"):
        coerce("31/02/2026", "date", ZoneInfo("Europe/London"))


def test_new_choices_only_where_they_are_allowed():
    have = (Choice("1", "Geöffnet"),)
    assert coerce("GEOFFNET", "choice", ZoneInfo("UTC"), have) == "1"
    with pytest.raises(Unfit, match="not one of the choices"):
        coerce("Later", "choice", ZoneInfo("UTC"), have)
    made = coerce("Later", "choice", ZoneInfo("UTC"), have, None, True)
    assert isinstance(made, NewChoice) and made == "Later"
    with pytest.raises(Unfit):
        coerce("x" * 101, "choice", ZoneInfo("UTC"), have, None, True)


def test_labels_are_kept_once_and_grow_only_where_they_are_allowed():
    names = (Choice("1", "Leather"), Choice("2", "Reeds, old"))
    assert coerce("reeds, OLD", "labels", LONDON, names) == ("2",)  # a label as a whole is not cut
    found = coerce(("leather", "Wind", "wind "), "labels", LONDON, names, grows=True)
    assert found == ("1", "Wind") and isinstance(found[1], NewChoice)
    with pytest.raises(Unfit, match="101 labels, more than the 100"):
        coerce(tuple(f"l{n}" for n in range(101)), "labels", LONDON, (), grows=True)


@pytest.mark.parametrize("zone", ["Asia/Kolkata", "America/New_York", "Europe/London"])
@pytest.mark.parametrize("text", ["0001-01-01", "0001-01-01T00:00", "9999-12-31", "9999-12-31T23:59", "1 Jan 9999, 10:00"])
def test_no_clock_leads_out_of_the_calendar(text, zone):
    """A zone east or west of Greenwich would put the first or the last day outside what can be counted."""
    with pytest.raises(Unfit, match="is out of range"):
        coerce(text, "datetime", ZoneInfo(zone))
    with pytest.raises(Unfit, match="is out of range"):
        from_wire("9999-12-31T23:59:00Z", "datetime")
    assert as_text(coerce("9998-12-31T23:59:00Z", "datetime", ZoneInfo(zone)), ZoneInfo(zone))
