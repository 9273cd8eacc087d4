"""The first address, link, telephone number, amount, date or reference number in a text."""

from __future__ import annotations

from datetime import date
from decimal import Decimal, InvalidOperation
from functools import lru_cache

import phonenumbers
from babel import numbers as babel_numbers
from linkify_it import LinkifyIt

from kelvix.core.feel.added.dates import read_date
from kelvix.core.feel.added.language import GROUP, date_order, locale
from kelvix.core.feel.builtin import BUILTINS, CONTEXT, DATE, STRING, Param
from kelvix.core.feel.environment import Env
from kelvix.core.fields.date import MONTH_NAMES
from kelvix.core.patterns import pattern, standing

TEXT = [Param("text", STRING)]


@lru_cache(maxsize=1)
def _links() -> LinkifyIt:
    return LinkifyIt(options={"fuzzy_email": True, "fuzzy_link": False})


SEARCHED = 100_000  # characters in which things are looked for


@BUILTINS.add(
    "first email",
    TEXT,
    STRING,
    "The first email address in a text.",
    'first email("Write to ada@stbride.example, please")',
    '"ada@stbride.example"',
    GROUP,
    added=True,
)
def first_email(text: str) -> str | None:
    found = IN_TEXT.search(text[:SEARCHED])
    return found[0].lstrip("'").rstrip(".") if found else None


@BUILTINS.add(
    "first link",
    TEXT,
    STRING,
    "The first web address in a text.",
    'first link("See https://reeds.example/a?b=1.")',
    '"https://reeds.example/a?b=1"',
    GROUP,
    added=True,
    weight=32,
)
def first_link(text: str) -> str | None:
    for found in _links().match(text[:SEARCHED]) or []:
        if found.schema in ("http:", "https:"):
            return str(found.url)
    return None


@BUILTINS.add(
    "first phone",
    TEXT,
    STRING,
    "The first telephone number in a text, in international form; numbers without a country code use the workspace's country.",
    'first phone("Ring 020 7946 0018 after six")',
    '"+44 20 7946 0018"',
    GROUP,
    needs_env=True,
    added=True,
    weight=32,
)
def first_phone(env: Env, text: str) -> str | None:
    region = locale(env.locale).territory
    for found in phonenumbers.PhoneNumberMatcher(text[:SEARCHED], region, leniency=phonenumbers.Leniency.VALID):
        return phonenumbers.format_number(found.number, phonenumbers.PhoneNumberFormat.INTERNATIONAL)
    return None


SYMBOLS = {
    "£": "GBP",
    "€": "EUR",
    "$": "USD",
    "¥": "JPY",
    "₹": "INR",
    "zł": "PLN",
    "Kč": "CZK",
    "₩": "KRW",
    "₺": "TRY",
    "₴": "UAH",
}
DOLLARS = {"US": "USD", "CA": "CAD", "AU": "AUD", "NZ": "NZD", "SG": "SGD", "HK": "HKD", "MX": "MXN"}
IN_TEXT = pattern(r"[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@[A-Za-z0-9-]{1,63}(?:\.[A-Za-z0-9-]{1,63})+", worst="a")
DIGITS = r"[+-]?\d{1,3}(?:[ \x{a0}\x{202f}.,'’]\d{3})*(?:[.,]\d{1,2})?|[+-]?\d+(?:[.,]\d{1,2})?"
MONEY = standing(
    rf"(?P<before>[A-Z]{{3}}|[£€$¥₹₩₺₴])\s?(?P<n1>{DIGITS})|(?P<n2>{DIGITS})\s?(?P<after>[£€$¥₹₩₺₴]|zł|Kč|[A-Z]{{3}}\b)",
    after=r"[^\pL\pN_.,]",
    before=r"[^\d]",
    worst="1 111",
)


@lru_cache(maxsize=1)
def _currencies() -> frozenset[str]:
    return frozenset(babel_numbers.list_currencies())


GROUPING = dict.fromkeys(map(ord, " \u00a0\u202f'’"))
SIGNS = dict.fromkeys(map(ord, ".,"))


def read_amount(text: str, tag: str) -> Decimal | None:
    """Digits with groups and decimals, as the CLDR's signs of a language tell them apart. None where two readings remain."""
    plain = text.translate(GROUPING)
    points, commas = plain.count("."), plain.count(",")
    if points and commas:
        point = max(plain.rfind("."), plain.rfind(","))
        plain = plain[:point].translate(SIGNS) + "." + plain[point + 1 :]
    elif points + commas == 1:
        sign = "." if points else ","
        head, _, tail = plain.partition(sign)
        grouped = len(tail) == 3 and head.lstrip("+-") not in ("", "0")
        if grouped and sign == babel_numbers.get_decimal_symbol(locale(tag)):
            return None  # 1.850 where the point is the decimal sign: a thousand, or a little more than one?
        plain = head + tail if grouped else f"{head}.{tail}"
    else:
        plain = plain.translate(SIGNS)
    try:
        return Decimal(plain)
    except InvalidOperation:
        return None


@BUILTINS.add(
    "first amount",
    TEXT,
    CONTEXT,
    "The first amount of money in a text, with its currency (ISO 4217).",
    'first amount("Total due: £1,850.50 by Friday")',
    '{amount: 1850.50, currency: "GBP"}',
    GROUP,
    needs_env=True,
    added=True,
)
def first_amount(env: Env, text: str) -> dict[str, object] | None:
    for found in MONEY.finditer(text[:SEARCHED]):
        sign = found["before"] or found["after"]
        if sign == "$":
            code: str | None = DOLLARS.get(locale(env.locale).territory or "US", "USD")
        else:
            code = SYMBOLS.get(sign, sign)
        amount = read_amount(found["n1"] or found["n2"], env.locale)
        if code in _currencies() and amount is not None:
            return {"amount": amount, "currency": code}
    return None


DATES = standing(
    r"(?i)(?:\d{4}-\d{2}-\d{2}|\d{1,2}[/.]\d{1,2}[/.]\d{4}|\d{1,2}(?:st|nd|rd|th)?\s+(?:of\s+)?(?:MONTHS)\.?,?\s+\d{4}"
    r"|(?:MONTHS)\.?\s+\d{1,2}(?:st|nd|rd|th)?,?\s+\d{4})".replace(
        "MONTHS", "|".join(f"{m[:3]}(?:{m[3:]})?" if m != "may" else m for m in MONTH_NAMES)
    ),
    after=r"[^\pL\pN_/.-]",
    before=r"[^\pL\pN_/-]",
    worst="1 ",
)


@BUILTINS.add(
    "first date",
    [Param("text", STRING), Param("order", STRING, True)],
    DATE,
    "The first full date in a text. If it can be read two ways, the workspace's order is used unless one is given.",
    'first date("The survey is on 23 November 2026 at ten")',
    'date("2026-11-23")',
    GROUP,
    needs_env=True,
    added=True,
)
def first_date(env: Env, text: str, order: str | None = None) -> date | None:
    for found in DATES.finditer(text[:SEARCHED]):
        try:
            return read_date(found[1], order or env.order or date_order(env.locale))
        except ValueError:
            continue
    return None


REFERENCE = pattern(
    r"(?i)\b(?:invoice|order|quote|quotation|ref(?:erence)?|receipt|account|policy|booking|case|po|no|nr|number)\b\.?"
    r"(?:\s+(?:no|nr|number|ref)\b\.?)?\s*[:#]?\s*([A-Z0-9](?:[A-Z0-9/-]{0,30}[A-Z0-9])?)(?:$|[^\pL\pN_])",
    worst="no ",
)


@BUILTINS.add(
    "first reference",
    TEXT,
    STRING,
    "The first reference number in a text: a word with a digit after Invoice, Order, Ref., No. and so on.",
    'first reference("Invoice no. TW-8841 of Monday")',
    '"TW-8841"',
    GROUP,
    added=True,
)
def first_reference(text: str) -> str | None:
    found = (found[1] for found in REFERENCE.finditer(text[:SEARCHED]))
    return next((number for number in found if any(c.isdecimal() for c in number)), None)
