"""Where ours and the reference interpreter (feelin 8.2 on Node) differ, and why that is accepted: each with its reason.

Every rule must be needed by some expression of the corpus, and every difference must fall under a rule.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

Result = dict[str, object] | None
NOT_IN_FEELIN = {
    *("overlaps before", "overlaps after", "finishes", "finished by", "during", "starts", "started by", "coincides"),
}


@dataclass(frozen=True)
class Accepted:
    """`about` is what the expression tests (see corpus.py); `when` looks at the text, our result and theirs."""

    about: tuple[str, ...]
    when: Callable[[str, Result, Result], bool]
    reason: str


def null(_: str, __: Result, theirs: Result) -> bool:
    return theirs is None


def ours_null(_: str, ours: Result, __: Result) -> bool:
    return ours is None


def crashed(_: str, __: Result, theirs: Result) -> bool:
    return theirs is not None and "error" in theirs


def any_way(_: str, __: Result, ___: Result) -> bool:
    return True


ACCEPTED = [
    Accepted(tuple(sorted(NOT_IN_FEELIN)), null, "feelin declares these functions but gives null for all arguments"),
    Accepted(
        ("<", "<=", ">", ">="), crashed, "feelin throws for lists and booleans, which have no order: null in the standard"
    ),
    Accepted(("union",), any_way, "feelin throws for values that are not lists, and takes a text for a list of letters"),
    Accepted(("includes",), ours_null, "a text and a number have no order: null; feelin says false"),
    Accepted(("duration * number",), null, "table 54 has duration * number; feelin gives null"),
    Accepted(("between",), any_way, "the standard defines it as >= low and <= high; feelin turns the ends round"),
    Accepted(("**",), any_way, "feelin gives NaN, which is no value of the language: null"),
    Accepted(("date + duration",), any_way, "table 54: a date plus a duration is a date; feelin makes a date and time"),
    Accepted(("if",), lambda text, *_: '"x"' in text, "only true is true; feelin takes a text for true"),
    Accepted(("=", "!="), lambda text, _, theirs: "[" in text and theirs is None, "lists of different lengths are unequal"),
    Accepted(("is",), null, "table 68: values of different types are not the same, so false"),
    Accepted(("sort",), lambda text, _, theirs: "function" not in text and theirs is None, "ours sorts without a function too"),
    Accepted(("mode",), any_way, "table 70: in ascending order; feelin gives the order of occurrence"),
    Accepted(("median",), any_way, "feelin sorts only lists, not single arguments"),
    Accepted(
        ("modulo",), lambda text, *_: "." in text, "feelin computes in doubles; ours is checked against decimal elsewhere"
    ),
    Accepted(("years and months duration",), any_way, "whole months by the standard; feelin keeps the days"),
    Accepted(
        ("remove", "insert before", "sublist", "list replace"),
        any_way,
        "feelin counts places from the end otherwise than the standard, is lenient beyond the ends, and knows no named arguments here",
    ),
    Accepted(("date and time",), null, "a date is converted to its midnight in UTC (clause 10.3.2.9.4)"),
    Accepted(("context",), lambda text, *_: "key: 1" in text, "a key is a text; feelin makes one of a number"),
    Accepted(
        ("context", "context merge"), lambda text, _, theirs: "[]" in text and theirs is None, "of nothing, an empty context"
    ),
    Accepted(("get value",), null, "feelin does not follow a path of keys"),
    Accepted(("max", "min"), null, "one argument that is not a list is converted to a list of one (clause 10.3.2.9.4)"),
    Accepted(("number",), null, "no grouping sign, or a number given: nothing to convert"),
    Accepted(("number",), ours_null, "an empty text is no number; feelin says 0"),
    Accepted(("before", "after"), lambda text, *_: "value1:" in text, "feelin calls the parameters of these otherwise"),
    Accepted(("before", "after"), ours_null, "a text and a number have no order: null; feelin answers"),
    Accepted(("replace",), lambda text, *_: "$" in text, "XPath: a group that the pattern does not have is empty"),
    Accepted(("substring",), lambda text, *_: "😀" in text, "feelin counts UTF-16 units; the standard counts characters"),
    Accepted(
        ("substring",), lambda text, *_: "-2" in text, "a start before the beginning is the beginning; feelin gives nothing"
    ),
    Accepted(
        ("floor", "ceiling"), lambda text, *_: "null" in text, "null for an optional argument counts as one that is left out"
    ),
    Accepted(("time",), lambda text, *_: '"17:02"' in text, "XML Schema's time has seconds"),
]
