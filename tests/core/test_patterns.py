"""Patterns that see text from outside: found as before, and in a time that grows with the text, not with its square."""

from __future__ import annotations

import ast
import importlib
import pkgutil
from datetime import UTC, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

import kelvix
from attacks import taking
from kelvix.core.feel import Env, evaluate
from kelvix.core.patterns import LISTED, MAX_CUT, cut, once, short, standing
from kelvix.core.quick_input import understand
from kelvix.core.schema import Database, Field
from kelvix.core.values import mentions
from kelvix.formats import article
from kelvix.settings import TOP

ENV = {"now": datetime(2026, 11, 28, tzinfo=UTC), "zone": ZoneInfo("Europe/London")}


def given(formula, **values):
    return evaluate(formula, values, Env(**ENV))


def test_a_page_of_brackets_is_read_at_once():
    """164 kB of “[” in an article: an expression went through it by the square, for twenty seconds, before the text was cut."""
    page = f"<html><head><title>T</title></head><body><article><p>{'[' * 164_000}</p><p>{'Some words. ' * 40}</p></article></body></html>"
    with taking(12):
        found = article.read(page)
    assert found.title == "T"


def test_links_that_would_run_something_are_left_out():
    text = article.LINK.sub(article._unless_safe, "[a](https://x.example) [b](javascript:alert(1)) [c](/d) [e](#f) [g](DATA:x)")
    assert text == "[a](https://x.example) b) [c](/d) [e](#f) g"


@pytest.mark.parametrize(
    ("formula", "text"),
    [
        ("first reference(t)", "order" + " " * 99_000),
        ("first reference(t)", "no " * 33_000),
        ("first amount(t)", "1 111" * 20_000),
        ("first date(t)", "1 " * 50_000),
        ("first email(t)", "a" * 100_000),
        ("range(t)", "[" + "." * 200_000),
        ("file extension(t)", ".tar" * 100_000),
        ("for n in 1..9 return address parts(t)", " " * 2_000),
        ("for n in 1..9 return address parts(t)", '"' + "\u00a0" * 2_000 + "<a"),
        ("15 in range(t)", "[1" + ".." * 100_000 + "]"),
    ],
)
def test_a_formula_on_hostile_text_comes_to_an_end(formula, text):
    with taking(10):
        given(formula, t=text)


def test_what_stands_by_itself_is_found_even_where_two_share_what_is_between_them():
    found = standing(r"(?i)a\d", after="[^a-z]", before="[^a-z]", worst="a")
    assert [m[1] for m in found.finditer("a1 A2 xa3 a4x a5")] == ["a1", "A2", "a5"]
    LISTED.pop()


@pytest.mark.parametrize(
    ("formula", "text", "expected"),
    [
        ("first reference(t)", "Ref: alpha; order no. 77/A-2, later", "77/A-2"),
        ("first reference(t)", "number seven", None),
        ("first amount(t).amount", "x5 GBP 10, later", Decimal(10)),
        ("first amount(t).amount", "ABC 5 GBP 6", Decimal(6)),
        ("string(first date(t))", "112/5/2026 or 31/02/2026 12/05/2026", "2026-05-12"),
        ("string(time(t))", "10:00:00z", "10:00:00Z"),
    ],
)
def test_what_is_found_stays_what_it_was(formula, text, expected):
    assert given(formula, t=text) == expected


def test_a_word_is_mentioned_at_the_head_of_a_word():
    assert mentions("the rent, please", "rent") and not mentions("current", "rent") and mentions("Ärger im Verzug", "arger")
    assert mentions("日本語の文", "本語") and mentions("a.b", "a.b") and not mentions("axb", "a.b")


def test_a_long_text_is_no_short_one():
    assert short(r"a+", most=3, worst="a").fullmatch("aaa") and not short(r"a+", most=3, worst="a").fullmatch("aaaa")
    del LISTED[-2:]


def test_patterns_are_kept_in_one_place():
    """No format that is read from outside, and nothing that finds things in texts, has a pattern of Python's own; neither has what reads a typed line."""
    for module in pkgutil.walk_packages(kelvix.__path__, "kelvix."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    assert len(LISTED) > 40 and all(one.worst for one in LISTED)
    lines = [TOP / "src/kelvix/core" / name for name in ("quick_input.py", "plain_dates.py")]
    for folder in ("formats", "core/feel/added"):
        for path in [*(TOP / "src/kelvix" / folder).glob("*.py"), *lines]:
            calls = [
                n
                for n in ast.walk(ast.parse(path.read_text()))
                if isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name)
            ]
            own = {n.attr for n in calls if n.value.id == "re"} - {"I", "A", "S", "M", "ASCII", "Match", "escape"}
            assert not own, (path, own)
    assert once("a") is once("a")


def test_a_pattern_that_is_cut_looks_at_the_beginning_only():
    found = cut(r"(?<!x)a", worst="a")
    assert sum(1 for _ in found.finditer("a" * 10_000)) == MAX_CUT and found.fullmatch("a" * 10_000) is None
    assert found.match("xa", 1) is None and found.search("xab a")[0] == "a"
    LISTED.pop()


@pytest.mark.parametrize(
    "worst",
    ["the end of ", "1 ", "at 1 ", "every ", "every 1 ", "5/6 ", "a week on ", "half ", "Due: ", "a@", "#a", "https://"],
)
def test_a_long_line_of_what_reads_as_dates_is_read_at_once(worst):
    fields = (Field(1, "Name", "text"), Field(2, "Due", "date"), Field(3, "From", "email"), Field(4, "Page", "link"))
    with taking(10):
        understand((worst * 2_000)[:MAX_CUT], Database(1, "Tasks", (*fields, Field(0, "Text", "long_text"))), (), Env(**ENV))
