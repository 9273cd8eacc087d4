"""Only if: what goes on, what is passed by, what cannot be decided."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import pytest

from kelvix.core.conditions import OPERATORS, goes_on, holds, mentions
from kelvix.core.filling import Carried
from kelvix.core.schema import CarriedField
from kelvix.core.values import TYPES, Unfit, from_wire
from kelvix.core.workflow import OPERATOR_WORDS, Condition, OnlyIf, Reference

LONDON = ZoneInfo("Europe/London")
FIELDS = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("address", ("Message", "Address"), "email"),
    CarriedField("date", ("Message", "Date"), "datetime"),
    CarriedField("day", ("Message", "Day"), "date"),
    CarriedField("count", ("Message", "Number"), "number"),
    CarriedField("read", ("Message", "Read"), "yes_no"),
    CarriedField("cc", ("Message", "Cc"), "text"),
)
VALUES = {
    "subject": "Estimate for the ÉLAN organ",
    "address": "ada@stbride.example",
    "date": "2026-11-23T17:02:00Z",
    "day": "2026-11-23",
    "count": "2",
    "read": True,
    "cc": None,
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
    ("count", "more", ("1",), True),
    ("count", "less", ("2",), False),
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
    assert holds(Condition(Reference("w", key), operator, words), CARRIED, LONDON) is expected


@pytest.mark.parametrize(
    ("condition", "said"),
    [
        (Condition(Reference("w", "gone"), "is", ("x",)), "no longer carry"),
        (Condition(Reference("w", "subject"), "is", ()), "say what Message › Subject is"),
        (Condition(Reference("w", "subject"), "after", ("x",)), "does not go with"),
        (Condition(Reference("w", "count"), "more", ("many",)), "not a number"),
        (Condition(Reference("w", "date"), "after", ("01/02/2026",)), "two different dates"),
    ],
)
def test_what_cannot_be_decided_says_why(condition, said):
    with pytest.raises(Unfit) as caught:
        holds(condition, CARRIED, LONDON)
    assert said in str(caught.value)


def test_all_and_any():
    yes, no = Condition(Reference("w", "cc"), "empty"), Condition(Reference("w", "cc"), "filled")
    assert goes_on(OnlyIf("o", "any", (no, yes)), CARRIED, LONDON)
    assert not goes_on(OnlyIf("o", "all", (no, yes)), CARRIED, LONDON)
    assert goes_on(OnlyIf("o", "all", ()), CARRIED, LONDON)


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


def test_every_type_has_operators_that_have_words():
    assert set(OPERATORS) == set(TYPES)
    assert {o for of in OPERATORS.values() for o in of} == set(OPERATOR_WORDS)
