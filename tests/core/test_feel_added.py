"""The functions that are ours, and the page that lists all functions with examples."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.commands import handbook
from kelvix.core.feel import FUNCTIONS, Env, evaluate
from kelvix.core.feel.values import write


def env(locale: str = "en_GB") -> Env:
    return Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"), locale)


def examples() -> list[tuple[str, str]]:
    """(example, what it gives) of every row of docs/expressions.md that has both."""
    found = []
    for line in handbook.PAGE.read_text().splitlines():
        cells = [c.strip() for c in re.split(r"(?<!\\)\|", line)[1:-1]]
        if len(cells) == 4 and cells[2].startswith("`"):
            found.append(tuple(c.replace("\\|", "|").strip("` ") for c in cells[2:]))
    return found


@pytest.mark.parametrize(("example", "gives"), examples())
def test_every_example_of_the_page_gives_what_it_says(example, gives):
    assert write(evaluate(example, {}, env()), True) == write(evaluate(gives, {}, env()), True)


def test_the_page_is_current_and_names_every_function():
    assert handbook.PAGE.read_text() == handbook.page()
    names = {e.split("(")[0].strip("`") for e in re.findall(r"^\| (`[^`]+)`", handbook.PAGE.read_text(), re.M)}
    assert set(FUNCTIONS.forms) <= names
    assert len(examples()) >= sum(map(len, FUNCTIONS.forms.values()))


@pytest.mark.parametrize(
    ("text", "gives"),
    [
        ('format date(@"2026-11-23T17:02:00Z", "HH:mm")', '"17:02"'),
        ('format date(@"2026-07-23T17:02:00Z", "HH:mm")', '"18:02"'),
        ('format date(@"2026-11-23", "EEEE", "de")', '"Montag"'),
        ('format date(@"2026-11-23", "HH:mm")', "null"),
        ('format date(time("17:02:00"), "h:mm a")', '"5:02 pm"'),
        ('format date(time("17:02:00"), "d MMM")', "null"),
        ('format date(@"2026-11-23", "d MMM", "xx_nowhere")', "null"),
        ('format number(1850.5, "#,##0.00", "de")', '"1.850,50"'),
        ('format number(0.256, "0%")', '"26%"'),
        ('format number(5, "text")', "null"),
        ('format money(1850.5, "EUR", "de")', '"1.850,50\u00a0€"'),
        ('format money(1, "pounds")', "null"),
        ('read date("23/11/2026")', '@"2026-11-23"'),
        ('read date("01/02/2026")', "null"),
        ('read date("01/02/2026", "MDY")', '@"2026-01-02"'),
        ('read date("31/02/2026")', "null"),
        ('natural date("tomorrow").day', "26"),
        ('natural date("Friday 3pm")', 'date and time("2026-11-27T15:00:00@Europe/London")'),
        ('natural date("in two weeks").day', "9"),
        ('natural date("5/6", @"2026-01-01").month', "6"),
        ('natural date("whenever")', "null"),
        ('name parts("Pell, Ada").last', '"Pell"'),
        ('name parts("Revd Ada Pell").title', '"Revd"'),
        ('address parts("\\"Pell, Ada\\" <ada@stbride.example>").name', '"Pell, Ada"'),
        ('address parts("ada@stbride.example").account', '"ada"'),
        ('address parts("\u00a0 Ada\u00a0Pell  <ada@stbride.example> ").name', '"Ada\u00a0Pell"'),
        ('address parts("<ada@stbride.example>").name', "null"),
        ('address parts("Ada Pell")', "null"),
        ('file name("https://files.example/a/organ%20case.pdf?x=1#p")', '"organ%20case.pdf"'),
        ('file extension("survey.tar.gz")', '"tar.gz"'),
        ('file extension(".profile")', "null"),
        ('file extension("README")', "null"),
        ('file stem("C:\\\\drawings\\\\case.PDF")', '"case"'),
        ('safe file name("../../etc/passwd")', '"etc passwd"'),
        ('safe file name("a\u202egpj.exe")', '"agpj.exe"'),
        ('safe file name("???")', "null"),
        ('string length(safe file name("' + "x" * 500 + '.pdf"))', "241"),
        ('ends(safe file name("' + "x" * 500 + '.pdf"), ".pdf")', "true"),
        ('slug("Quote: St Bride")', '"quote-st-bride"'),
        ('html to text("<script>bad()</script><p>Dear<br>all</p>")', '"Dear\\nall"'),
        ('html to markdown("<h1>A</h1><script>bad()</script><ul><li>x</li><li>y</li></ul>")', '"# A\\n\\n- x\\n- y"'),
        ('truncate("restless", 20)', '"restless"'),
        ('truncate("restless", 4)', '"res…"'),
        ('truncate("a bc", 0)', "null"),
        ('plural(1, "enquiry")', '"1 enquiry"'),
        ('plural(2, "Orgel", "Orgeln")', '"2 Orgeln"'),
        ('mentions("The current rental", "rent")', "true"),
        ('mentions("The current account", "rent")', "false"),
        ('same text("URGENT", ["low", "urgent"])', "true"),
        ('as words([1, @"2026-11-23"])', '"1, 23 Nov 2026"'),
        ('as words(time("17:02:00"))', '"17:02"'),
        ("first filled(null, [], 0)", "0"),
        ('piece("a, b, c", ",", -1)', '"c"'),
        ('piece("a", ",", 2)', "null"),
        ('look up("ÜRGENT", {urgent: 1})', "1"),
        ('look up("none", {urgent: 1}, 9)', "9"),
        ('look up(1, {"1": "one"})', '"one"'),
        ('cite("Pell, Ada; Root, Bo", @"2020-05-01")', '"Pell and Root 2020"'),
        ('cite(["Pell, Ada"], null, "Leather")', '"Pell n.d., Leather"'),
        ("cite([], 2020)", "null"),
        ('first email("no address @ all")', "null"),
        ('first email("To: <ada.pell+x@mail.stbride.example>, or")', '"ada.pell+x@mail.stbride.example"'),
        ('first link("see reeds.example")', "null"),
        ('first link("(https://reeds.example/x_(y))")', '"https://reeds.example/x_(y)"'),
        ('first phone("order 8841, ring +49 30 901820")', '"+49 30 901820"'),
        ('first amount("1.850,50 EUR")', '{amount: 1850.5, currency: "EUR"}'),
        ('first amount("12.50 kg for $3")', '{amount: 3, currency: "USD"}'),
        ('first amount("£1.850")', "null"),
        ('first amount("EUR 1 850,00 net")', '{amount: 1850, currency: "EUR"}'),
        ('first amount("no money")', "null"),
        ('first date("by 3rd March 2027, or later")', '@"2027-03-03"'),
        ('first date("on 01/02/2026")', '@"2026-02-01"'),
        ('first date("on 01/02/2026", "MDY")', '@"2026-01-02"'),
        ('first date("99/99/2026")', "null"),
        ('first reference("Ref: AB/123-4, Order")', '"AB/123-4"'),
        ('first reference("your order of Monday")', "null"),
    ],
)  # fmt: skip
def test_ours(text, gives):
    assert write(evaluate(text, {}, env()), True) == write(evaluate(gives, {}, env()), True)


def test_the_language_decides_what_a_short_date_and_a_dollar_are():
    assert write(evaluate('first date("01/02/2026")', {}, env("en_US"))) == "2026-01-02"
    assert write(evaluate('natural date("5/6").month', {}, env("en_US"))) == "5"
    assert write(evaluate('first amount("$5").currency', {}, env("en_AU"))) == "AUD"
    assert write(evaluate("format number(1850.5)", {}, env("de_DE"))) == "1.850,5"


def test_what_comes_to_nothing_says_why():
    where = env()
    assert evaluate('read date("01/02/2026")', {}, where) is None
    assert "can be two different dates" in where.notes[0]
