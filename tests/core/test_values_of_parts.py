"""Types whose values have parts: amounts with their currency, people, spans of time; and several files."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from kelvix.core import conditions, formulas
from kelvix.core.feel import FUNCTIONS, Env, Scope, read
from kelvix.core.feel import tree as t
from kelvix.core.fields import TYPES, coerce, from_wire
from kelvix.core.filling import Carried
from kelvix.core.schema import CarriedField, Field
from kelvix.core.values import Amount, File, Person, Referred, Span, Unfit, as_text, to_wire
from kelvix.core.workflow import Condition, Reference

LONDON = ZoneInfo("Europe/London")
NOW = datetime(2026, 11, 28, 12, tzinfo=UTC)
ENV = Env(NOW, LONDON)
REF = Reference("w", "v")
SCOPE = Scope.of_carried([(t.Value("w", "v"), ("It",))], FUNCTIONS.forms)


def carried(type_, value):
    return Carried({REF: CarriedField("v", ("Value",), type_)}, {REF: value})


@pytest.mark.parametrize(
    ("text", "kept"),
    [
        ("1,850.50 EUR", Amount(Decimal("1850.50"), "EUR")),
        ("EUR 1850.5", Amount(Decimal("1850.5"), "EUR")),
        ("€12", Amount(Decimal(12), "EUR")),
        ("12 £", Amount(Decimal(12), "GBP")),
        ("-3 chf", Amount(Decimal(-3), "CHF")),
        ("US$ 7", Amount(Decimal(7), "USD")),
    ],
)
def test_an_amount_is_read_with_its_currency(text, kept):
    assert coerce(text, "amount", LONDON) == kept


@pytest.mark.parametrize(
    ("value", "said"),
    [
        ("12.50", "has no currency"),
        (Decimal("12.5"), "has no currency"),
        ("$12", "could be several currencies"),
        ("12 QQQ", "“QQQ” is not a currency"),
        ("1.850,50 EUR", "is not an amount"),
        ("EUR 12 EUR", "is not an amount"),
        ("twelve EUR", "is not an amount"),
    ],
)
def test_an_amount_is_not_guessed(value, said):
    with pytest.raises(Unfit, match=said):
        coerce(value, "amount", LONDON)


def test_an_amount_reads_with_the_decimals_of_its_currency():
    said = {code: as_text(coerce(f"{code} 1850.5", "amount", LONDON), LONDON) for code in ("EUR", "KWD", "JPY")}
    assert said == {"EUR": "1850.50 EUR", "KWD": "1850.500 KWD", "JPY": "1850.5 JPY"}, "no digit that was given is lost"
    assert from_wire("1850.50 EUR", "amount") == Amount(Decimal("1850.5"), "EUR")


@pytest.mark.parametrize(
    ("text", "kept"),
    [
        ("Ada Reed <ada@stbride.example>", Person("Ada Reed", "ada@stbride.example")),
        ("ada@stbride.example", Person("", "ada@stbride.example")),
        ("Ada  Reed", Person("Ada Reed", "")),
        ('"Reed, Ada" <ada@stbride.example>', Person("Reed, Ada", "ada@stbride.example")),
    ],
)
def test_a_person_is_read_as_mail_writes_people(text, kept):
    person = coerce(text, "person", LONDON)
    assert (person.name, person.address) == (kept.name, kept.address)
    again = from_wire(to_wire(person), "person")
    assert (again.name, again.address) == (kept.name, kept.address)


@pytest.mark.parametrize("text", ["Ada <ada at stbride>", "a@x.example, b@x.example", "Ada <>", "<Ada>"])
def test_what_is_not_one_person_is_refused(text):
    with pytest.raises(Unfit, match="is not one person"):
        coerce(text, "person", LONDON)


def test_people_are_looked_up_by_their_address():
    ada = Person("A. Reed", "ada@stbride.example")
    assert TYPES["person"].known_by(ada) == {"address": "ada@stbride.example"}
    assert TYPES["person"].known_by(Person("Ada", "")) == {"": "Ada"}
    assert coerce(ada, "text", LONDON) == "A. Reed"
    assert coerce(ada, "email", LONDON) == "ada@stbride.example", "a field of addresses takes the person's"


@pytest.mark.parametrize(
    ("text", "wire"),
    [
        ("2026-11-23/2026-11-27", "2026-11-23/2026-11-27"),
        ("23 Nov 2026 – 27 Nov 2026", "2026-11-23/2026-11-27"),
        ("23 Nov 2026 to 27 Nov 2026", "2026-11-23/2026-11-27"),
        ("23 Nov 2026", "2026-11-23/2026-11-23"),
        ("2026-11-23/P5D", "2026-11-23/2026-11-27"),
        ("23 Jul 2026, 10:00 – 11:30", "2026-07-23T09:00:00Z/2026-07-23T10:30:00Z"),
        ("2026-11-23T10:00/PT1H30M", "2026-11-23T10:00:00Z/2026-11-23T11:30:00Z"),
        ("PT1H/2026-11-23T11:00", "2026-11-23T10:00:00Z/2026-11-23T11:00:00Z"),
        ("2026-11-23T10:00+01:00/2026-11-24T09:00Z", "2026-11-23T09:00:00Z/2026-11-24T09:00:00Z"),
    ],
)
def test_a_span_is_read_as_people_and_iso_8601_write_it(text, wire):
    span = coerce(text, "span", LONDON)
    assert to_wire(span) == wire and from_wire(wire, "span") == span


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("2026-11-27/2026-11-23", "ends before it starts"),
        ("2026-11-23/2026-11-27T10:00", "at one end only"),
        ("01/02/2026", "can be two different dates"),
        ("next week", "is not a date"),
    ],
)
def test_a_span_is_not_guessed(text, said):
    with pytest.raises(Unfit, match=said):
        coerce(text, "span", LONDON)


def test_a_span_reads_short_where_it_is_of_one_day():
    assert as_text(coerce("23 Nov 2026", "span", LONDON), LONDON) == "23 Nov 2026"
    assert as_text(coerce("2026-07-23T10:00/PT90M", "span", LONDON), LONDON) == "23 Jul 2026, 10:00 – 11:30"
    assert as_text(coerce("2026-07-23T23:00/PT2H", "span", LONDON), LONDON) == "23 Jul 2026, 23:00 – 24 Jul 2026, 01:00"
    assert coerce(date(2026, 11, 23), "span", LONDON) == Span(date(2026, 11, 23), date(2026, 11, 23))


@pytest.mark.parametrize(
    ("type_", "value", "row", "formula"),
    [
        ("amount", Amount(Decimal(120), "EUR"), Condition(REF, "more", ("100",)), "It.number > 100"),
        ("amount", Amount(Decimal(120), "EUR"), Condition(REF, "is_not", ("100",)), "It.number != 100"),
        ("person", Person("Ada Reed", "a@x.example"), Condition(REF, "mentions", ("reed",)), 'mentions(It.name, "reed")'),
        (
            "span",
            Span(NOW, NOW + timedelta(hours=1)),
            Condition(REF, "before", ("2026-12-01",)),
            'date(It.start) < @"2026-12-01"',
        ),
        ("span", Span(date(2026, 11, 1), date(2026, 12, 4)), Condition(REF, "before", ("2026-12-01",)), None),
        ("person", Person("", "a@x.example"), Condition(REF, "filled"), None),
    ],
)
def test_conditions_compare_a_part_and_are_rows_again(type_, value, row, formula):
    fields = {REF: CarriedField("v", ("Value",), type_)}
    node = conditions.write(row, fields, ENV)
    if formula:
        assert node == read(formula, SCOPE)
    assert conditions.read(node, fields) == ("all", (row,))
    assert conditions.holds(row, carried(type_, value), ENV) is True


def test_formulas_reach_the_parts_and_make_new_values():
    amount = {("w", "v"): Amount(Decimal(100), "EUR")}
    tree = t.dump(read("{number: It.number * 1.19, currency: It.currency}", SCOPE))
    assert formulas.evaluate(tree, amount, ENV) == Amount(Decimal(119), "EUR")
    span = {("w", "v"): Span(NOW, NOW + timedelta(hours=2))}
    path = read("It.end - It.start", SCOPE)
    assert formulas.evaluate(t.dump(path), span, ENV) == timedelta(hours=2)
    assert formulas.type_of(path, {("w", "v"): "span"}) == "duration"
    assert formulas.type_of(t.Path(t.Value("w", "v"), "number"), {("w", "v"): "amount"}) == "number"


def test_files_are_several_each_once():
    one, two = File("a.pdf", 3, "application/pdf", "files:1"), File("b.pdf", 4, "application/pdf", "files:2")
    kept = coerce((one, two, one), "several_files", LONDON)
    assert kept == (one, two) and coerce(one, "several_files", LONDON) == (one,)
    assert (
        from_wire(to_wire(kept), "several_files") == kept
        and TYPES["several_files"].from_column(TYPES["several_files"].to_column(kept)) == kept
    )
    assert as_text(kept, LONDON) == "a.pdf, b.pdf" and to_wire(kept) == [one.wire(), two.wire()]
    with pytest.raises(Unfit, match="is not a file"):
        coerce("a.pdf", "several_files", LONDON)
    with pytest.raises(Unfit, match="more than the 100"):
        coerce(tuple(File(f"{n}", 1, "", f"files:{n}") for n in range(101)), "several_files", LONDON)


def test_a_reference_takes_links_and_numbers_of_records_of_its_database():
    field = Field(5, "Organ", "reference", refers_to=7)
    take = lambda value: field.take(value, LONDON, None)  # noqa: E731
    there = Referred("Oxbow", 7, 12)
    assert take("https://kelvix.example/databases/7/12") == (there,) == take("12") == take(there) == take((there, "12"))
    assert [str(r) for r in take(there)] == ["Oxbow"] and [str(r) for r in take("12")] == ["record 12"]
    assert take("  ") is None and take(()) is None
    assert field.seek("12", LONDON, None) == there
    for value, said in (
        ("https://kelvix.example/databases/8/12", "of another database"),
        (Referred("Ada", 8, 1), "“Ada” is a record of another database"),
        ("Oxbow", "“Oxbow” is not a record"),
        (tuple(Referred(str(n), 7, n) for n in range(1, 502)), "more than the 500"),
    ):
        with pytest.raises(Unfit, match=said):
            take(value)
    with pytest.raises(Unfit, match="compare with one"):
        field.seek((there, Referred("Wend", 7, 13)), LONDON, None)
    row = Condition(REF, "has", ("oxbow",))
    assert conditions.holds(row, carried("reference", (there,)), ENV) is True
