"""Date and number patterns against the tables of Unicode's CLDR, as Babel ships them (babel.dates, babel.numbers; CLDR 47).

The tables are read here by themselves: months, weekdays, day periods, and the signs of numbers, for languages of several scripts.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from babel import Locale

from kelvix.core.feel import Env, evaluate
from kelvix.core.feel.added.language import OFFERED, date_order, languages

LANGUAGES = ["en_GB", "en_US", "de_DE", "fr_FR", "pl_PL", "fi_FI", "el_GR", "uk_UA", "tr_TR"]


def env(language: str) -> Env:
    return Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"), language)


def formatted(value: object, pattern: str, language: str) -> object:
    return evaluate("format date(x, p)", {"x": value, "p": pattern}, env(language))


@pytest.mark.parametrize("language", LANGUAGES)
def test_months_and_weekdays_are_those_of_the_tables(language):
    tables = Locale.parse(language)
    for month in range(1, 13):
        day = date(2026, month, 23)
        assert formatted(day, "MMMM", language) == tables.months["format"]["wide"][month]
        assert formatted(day, "MMM", language) == tables.months["format"]["abbreviated"][month]
        assert formatted(day, "LLLL", language) == tables.months["stand-alone"]["wide"][month]
    for n in range(7):
        day = date(2026, 11, 23 + n)  # a Monday and on
        assert formatted(day, "EEEE", language) == tables.days["format"]["wide"][n]
        assert formatted(day, "EEE", language) == tables.days["format"]["abbreviated"][n]


@pytest.mark.parametrize("language", ["en_GB", "en_US", "de_DE", "el_GR"])
def test_day_periods_are_those_of_the_tables(language):
    periods = Locale.parse(language).day_periods["format"]["abbreviated"]
    for hour, period in ((8, "am"), (17, "pm")):
        assert formatted(datetime(2026, 11, 23, hour, 2), "a", language) == periods[period]


# Unicode Technical Standard 35, part 4, table 8, for one moment: pattern letters and what they give (from memory of the table)
@pytest.mark.parametrize(
    ("pattern", "gives"),
    [
        ("y", "2026"), ("yy", "26"), ("yyyy", "2026"), ("M", "3"), ("MM", "03"), ("MMM", "Mar"), ("MMMM", "March"), ("MMMMM", "M"),
        ("d", "5"), ("dd", "05"), ("D", "64"), ("E", "Thu"), ("EEEE", "Thursday"), ("EEEEE", "T"), ("H", "17"), ("HH", "17"),
        ("h", "5"), ("hh", "05"), ("k", "17"), ("K", "5"), ("m", "2"), ("mm", "02"), ("s", "9"), ("ss", "09"), ("Q", "1"),
        ("QQQ", "Q1"), ("w", "10"), ("Y", "2026"), ("'at' HH", "at 17"), ("h 'o''clock'", "5 o'clock"), ("G", "AD"),
    ],
)  # fmt: skip
def test_pattern_letters(pattern, gives):
    assert formatted(datetime(2026, 3, 5, 17, 2, 9), pattern, "en_GB") == gives


def test_the_year_of_the_week_differs_around_new_year():
    """31 December 2024 is a Tuesday of week 1 of 2025 (ISO 8601)."""
    assert formatted(date(2024, 12, 31), "Y", "en_GB") == "2025" and formatted(date(2024, 12, 31), "y", "en_GB") == "2024"


@pytest.mark.parametrize("language", LANGUAGES)
def test_numbers_have_the_signs_of_the_tables(language):
    symbols = Locale.parse(language).number_symbols["latn"]
    shown = evaluate("format number(1234567.5)", {}, env(language))
    assert shown == f"1{symbols['group']}234{symbols['group']}567{symbols['decimal']}5"


# Unicode Technical Standard 35, part 3, number patterns (from memory of its examples)
@pytest.mark.parametrize(
    ("pattern", "number", "gives"),
    [("0", "1.5", "2"), ("0.00", "1.5", "1.50"), ("#,##0.##", "1234.5", "1,234.5"), ("#,##0.00", "1234567.891", "1,234,567.89"),
     ("0%", "0.256", "26%"), ("000", "7", "007"), ("#,##0.00;(#,##0.00)", "-5", "(5.00)"), ("0.###E0", "12345", "1.234E4")],
)  # fmt: skip
def test_number_patterns(pattern, number, gives):
    assert evaluate("format number(x, p)", {"x": Decimal(number), "p": pattern}, env("en_GB")) == gives


# The CLDR's short dates: dd/MM/y, M/d/yy, dd.MM.yy, y-MM-dd
@pytest.mark.parametrize(
    ("language", "order"),
    [("en_GB", "DMY"), ("en_US", "MDY"), ("de_DE", "DMY"), ("sv_SE", "YMD"), ("lt_LT", "YMD"), ("fr_FR", "DMY")],
)
def test_the_order_of_day_and_month(language, order):
    assert date_order(language) == order


def test_every_language_that_is_offered_is_in_the_tables():
    assert len(languages()) == len(OFFERED) and all(name and code == str(Locale.parse(code)) for code, name in languages())
