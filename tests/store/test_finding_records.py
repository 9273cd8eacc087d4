"""The answers to Find lines' questions, on a real MariaDB."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

import pytest

from kelvix.core.fields import TYPES
from kelvix.core.finding import MAX_COUNTED, Question
from kelvix.core.lines import kind_of
from kelvix.core.lines.add_or_update import AddOrUpdate
from kelvix.core.lines.find import Find
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Comparison
from kelvix.core.schema import TEXT_FIELD
from kelvix.core.values import Amount, File, Person, Span
from kelvix.core.workflow import Sought
from kelvix.store import databases, ddl, finding, record_writing
from kelvix.store.databases import NewField
from kelvix.store.records import Origin

FIELDS = (
    NewField("text", "text"), NewField("long_text", "long_text"), NewField("number", "number"), NewField("date", "date"),
    NewField("datetime", "datetime"), NewField("choice", "choice", choices=("New", "Old")), NewField("email", "email"), NewField("link", "link"),
    NewField("yes_no", "yes_no"), NewField("labels", "labels", choices=("Reeds", "Leather")), NewField("file", "file"),
    NewField("time", "time"), NewField("duration", "duration"), NewField("amount", "amount"), NewField("person", "person"),
    NewField("span", "span"), NewField("several_files", "several_files"),
)  # fmt: skip
FIRST = {
    "text": "Café 50%_off", "long_text": "a\nb", "number": Decimal("12.5"), "date": date(2026, 5, 1), "datetime": datetime(2026, 5, 1, 9, tzinfo=UTC),
    "choice": "1", "email": "ada@stbride.example", "link": "https://x.example/", "yes_no": True, "labels": ("1", "2"), "file": File("Survey.pdf", 12, "application/pdf", "mail:1/2"),
    "time": time(9, 30), "duration": timedelta(minutes=90), "amount": Amount(Decimal("12.5"), "EUR"), "person": Person("Ada Reed", "ada@stbride.example"),
    "span": Span(date(2026, 5, 1), date(2026, 5, 3)), "several_files": (File("a.pdf", 1, "application/pdf", "mail:1/2"), File("b.pdf", 2, "", "mail:1/3")),
}  # fmt: skip
LATER = {
    "text": "Other",
    "number": Decimal(99),
    "date": date(2026, 6, 1),
    "choice": "2",
    "yes_no": False,
    "labels": ("2",),
    "time": time(17),
    "duration": timedelta(days=2),
    "amount": Amount(Decimal(99), "USD"),
    "person": Person("Bo Lind", ""),
    "span": Span(datetime(2026, 6, 1, 9, tzinfo=UTC), datetime(2026, 6, 1, 10, tzinfo=UTC)),
}
EMPTY = {"text": "Empty"}


@pytest.fixture
def made(orla):
    database = databases.create(orla.space, "All types", FIELDS)
    ids = {f.name: f.id for f in database.fields}
    kept = [
        orla.space.transact(
            lambda t, v=values: record_writing.add(t, orla.space.id, database, {ids[k]: x for k, x in v.items()}, Origin())[0]
        )
        for values in (FIRST, LATER, EMPTY)
    ]
    return orla.space, database, kept


def ask(space, database, compared, mode="all", take="newest"):
    ids = {f.name: f.id for f in database.fields}
    found = Question(database.id, mode, tuple(Comparison(ids[f], o, v) for f, o, v in compared), take)
    return space.read(lambda t: finding.find(t, database, found, space.zone))


CASES = [
    ("text", "is", " cafe 50%_OFF", None),  # leading space is part of a text
    ("text", "is", "cafe 50%_OFF", 0), ("text", "begins", "CAFE 50%_", 0), ("text", "begins", "afe", None), ("text", "begins", "%", None),
    ("text", "begins", "\\", None), ("text", "is", "' OR 1=1 -- ", None),
    ("number", "is", Decimal("12.50"), 0), ("number", "less", Decimal(13), 0), ("number", "more", Decimal("98.9"), 1),
    ("date", "is", date(2026, 5, 1), 0), ("date", "before", date(2026, 5, 2), 0), ("date", "after", date(2026, 5, 1), 1),
    ("datetime", "before", datetime(2026, 5, 1, 9, 1, tzinfo=UTC), 0), ("datetime", "after", datetime(2026, 5, 1, 9, tzinfo=UTC), None),
    ("choice", "is", "2", 1), ("choice", "is_not", "2", 2), ("email", "is", "ADA@stbride.example", 0), ("link", "begins", "https://X", 0),
    ("yes_no", "is", True, 0), ("yes_no", "is", False, 1), ("labels", "has", "1", 0), ("labels", "has_none", "1", 2),
    ("time", "is", time(9, 30), 0), ("time", "before", time(9, 30), None), ("time", "after", time(9, 30), 1),
    ("duration", "is", timedelta(hours=1.5), 0), ("duration", "less", timedelta(hours=2), 0), ("duration", "more", timedelta(hours=2), 1),
    ("amount", "is", Amount(Decimal("12.50"), "EUR"), 0), ("amount", "is", Amount(Decimal("12.50"), "USD"), None),
    ("amount", "less", Amount(Decimal(13), "EUR"), 0), ("amount", "more", Amount(Decimal(1), "USD"), 1), ("amount", "more", Amount(Decimal(1), "CHF"), None),
    ("person", "is", Person("A. Reed", "ADA@stbride.example"), 0), ("person", "is", Person("bo lind", ""), 1), ("person", "is", Person("Ada", "x@y.example"), None),
    ("span", "is", Span(date(2026, 5, 1), date(2026, 5, 3)), 0), ("span", "before", Span(date(2026, 5, 2), date(2026, 5, 2)), 0),
    ("span", "after", Span(date(2026, 5, 2), date(2026, 5, 2)), 1), ("span", "is", Span(date(2026, 5, 1), date(2026, 5, 4)), None),
]  # fmt: skip


@pytest.mark.parametrize(("field", "operator", "value", "which"), CASES)
def test_records_are_found_by_every_type(made, field, operator, value, which):
    space, database, kept = made
    answer = ask(space, database, [(field, operator, value)])
    assert answer.record == (None if which is None else kept[which])
    assert answer.count >= (which is not None)


@pytest.mark.parametrize("type_", TYPES)
def test_filled_and_empty(made, type_):
    space, database, kept = made
    if "filled" in TYPES[type_].operators and type_ != "text" and not TYPES[type_].refers:  # see test_references
        filled, empty = (ask(space, database, [(type_, o, None)], take="oldest") for o in ("filled", "empty"))
        assert filled.record == kept[0] and kept[0] not in (empty.record,) and empty.count + filled.count == 3


def test_several_and_all_or_any(made):
    space, database, kept = made
    both = [("number", "more", Decimal(1)), ("labels", "has", "2")]
    assert (ask(space, database, both).count, ask(space, database, both, take="oldest").record) == (2, kept[0])
    either = [("text", "is", "Empty"), ("text", "is", "other")]
    assert ask(space, database, either).record is None and ask(space, database, either, "any").count == 2
    assert ask(space, database, either, "any").record == kept[2]
    answer = ask(space, database, [("text", "begins", "caf")])
    assert {f.name: answer.values[f.id] for f in database.fields if f.id != TEXT_FIELD} == FIRST and answer.at.tzinfo is UTC


def test_what_is_in_the_trash_is_not_found_and_many_are_counted_so_far(made):
    space, database, kept = made
    space.transact(lambda t: record_writing.set_deleted(t, space.id, database, kept[0], True, Origin()))
    assert ask(space, database, [("choice", "is", "1")]).count == 0
    title = database.fields[0].id

    def many(t):
        for _ in range(MAX_COUNTED + 20):
            record_writing.add(t, space.id, database, {title: "again"}, Origin())

    space.transact(many)
    assert ask(space, database, [("text", "is", "again")]).count == MAX_COUNTED + 1


def test_a_line_gets_the_indexes_that_it_goes_by(made):
    space, database, _ = made
    ids = {f.name: f.id for f in database.fields}
    line = Find("f", database.id, "all", tuple(Sought(ids[f]) for f in ("text", "email", "number", "labels", "long_text")))
    of = kind_of(line).compares(line)[1]
    finding.prepare(space.server, database, of)
    finding.prepare(space.server, database, of)  # they may be there
    only_filled = Find("f", database.id, "all", (Sought(ids["text"], "filled"),))
    assert kind_of(only_filled).compares(only_filled) == (database.id, ())
    recognised = AddOrUpdate("k", database.id, (ids["email"],))
    assert kind_of(recognised).compares(recognised) == (database.id, (ids["email"],))
    names = {r["Key_name"] for r in space.rows(f"SHOW INDEX FROM {ddl.table(database.id)}")}
    assert names == {"PRIMARY", *(f"i_{ids[f]}" for f in ("text", "email", "number"))}


def test_a_field_that_is_gone_is_not_asked_for(made):
    space, database, _ = made
    with pytest.raises(NotFoundError):
        space.read(
            lambda t: finding.find(
                t, database, Question(database.id, "all", (Comparison(9999, "is", "x"),), "newest"), space.zone
            )
        )
