"""Records as views arrange them, against `pandas` on the same data: order, groups, counts and totals."""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pandas as pd
import pytest

from kelvix.core.periods import Period
from kelvix.core.query import Comparison, Joined, Order
from kelvix.core.values import Amount, Person, Referred
from kelvix.core.views import Total, View
from kelvix.engine import indexing
from kelvix.store import arranging, databases, ddl, record_writing
from kelvix.store.databases import NewField
from kelvix.store.records import Origin
from support import newest

LONDON = ZoneInfo("Europe/London")
STAGES = ("To do", "On the bench", "Waiting", "Done")
LABELS = ("wind", "reeds", "case")
PEOPLE = ("Ivo Carrow", "Petra Lund", "Maren Voss")
FIELDS = {
    "Name": "text",
    "Stage": "choice",
    "Labels": "labels",
    "Who": "person",
    "Done": "yes_no",
    "Due": "date",
    "At": "datetime",
    "Hours": "number",
    "Took": "duration",
    "Price": "amount",
}


@pytest.fixture(scope="module")
def made(kelvix):
    """A database of made-up tasks, and the same as a frame; some have a parish that they refer to."""
    orla = kelvix.person()
    space = orla.space
    parishes = databases.create(space, "Parishes", [NewField("Name", "text")])
    fields = [NewField(n, t, choices={"Stage": STAGES, "Labels": LABELS}.get(n, ()), grows=False) for n, t in FIELDS.items()]
    database = databases.create(space, "Tasks", [*fields, NewField("Parish", "reference", refers_to=parishes.id)])
    by = {f.name: f for f in database.fields}
    chance = random.Random(7)
    rows = []

    def maybe(value, often=0.8):
        return value if chance.random() < often else None

    def fill(t):
        title = parishes.fields[0].id
        there = [record_writing.add(t, space.id, parishes, {title: n}, Origin())[0] for n in ("St Bride", "All Saints")]
        for _ in range(240):
            stage = maybe(chance.choice(by["Stage"].choices))
            labels = tuple(c.id for c in by["Labels"].choices if chance.random() < 0.4) or None
            parish = maybe(chance.randrange(2), 0.5)
            row = {
                "Name": f"Task {chance.randrange(90):02}",
                "Stage": stage.id if stage else None,
                "Labels": labels,
                "Who": maybe(Person(chance.choice(PEOPLE), "")),
                "Done": maybe(chance.random() < 0.5),
                "Due": maybe(date(2026, 1, 1) + timedelta(days=chance.randrange(300))),
                "At": maybe(datetime(2026, 1, 1, tzinfo=UTC) + timedelta(hours=chance.randrange(9000))),
                "Hours": maybe(Decimal(chance.randrange(1, 400)) / 4),
                "Took": maybe(timedelta(minutes=chance.randrange(500))),
                "Price": maybe(Amount(Decimal(chance.randrange(90000)) / 100, chance.choice(("GBP", "EUR")))),
                "Parish": (Referred("", parishes.id, there[parish]),) if parish is not None else None,
            }
            values = {by[name].id: value for name, value in row.items()}
            rows.append(row | {"id": record_writing.add(t, space.id, database, values, Origin())[0]})

    space.transact(fill)
    frame = pd.DataFrame(rows)
    frame["stage at"] = frame["Stage"].map({c.id: n for n, c in enumerate(by["Stage"].choices)})
    return space, database, by, frame


def placed(made, where=None, order=(), group=None, limit=1000, **more):
    space, database, _, _ = made
    found, after = [], None
    while True:
        page, after = space.read(
            lambda t: arranging.places(t, database, where, order, group, LONDON, limit, after=after, **more)  # noqa: B023
        )
        found += page
        if after is None:
            return found


def grouped(made, group, totals=(), where=None):
    space, database, _, _ = made
    return space.read(lambda t: arranging.figures(t, database, where, group, totals, LONDON))


@pytest.mark.parametrize(
    "order",
    [
        [("Hours", False)],
        [("Hours", True)],
        [("Due", False), ("Hours", True)],
        [("Done", True), ("At", False)],
        [("Stage", False), ("Due", True)],
        [("Name", False)],
        [("Took", True), ("Name", False)],
    ],
    ids=str,
)
def test_the_order_is_that_of_pandas(made, order):
    """What is empty comes first, or last where the order descends; choices go as they are listed; the newest first of equals."""
    _, _, by, frame = made
    expected = frame.sort_values("id", ascending=False)
    for name, descending in reversed(order):
        key = "stage at" if name == "Stage" else name
        expected = expected.sort_values(
            key, ascending=not descending, na_position="last" if descending else "first", kind="stable"
        )
    asked = tuple(Order(by[name].id, descending) for name, descending in order)
    assert [p.record for p in placed(made, order=asked)] == list(expected["id"])
    assert placed(made, order=asked, limit=7) == placed(made, order=asked)


@pytest.mark.parametrize("name", ["Stage", "Labels", "Who", "Done", "Due", "Name", "Parish"])
def test_groups_hold_what_pandas_groups(made, name):
    _, _, by, frame = made
    order = (Order(by["Hours"].id, True),)
    found: dict[str | None, list[int]] = {}
    for place in placed(made, order=order, group=by[name].id):
        found.setdefault(place.group, []).append(place.record)
    exploded = frame.explode(name)
    keys = exploded[name].map(lambda v: _key(v), na_action="ignore")
    by_hours = exploded.assign(key=keys).sort_values("id", ascending=False).sort_values("Hours", ascending=False, kind="stable")
    expected = {k: list(g["id"]) for k, g in by_hours.groupby("key", dropna=True)}
    expected[None] = list(by_hours[by_hours["key"].isna()]["id"])
    assert found == {k: ids for k, ids in expected.items() if ids}
    assert {g.key: g.records for g in grouped(made, by[name].id)} == {k: len(ids) for k, ids in expected.items() if ids}
    in_pages = placed(made, order=order, group=by[name].id, limit=7)
    assert in_pages == placed(made, order=order, group=by[name].id)
    assert list(dict.fromkeys(p.group for p in in_pages)) == [g.key for g in grouped(made, by[name].id)]


def _key(value):
    if isinstance(value, Person):
        return value.name
    if isinstance(value, Referred):
        return str(value.record)
    if isinstance(value, bool):
        return str(int(value))
    return f"{value:%Y-%m}" if isinstance(value, date) else value


def test_totals_are_those_of_pandas(made):
    _, _, by, frame = made
    totals = [
        Total(by["Hours"].id, "sum"),
        Total(by["Hours"].id, "average"),
        Total(by["Due"].id, "least"),
        Total(by["Due"].id, "greatest"),
        Total(by["Took"].id, "sum"),
        Total(by["Price"].id, "sum"),
        Total(by["Labels"].id, "filled"),
    ]
    for group in (None, by["Stage"].id, by["Labels"].id):
        name = {by["Stage"].id: "Stage", by["Labels"].id: "Labels"}.get(group)
        rows = frame.assign(all=1).explode(name) if name else frame.assign(all=1)
        for one in grouped(made, group, totals):
            part = rows if name is None else rows[rows[name].isna()] if one.key is None else rows[rows[name] == one.key]
            hours, average, least, greatest, took, price, filled = one.totals
            assert Decimal(hours[0]) == sum(part["Hours"].dropna())
            assert Decimal(average[0]) == pytest.approx(
                sum(part["Hours"].dropna()) / part["Hours"].count(), abs=Decimal("1e-6")
            )
            assert least == (part["Due"].dropna().min().isoformat(),)
            assert greatest == (part["Due"].dropna().max().isoformat(),)
            assert pd.Timedelta(took[0]) == part["Took"].sum()
            prices = part["Price"].dropna()
            currencies = sorted({p.currency for p in prices})
            assert list(price) == [Amount(sum(p.number for p in prices if p.currency == c), c).wire() for c in currencies]
            labelled = frame.loc[frame["id"].isin(part["id"]), "Labels"].notna()
            assert filled == (str(int(labelled.sum())),)


def test_a_record_is_counted_once_under_however_many_labels(made):
    _, _, by, frame = made
    (whole,) = grouped(made, None)
    groups = grouped(made, by["Labels"].id)
    assert whole.records == len(frame)
    assert sum(g.records for g in groups) == len(frame.explode("Labels")) > whole.records


def test_what_records_of_a_group_have_is_told(made):
    _, _, by, _ = made
    first = by["Stage"].choices[0]
    assert (grouped(made, by["Stage"].id)[0].key, grouped(made, by["Stage"].id)[0].value) == (first.id, first.id)
    assert grouped(made, by["Labels"].id)[0].value == [by["Labels"].choices[0].id]
    assert [g.value for g in grouped(made, by["Who"].id)] == [*sorted(PEOPLE), None]
    assert [g.value[0][1] for g in grouped(made, by["Parish"].id) if g.value] == ["All Saints", "St Bride"]
    assert {g.value for g in grouped(made, by["Done"].id)} == {True, False, None}


def test_a_view_finds_the_same_with_its_own_index(made):
    space, database, by, frame = made
    for order, where in (
        ((Order(by["Due"].id),), Comparison(by["Stage"].id, "is", by["Stage"].choices[1].id)),
        (
            (Order(by["Due"].id, True), Order(by["Hours"].id)),
            Joined("all", (Comparison(by["Due"].id, "within", Period("last year")),)),
        ),
        ((Order(by["At"].id),), None),
    ):
        parts = indexing.parts_of(View(where=where, order=order), database)
        assert parts[0].startswith(ddl.column(order[0].field))
        ddl.view_index(space.server, database.id, 7, parts)
        try:
            found = placed(made, where, order, limit=20, index=ddl.view_index_name(7))
            assert found == placed(made, where, order) and len(found) < len(frame) + 1
        finally:
            ddl.drop_view_index(space.server, database.id, 7)


def test_what_an_index_can_not_serve_gets_none(made):
    _, database, by, _ = made
    for view in (
        View(),
        View(order=(Order(by["Stage"].id),)),
        View(order=(Order(by["Name"].id),)),
        View(order=(Order(by["Due"].id),), group=by["Stage"].id),
    ):
        assert indexing.parts_of(view, database) == ()


def test_all_records_are_there_without_an_order(made):
    space, database, _, _ = made
    kept = space.read(lambda t: newest(t, database, 500))
    assert [p.record for p in placed(made, limit=100)] == [r.id for r in kept]
