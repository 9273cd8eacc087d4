"""One language of conditions: what a database server answers is what the formula says of the values."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvix.core import query as core
from kelvix.core.feel import FUNCTIONS, Env, Scope, read, write
from kelvix.core.feel import tree as t
from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.core.operators import OPERATORS
from kelvix.core.periods import Period
from kelvix.core.query import Comparison, Joined, Order, Query
from kelvix.core.values import Amount, File, Person, Span, Unfit
from kelvix.store import databases, ddl, query, record_writing
from kelvix.store.databases import NewField
from kelvix.store.records import Origin
from support import newest

LONDON = ZoneInfo("Europe/London")
HERE = Env(datetime(2026, 6, 1, 23, 30, tzinfo=UTC), LONDON)  # the 2nd of June there
TODAY = date(2026, 6, 2)
WORDS = ("Café", "cafe", "Current rent", "RENT", "50%_off", "a-b", "x.b", "rent(é)", "fee", "Église", "見積もり", "", None)
NAMES = ("ada reed", "Bo Lind", "Réed")
DAYS = tuple(date(2026, 6, 1) + timedelta(days=n) for n in range(3))
MOMENTS = tuple(datetime(2026, 6, 1, 22, 30, tzinfo=UTC) + timedelta(hours=n) for n in (0, 1, 3, 24))
SPANS = (*(Span(a, b) for a in DAYS[:2] for b in DAYS[1:]), *(Span(a, b) for a in MOMENTS[:3] for b in MOMENTS[2:]))
PERIODS = tuple(map(Period, ("today", "yesterday", "this week", "the last 2 days", "in 1 day", "next month")))
KEPT: dict[str, tuple[object, ...]] = {
    "text": WORDS,
    "long_text": WORDS,
    "email": ("ada@stbride.example", "ADA@stbride.example", "bo@works.example"),
    "link": ("https://x.example/a", "https://X.example/b_c"),
    "number": (Decimal(-2), Decimal(0), Decimal("12.5"), Decimal(13)),
    "date": DAYS,
    "datetime": MOMENTS,
    "time": (time(9, 30), time(17)),
    "duration": (timedelta(minutes=90), timedelta(days=2)),
    "yes_no": (True, False),
    "choice": ("1", "2"),
    "labels": (("1",), ("1", "2"), ("2",)),
    "amount": (Amount(Decimal(2), "EUR"), Amount(Decimal(3), "EUR"), Amount(Decimal(3), "USD")),
    "person": (*(Person(n, "") for n in NAMES), Person("", "ada@stbride.example"), Person("A. R.", "ADA@stbride.example")),
    "span": SPANS,
    "file": (File("Survey.pdf", 1, "", "mail:1/2"), File("Übersicht.PDF", 2, "", "mail:1/3")),
    "several_files": ((File("a.pdf", 1, "", "mail:1/2"),),),
}
SOUGHT: dict[str, tuple[object, ...]] = KEPT | {
    "text": (*(w for w in WORDS if w), "r", "-b", "é", "%", "\\"),
    "long_text": (*(w for w in WORDS if w), "r", "-b", "é", "%", "\\"),
    "labels": ("1", "2"),
    "date": (*DAYS, *PERIODS),
    "datetime": (*MOMENTS, *PERIODS),
    "span": (*SPANS, *PERIODS),
    "file": ("survey.PDF", "ubersicht.pdf", ".pdf", "sur"),
}
OF = [type_ for type_ in KEPT if type_ in TYPES]


@pytest.fixture(scope="module")
def made(kelvix):
    """A database with a field of every type, and records with values that are nearly the same."""
    orla = kelvix.person()
    fields = [NewField(c, c, choices=("New", "Old") if TYPES[c].has_choices else ()) for c in OF]
    database = databases.create(orla.space, "All types", fields)
    by_type = {f.name: f for f in database.fields if f.name in OF}

    def fill(transaction):
        for n in range(max(map(len, KEPT.values()))):
            values = {by_type[c].id: KEPT[c][n] if n < len(KEPT[c]) else None for c in OF}
            record_writing.add(transaction, orla.space.id, database, values, Origin())

    orla.space.transact(fill)
    kept = orla.space.read(lambda transaction: newest(transaction, database, 500))
    return orla.space, database, by_type, kept


def one_of(by_type):
    def comparisons(type_):
        def valued(operator):
            value = st.sampled_from(SOUGHT[type_]) if OPERATORS[operator].needs_value else st.none()
            return value.map(lambda v: Comparison(by_type[type_].id, operator, v))

        return st.sampled_from(TYPES[type_].operators).flatmap(valued)

    return st.sampled_from(OF).flatmap(comparisons)


def answered(space, database, where):
    sql, args = query.where(database, where, LONDON, TODAY)
    rows = space.rows(f"SELECT id FROM {ddl.table(database.id)} WHERE {sql}", args)
    return {r["id"] for r in rows}


def test_the_server_answers_what_the_formula_says(made):
    space, database, by_type, kept = made

    @settings(max_examples=300, deadline=None)
    @given(
        st.recursive(
            one_of(by_type),
            lambda inner: st.builds(
                lambda mode, tests: Joined(mode, tuple(tests)),
                st.sampled_from(["all", "any", "none"]),
                st.lists(inner, max_size=3),
            ),
            max_leaves=4,
        )
    )
    def check(where):
        expected = {r.id for r in kept if core.holds(where, database.fields, r.values, HERE)}
        assert answered(space, database, where) == expected

    check()


@pytest.mark.parametrize("type_", OF)
def test_each_operator_of_each_type_with_each_value(made, type_):
    space, database, by_type, kept = made
    found = 0
    for operator in TYPES[type_].operators:
        for value in SOUGHT[type_] if OPERATORS[operator].needs_value else (None,):
            where = Comparison(by_type[type_].id, operator, value)
            expected = {r.id for r in kept if core.holds(where, database.fields, r.values, HERE)}
            assert answered(space, database, where) == expected, where
            found += bool(expected)
    assert found, "some of these find something"


def test_a_condition_prints_as_a_formula_that_reads_as_the_same(made):
    _, database, by_type, _ = made
    fields = {f.id: f for f in database.fields}
    names = [(t.Value("", f.id), (f.name.replace("_", " ").title(),)) for f in by_type.values()]
    scope = Scope.of_carried(names, FUNCTIONS.forms)

    @settings(max_examples=200, deadline=None)
    @given(one_of(by_type), one_of(by_type))
    def check(one, other):
        node = core.write(Joined("any", (one, Joined("none", (other,)))), fields, LONDON)
        assert read(write(node, scope), scope) == node

    check()
    where = Joined(
        "all", (Comparison(by_type["choice"].id, "is", "2"), Comparison(by_type["amount"].id, "less", KEPT["amount"][1]))
    )
    written = write(core.write(where, fields, LONDON), scope)
    assert written == 'same text(Choice, "Old") and (Amount.number < 3 and same text(Amount.currency, "EUR"))'


def test_a_field_that_is_gone_is_said_by_both(made):
    _, database, _, _ = made
    gone = Joined("any", (Comparison("9999", "is", "x"),))
    with pytest.raises(NotFoundError):
        query.where(database, gone, LONDON)
    with pytest.raises(NotFoundError):
        core.holds(gone, database.fields, {}, HERE)


@pytest.mark.parametrize("descending", [False, True])
@pytest.mark.parametrize("type_", [c for c in OF if TYPES[c].is_sorted])
def test_pages_in_an_order_hold_each_record_once(made, type_, descending):
    """As one query without pages has them, which puts what is empty first, or last where the order descends."""
    space, database, by_type, kept = made
    field = by_type[type_]
    found, after, query_of = [], None, Query(order=(Order(field.id, descending),), limit=3)
    while True:
        page, after = space.read(lambda t: query.page(t, database, replace(query_of, after=after), LONDON))  # noqa: B023
        found += page
        if after is None:
            break
    assert sorted(r.id for r in found) == sorted(r.id for r in kept)
    column = ddl.column(field.id)
    way = "DESC" if descending else "ASC"
    expected = [r["id"] for r in space.rows(f"SELECT id FROM {ddl.table(database.id)} ORDER BY {column} {way}, id DESC")]
    assert [r.id for r in found] == expected


def test_pages_in_two_orders(made):
    space, database, by_type, _ = made
    asked = Query(order=(Order(by_type["yes_no"].id), Order(by_type["number"].id, True)), limit=2)
    found, after = [], None
    while True:
        page, after = space.read(lambda t: query.page(t, database, replace(asked, after=after), LONDON))  # noqa: B023
        found += [r.id for r in page]
        if after is None:
            break
    flag, number = ddl.column(by_type["yes_no"].id), ddl.column(by_type["number"].id)
    rows = space.rows(f"SELECT id FROM {ddl.table(database.id)} ORDER BY {flag}, {number} DESC, id DESC")
    assert found == [r["id"] for r in rows]


def test_an_order_that_there_is_not_is_refused(made):
    space, database, by_type, _ = made

    def page(asked):
        return space.read(lambda t: query.page(t, database, asked, LONDON))

    with pytest.raises(Unfit, match="can’t be sorted by labels"):
        page(Query(order=(Order(by_type["labels"].id),)))
    with pytest.raises(NotFoundError):
        page(Query(order=(Order("9999"),)))
    for after in ("x", "[1, 2, 3]", "{}", '["x", 1]'):
        with pytest.raises(Unfit, match="first page"):
            page(Query(order=(Order(by_type["number"].id),), after=after))
