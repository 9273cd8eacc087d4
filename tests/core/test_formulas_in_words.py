"""Formulas that are said in words: a value with a fall-back, a part of a moment, a whole filling as one formula."""

from __future__ import annotations

from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core import formulas
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.values import Unfit
from kelvix.core.workflow import Formula, Part, Reference

AT = datetime(2026, 11, 23, 17, 2, tzinfo=UTC)
ENV = Env(AT, ZoneInfo("UTC"))
NAME = Reference("w", "name")


@pytest.mark.parametrize(("value", "gives"), [("Ada", "Ada"), (None, "friend"), ("", "friend")])
def test_a_fall_back_stands_in_for_what_is_empty(value, gives):
    one = formulas.Fallback("w", "name", "friend")
    tree = t.dump(formulas.of_fallback(one))
    assert formulas.fallback(tree) == one and formulas.calculation(tree) is None and formulas.moment_part(tree) is None
    assert formulas.evaluate(tree, {("w", "name"): value}, ENV) == gives


@pytest.mark.parametrize(("part", "gives"), [("date", date(2026, 11, 23)), ("time", "17:02")])
def test_a_part_of_a_moment(part, gives):
    one = formulas.MomentPart("w", "at", part)
    tree = t.dump(formulas.of_moment_part(one))
    assert formulas.moment_part(tree) == one and formulas.fallback(tree) is None
    assert formulas.evaluate(tree, {("w", "at"): AT}, ENV) == gives


def test_other_formulas_are_neither():
    other = t.dump(t.Call(t.Name("first filled"), (t.Value("w", "a"), t.Value("w", "b"))))
    assert formulas.fallback(other) is None
    assert formulas.moment_part(t.dump(t.Call(t.Name("date"), (t.String("2026-11-23"),)))) is None


@pytest.mark.parametrize(
    ("parts", "gives"),
    [
        ((Part(ref=NAME),), "Ada"),
        ((Part(text="Dear "), Part(ref=NAME), Part(text=",")), "Dear Ada,"),
        ((Part(text="At "), Part(ref=Reference("w", "at"))), "At 23 Nov 2026, 17:02"),
        ((Part(formula=Formula(tree=t.dump(t.Number("3")))),), 3),
        ((), None),
    ],
)
def test_a_filling_is_one_formula(parts, gives):
    node = formulas.of_filling(parts)
    assert (formulas.evaluate(t.dump(node), {("w", "name"): "Ada", ("w", "at"): AT}, ENV) or None) == gives


def test_a_formula_with_an_error_becomes_none():
    with pytest.raises(Unfit, match="has an error"):
        formulas.of_filling((Part(text="x"), Part(formula=Formula(text="1 +"))))
