"""Dates and numbers by the patterns of the CLDR (Unicode Technical Standard 35, parts 3 and 4), and dates in plain words."""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal

import dateparser
from babel import dates as babel_dates
from babel import numbers as babel_numbers

from kelvix.core.feel.added.language import GROUP, date_order, locale
from kelvix.core.feel.builtin import BUILTINS, DATE, DATETIME, NUMBER, RANGE, STRING, TIME, Param
from kelvix.core.feel.environment import Env
from kelvix.core.feel.values import Range
from kelvix.core.fields.date import parse_date
from kelvix.core.patterns import pattern as listed
from kelvix.core.periods import EXAMPLES, named

LEADING = listed(r"(?i)^(next|on|by|this)\s+", worst="on ")

MOMENT = DATE | DATETIME | TIME


@BUILTINS.add(
    "format date",
    [Param("value", MOMENT), Param("pattern", STRING), Param("language", STRING, True)],
    STRING,
    "Formats a date or time (CLDR): d day, MMM month, y year, EEEE weekday, HH hour of 24, h hour of 12 with a, mm minute.",
    'format date(date("2026-11-23"), "EEEE d MMMM y")',
    '"Monday 23 November 2026"',
    GROUP,
    needs_env=True,
    added=True,
)
def format_date(env: Env, value: date | time, pattern: str, language: str | None = None) -> str:
    if len(pattern) > 200:
        raise ValueError("a pattern has at most 200 characters")
    where = locale(language or env.locale)
    parsed = babel_dates.parse_pattern(pattern)
    if isinstance(value, datetime):
        return str(parsed.apply(value.astimezone(env.zone) if value.tzinfo else value, where))
    fields = {f[0] for f in "".join(pattern.split("'")[::2]) if f.isalpha()}
    if isinstance(value, date) and fields & set("hHkKmsSAaz"):
        raise ValueError("a date has no time of day; the pattern asks for one")
    if isinstance(value, time) and fields & set("yYMLdDEecwWQqG"):
        raise ValueError("a time has no date; the pattern asks for one")
    if isinstance(value, time):
        value = datetime.combine(date(2000, 1, 1), value)
    return str(parsed.apply(value, where))


@BUILTINS.add(
    "format number",
    [Param("value", NUMBER), Param("pattern", STRING, True), Param("language", STRING, True)],
    STRING,
    "Formats a number with a CLDR pattern, or in the workspace's language: #,##0.00 has groups and two decimals.",
    'format number(1850.5, "#,##0.00")',
    '"1,850.50"',
    GROUP,
    needs_env=True,
    added=True,
)
def format_number(env: Env, value: Decimal, pattern: str | None = None, language: str | None = None) -> str:
    if pattern is not None and (len(pattern) > 100 or not set("0#@") & set(pattern)):
        raise ValueError(f"“{pattern[:40]}” is not a pattern for numbers; one looks like #,##0.00")
    return babel_numbers.format_decimal(value, pattern, locale(language or env.locale))


@BUILTINS.add(
    "format money",
    [Param("amount", NUMBER), Param("currency", STRING), Param("language", STRING, True)],
    STRING,
    "Formats an amount in the workspace's language with this currency (ISO 4217).",
    'format money(1850.5, "GBP")',
    '"£1,850.50"',
    GROUP,
    needs_env=True,
    added=True,
)
def format_money(env: Env, amount: Decimal, currency: str, language: str | None = None) -> str:
    if len(currency) != 3 or not (currency.isascii() and currency.isupper() and currency.isalpha()):
        raise ValueError("a currency is three capitals, such as EUR")
    return babel_numbers.format_currency(amount, currency, locale=locale(language or env.locale))


@BUILTINS.add(
    "read date",
    [Param("text", STRING), Param("order", STRING, True)],
    DATE,
    "The date in a text such as 23/11/2026 or 23 Nov 2026. If it can be read two ways, give the order: DMY, MDY or YMD.",
    'read date("01/02/2026", "DMY")',
    'date("2026-02-01")',
    GROUP,
    added=True,
)
def read_date(text: str, order: str | None = None) -> date:
    if order is not None and order.upper() not in ("DMY", "MDY", "YMD"):
        raise ValueError("the order is DMY, MDY or YMD")
    return parse_date(text.strip(), order.upper() if order else None)


@BUILTINS.add(
    "period",
    [Param("words", STRING)],
    RANGE,
    "The days that words stand for today: today, this week, next month, the last 30 days, in 7 days.",
    'date("2025-11-25") in period("the last 30 days")',
    "false",
    GROUP,
    needs_env=True,
    added=True,
)
def counted_days(env: Env, words: str) -> Range:
    found = named(words)
    if found is None:
        raise ValueError(f"“{words[:40]}” does not name days; write for example {', '.join(EXAMPLES)}")
    now = env.now.astimezone(env.zone) if env.now.tzinfo else env.now
    first, last = found.days(now.date())
    return Range(first, True, last, True)


@BUILTINS.add(
    "natural date",
    [Param("text", STRING), Param("as of", DATE | DATETIME, True)],
    DATETIME,
    "The date and time in words such as Friday 3pm or tomorrow, counted forward from now.",
    'natural date("Friday 3pm", @"2026-11-25T09:00:00").hour',
    "15",
    GROUP,
    needs_env=True,
    added=True,
)
def natural_date(env: Env, text: str, as_of: date | None = None) -> datetime:
    base = as_of if isinstance(as_of, datetime) else datetime.combine(as_of, time()) if as_of else env.now
    local = base.astimezone(env.zone) if base.tzinfo else base.replace(tzinfo=env.zone)
    words = " ".join(text.split())
    if not words or len(words) > 200:
        raise ValueError("this is not a date in plain words")
    order = env.order or date_order(env.locale)
    found: datetime | None = dateparser.parse(
        LEADING.sub("", words),
        languages=[locale(env.locale).language],
        settings={
            "RELATIVE_BASE": local.replace(tzinfo=None),
            "PREFER_DATES_FROM": "future",
            "DATE_ORDER": order,
            "RETURN_TIME_AS_PERIOD": True,
        },
    )
    if found is None:
        raise ValueError(f"“{words[:40]}” is not a date in plain words")
    return found if found.tzinfo else found.replace(tzinfo=env.zone)
