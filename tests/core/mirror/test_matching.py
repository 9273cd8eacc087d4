"""Recognising pairs for the first time: by keys, and by what is alike. On known collections: tests/reference."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.mirror.document import Key, MatchRule
from kelvix.core.mirror.matching import Keyed, key_text, match
from kelvix.core.values import Person

NUMBER = MatchRule((Key("n", "n", "exact"),))
TITLE = MatchRule((Key("t", "t", "near"),), least=0.85)
TITLES = [
    "Re-leather the bellows of St Hewen",
    "Voice the Principal 4 at Nether Wend",
    "Survey the swell box",
    "Ring the verger of Ferry Reach",
    "Casework: replace two mouldings",
    "Order reed leather from Tannery Wick",
    "Clean the great trunk",
    "Tuning at All Saints",
    "Photograph the stop jambs",
    "Blower hums at 100 Hz",
]


def keyed(items):
    return [Keyed(id, tuple(keys)) for id, *keys in items]


def titled(side, titles):
    return [Keyed(f"{side}{n}", (key_text(title, "near"),)) for n, title in enumerate(titles)]


def pairs(found):
    return sorted((p.left, p.right) for p in found.pairs)


def test_equal_keys_are_a_pair_and_several_are_a_doubt():
    found = match(
        NUMBER, keyed([("l1", "7"), ("l2", "8"), ("l3", None), ("l4", "9")]), keyed([("r1", "7"), ("r2", "8"), ("r3", "8")])
    )
    assert pairs(found) == [("l1", "r1")]
    [doubt] = found.doubts
    assert [(p.left, p.right) for p in doubt.pairs] == [("l2", "r2"), ("l2", "r3")]


def test_without_a_rule_nothing_is_recognised():
    assert match(MatchRule(), keyed([("l1",)]), keyed([("r1",)])).pairs == ()


@given(st.lists(st.sampled_from("abcde"), max_size=8), st.lists(st.sampled_from("abcde"), max_size=8))
def test_against_comparing_all_with_all(lefts, rights):
    ours, theirs = keyed([(f"l{n}", k) for n, k in enumerate(lefts)]), keyed([(f"r{n}", k) for n, k in enumerate(rights)])
    found = match(NUMBER, ours, theirs)
    expected = [
        (a.id, b.id)
        for a in ours
        for b in theirs
        if a.keys == b.keys and lefts.count(a.keys[0]) == 1 == rights.count(b.keys[0])
    ]
    assert pairs(found) == sorted(expected)
    assert all(lefts.count(k) + rights.count(k) > 2 for d in found.doubts for k in {lefts[int(p.left[1:])] for p in d.pairs})


def test_titles_that_are_alike_are_recognised():
    theirs = [
        t.replace("leather", "lether").replace("Survey", "survey:").replace("Photograph the", "Photograph") for t in TITLES
    ]
    found = match(TITLE, titled("l", TITLES), titled("r", theirs[::-1]))
    assert pairs(found) == sorted((f"l{n}", f"r{9 - n}") for n in range(10)) and not found.doubts
    assert all(p.chance >= TITLE.least and p.why[0] in ("same", "alike") for p in found.pairs)


def test_two_that_fit_equally_are_a_doubt():
    found = match(TITLE, titled("l", TITLES), titled("r", [*TITLES[1:], TITLES[0], TITLES[0]]))
    assert ("l0" not in {p.left for p in found.pairs}) and [{p.right for p in d.pairs} for d in found.doubts] == [{"r9", "r10"}]


def test_things_that_are_not_the_same_are_no_pair():
    assert not match(TITLE, titled("l", TITLES[:5]), titled("r", TITLES[5:])).pairs


def test_near_keys_tell_apart_what_firm_keys_leave_open():
    rule = MatchRule((Key("p", "p", "normalised"), Key("t", "t", "near")))
    ours = keyed([("l1", "st hewen", "bellows"), ("l2", "st hewen", "mouldings"), ("l3", None, "bellows")])
    theirs = keyed([("r1", "st hewen", "mouldings"), ("r2", "st hewen", "bellows"), ("r3", "ferry reach", "bellows")])
    assert pairs(match(rule, ours, theirs)) == [("l1", "r2"), ("l2", "r1")]


@pytest.mark.parametrize(
    ("value", "exact", "normalised"),
    [
        ("St Hewen’s, Organ", "St Hewen’s, Organ", "st hewen s organ"),
        ("Café", "Café", "cafe"),
        (None, None, None),
        ("—", "—", None),
        (Decimal("12.50"), "12.50", "12 50"),
        (date(2026, 12, 1), "2026-12-01", "2026 12 01"),
        (("b", "a"), "a b", "a b"),
        (Person("Ada Reed", "ada@stbride.example"), "Ada Reed <ada@stbride.example>", "ada reed ada stbride example"),
    ],
)
def test_values_are_recognised_by_what_they_read_as(value, exact, normalised):
    assert key_text(value, "exact") == exact and key_text(value, "normalised") == normalised == key_text(value, "near")


@pytest.mark.parametrize("title", ["Pump 13", "Pump B", "Clean the great trunk of St Hewen", "Clean the great trunk 2"])
def test_a_number_or_a_name_that_differs_makes_another_thing(title):
    ours = [*TITLES, "Pump 12", "Pump A"]
    assert not match(TITLE, titled("l", ours), titled("r", [title])).pairs
