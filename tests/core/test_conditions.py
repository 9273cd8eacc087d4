"""Only if: what goes on, what is passed by, what cannot be decided."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvix.core.conditions import goes_on, holds, row_results, write_all
from kelvix.core.conditions import read as read_rows
from kelvix.core.conditions import write as write_row
from kelvix.core.feel import FUNCTIONS, Env, Scope, read, write
from kelvix.core.feel import tree as t
from kelvix.core.fields import TYPES, from_wire
from kelvix.core.filling import Carried
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.operators import OPERATORS
from kelvix.core.schema import CarriedField
from kelvix.core.values import File, Unfit, mentions
from kelvix.core.workflow import Condition, Formula, Group, Reference

LONDON = ZoneInfo("Europe/London")
HERE = Env(datetime(2026, 11, 25, 9, tzinfo=UTC), LONDON)
FIELDS = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("address", ("Message", "Address"), "email"),
    CarriedField("date", ("Message", "Date"), "datetime"),
    CarriedField("day", ("Message", "Day"), "date"),
    CarriedField("count", ("Message", "Number"), "number"),
    CarriedField("read", ("Message", "Read"), "yes_no"),
    CarriedField("cc", ("Message", "Cc"), "text"),
    CarriedField("labels", ("Message", "Labels"), "labels"),
)
VALUES = {
    "subject": "Estimate for the ÉLAN organ",
    "address": "ada@stbride.example",
    "date": "2026-11-23T17:02:00Z",
    "day": "2026-11-23",
    "count": "2",
    "read": True,
    "cc": None,
    "labels": ["Leather", "Élan"],
}
CARRIED = Carried({}, {}).plus("w", FIELDS, {f.key: from_wire(VALUES[f.key], f.type) for f in FIELDS})

CASES = [
    ("subject", "mentions", ("quote", "estimate"), True),
    ("subject", "mentions", ("elan",), True),
    ("subject", "mentions", ("stimate",), False),
    ("subject", "mentions_none", ("quote", "bill"), True),
    ("subject", "mentions_none", ("organ",), False),
    ("subject", "is", ("estimate for the elan organ",), True),
    ("subject", "is_not", ("something",), True),
    ("subject", "begins", ("ESTIMATE",), True),
    ("subject", "ends", ("organ", "bellows"), True),
    ("address", "ends", ("@stbride.example",), True),
    ("date", "after", ("2026-11-23T17:00:00Z",), True),
    ("date", "before", ("22 Nov 2026",), False),
    ("day", "is", ("23 Nov 2026",), True),
    ("day", "after", ("2026-11-22",), True),
    ("day", "within", ("this week",), True),
    ("day", "within", ("the last 2 days", "next week"), False),
    ("day", "is", ("yesterday", "2 days ago"), True),
    ("day", "before", ("today",), True),
    ("day", "within", ("23 Nov 2026",), True),
    ("date", "within", ("23 Nov 2026",), True),
    ("date", "within", ("yesterday", "22 Nov 2026"), False),
    ("date", "after", ("last week",), True),
    ("date", "after", ("this week",), False),
    ("count", "more", ("1",), True),
    ("count", "less", ("2",), False),
    ("labels", "has", ("reeds", "leather"), True),
    ("labels", "has", ("leath",), False),
    ("labels", "has_none", ("reeds",), True),
    ("labels", "has_none", ("elan",), False),
    ("labels", "filled", (), True),
    ("count", "is", ("2.0",), True),
    ("read", "is", ("yes",), True),
    ("read", "is_not", ("yes",), False),
    ("cc", "empty", (), True),
    ("cc", "filled", (), False),
    ("cc", "mentions", ("x",), False),
    ("subject", "filled", (), True),
]


@pytest.mark.parametrize(("key", "operator", "words", "expected"), CASES)
def test_holds(key, operator, words, expected):
    assert holds(Condition(Reference("w", key), operator, words), CARRIED, HERE) is expected


@pytest.mark.parametrize(
    ("condition", "said"),
    [
        (Condition(Reference("w", "gone"), "is", ("x",)), "no longer available"),
        (Condition(Reference("w", "subject"), "is", ()), "enter a value for “Message › Subject is"),
        (Condition(Reference("w", "subject"), "after", ("x",)), "does not go with"),
        (Condition(Reference("w", "count"), "more", ("many",)), "not a number"),
        (Condition(Reference("w", "date"), "after", ("01/02/2026",)), "two different dates"),
    ],
)
def test_what_cannot_be_decided_says_why(condition, said):
    with pytest.raises(Unfit) as caught:
        holds(condition, CARRIED, HERE)
    assert said in str(caught.value)


def test_all_and_any():
    yes, no = Condition(Reference("w", "cc"), "empty"), Condition(Reference("w", "cc"), "filled")
    assert goes_on(OnlyIf("o", "any", (no, yes)), CARRIED, HERE)
    assert not goes_on(OnlyIf("o", "all", (no, yes)), CARRIED, HERE)
    assert goes_on(OnlyIf("o", "all", ()), CARRIED, HERE)


@pytest.mark.parametrize(
    ("text", "word", "expected"),
    [
        ("current account", "rent", False),
        ("the rent", "rent", True),
        ("quotes", "quote", True),
        ("見積もりのお願い", "お願い", True),
        ("a+b", "+b", True),
        ("x", " ", False),
    ],
)
def test_a_word_is_found_at_its_head_where_the_script_has_words(text, word, expected):
    assert mentions(text, word) is expected


def test_a_file_is_compared_by_its_name():
    known = (CarriedField("file", ("File",), "file"),)
    carried = Carried({}, {}, {}).plus("w", known, {"file": File("Survey.PDF", 1, "", "mail:1")})
    for operator, word, expected in (("mentions", "survey", True), ("ends", ".pdf", True), ("is", "survey", False)):
        assert holds(Condition(Reference("w", "file"), operator, (word,)), carried, HERE) is expected


def test_every_type_has_operators_that_have_words():
    assert {o for t in TYPES.values() for o in t.operators} == set(OPERATORS)


# Rows and formulas

ROWS = [
    *(Condition(Reference("w", key), operator, words) for key, operator, words, _ in CASES if key != "date"),
    Condition(Reference("w", "date"), "after", ("2026-11-23 17:00",)),
    Condition(Reference("w", "count"), "less", ("3", "5")),
    Condition(Reference("w", "count"), "is_not", ("3", "5")),
    Condition(Reference("w", "count"), "more", ("-2.50",)),
]
groups = st.recursive(
    st.sampled_from(ROWS),
    lambda inner: st.builds(
        lambda m, c: Group(m, tuple(c)), st.sampled_from(["all", "any", "none"]), st.lists(inner, min_size=2, max_size=3)
    ),
    max_leaves=8,
)
SCOPE = Scope.of_carried([(t.Value("w", f.key), f.name) for f in FIELDS], FUNCTIONS.forms)


def rows_of(text: str):
    return read_rows(read(text, SCOPE), CARRIED.fields)


@pytest.mark.parametrize("row", ROWS, ids=lambda r: f"{r.ref.value} {r.operator} {r.words}")
def test_a_row_writes_a_formula_that_reads_as_the_row(row):
    node = write_row(row, CARRIED.fields, HERE)
    again = read(write(node, SCOPE), SCOPE)
    assert again == node
    mode, (back,) = read_rows(again, CARRIED.fields)
    assert (mode, back.ref, back.operator) == ("all", row.ref, row.operator)
    assert write_row(back, CARRIED.fields, HERE) == node


@settings(max_examples=300, deadline=None)
@given(groups)
def test_groups_write_formulas_that_read_as_the_same_rows(group):
    """Nested all, any and none; a group within one of its own kind at its head reads as one."""
    node = write_row(group, CARRIED.fields, HERE)
    mode, tests = read_rows(node, CARRIED.fields)
    assert write_all(mode, tests, CARRIED.fields, HERE) == node
    assert holds(Group(mode, tests), CARRIED, HERE) == holds(group, CARRIED, HERE)


@pytest.mark.parametrize(
    "text",
    [
        'mentions(Subject, "quote", "estimate") and Number > 1',
        'Number > 1 or (Read = true and not(mentions(Subject, "x")))',
        'not(Number = 1 or same text(Address, "a@b.example"))',
        "Number in (< 3, < 5)",
        "not(Number in (3, 5))",
        'Day > @"2026-11-22"',
        "Cc = null and Subject != null",
        'string length(Subject) > 3 and begins(Subject, "E")',
        "if Read then Number > 1 else false",
        "Number > 1 and Number + 1 < 9",
        'Subject = "exact"',
        "not(Read)",
        "true",
    ],
)
def test_a_formula_reads_as_rows_that_write_it_again_to_the_letter(text):
    node = read(text, SCOPE)
    mode, tests = read_rows(node, CARRIED.fields)
    assert write(write_all(mode, tests, CARRIED.fields, HERE), SCOPE) == text


def test_what_is_no_row_stays_a_formula():
    mode, (row, rest) = rows_of('mentions(Subject, "x") or string length(Subject) > 3')
    assert mode == "any" and row == Condition(Reference("w", "subject"), "mentions", ("x",))
    assert isinstance(rest, Formula) and holds(rest, CARRIED, HERE) is True
    assert isinstance(rows_of('Subject = "exact"')[1][0], Formula)  # to the letter, which no row says
    assert isinstance(rows_of("1 < Number")[1][0], Formula)
    assert rows_of("Number < 3") == ("all", (Condition(Reference("w", "count"), "less", ("3",)),))


def test_each_row_says_whether_it_holds():
    yes = Condition(Reference("w", "subject"), "mentions", ("organ",))
    no = Condition(Reference("w", "subject"), "mentions", ("harp",))
    unfinished = Condition(Reference("w", "subject"), "mentions")
    assert row_results((yes, Group("any", (no, yes)), unfinished, no), CARRIED, HERE) == (True, True, False, True, None, False)


def test_a_formula_that_is_no_condition_is_said():
    wrong = Formula(t.dump(read("Number + 1", SCOPE)))
    with pytest.raises(Unfit, match="must be true or false"):
        holds(wrong, CARRIED, HERE)
    with pytest.raises(Unfit, match="has an error"):
        holds(Formula(text="Number +"), CARRIED, HERE)
    with pytest.raises(Unfit, match="can’t be compared with"):
        holds(Formula(t.dump(read("Number > Subject", SCOPE))), CARRIED, HERE)


def test_what_is_unknown_does_not_go_on():
    empty = Carried({}, {}).plus("w", FIELDS, {})
    more = Condition(Reference("w", "count"), "more", ("1",))
    assert not goes_on(OnlyIf("o", "all", (more,)), empty, HERE)
    assert goes_on(OnlyIf("o", "none", (Condition(Reference("w", "subject"), "mentions", ("x",)),)), empty, HERE)
