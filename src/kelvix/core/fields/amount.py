"""Money: a number with its currency (ISO 4217)."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from functools import cache
from typing import Any
from zoneinfo import ZoneInfo

from iso4217 import Currency

from kelvix.core.fields import number
from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import short
from kelvix.core.values import Amount, Unfit, Value, Wire, as_text, shorten

MARKS = {"€": "EUR", "£": "GBP", "₹": "INR", "₩": "KRW", "₺": "TRY", "₴": "UAH", "₪": "ILS", "₫": "VND", "US$": "USD"}
SHARED = {"$": "dollars", "¥": "yen or yuan", "kr": "crowns"}  # marks of several currencies
FORM = short(r"(?P<before>[^\d\s+-]{1,4})?\s?(?P<number>[+-]?[\d,.]+)\s?(?P<after>[^\d\s]{1,4})?", most=60, worst="1,")
MAX_LENGTH = 60


@cache
def digits(code: str) -> int | None:
    """Return the decimals that a currency is written with, its minor unit in ISO 4217; nothing for what is no currency."""
    try:
        return Currency(code).exponent or 0
    except ValueError:
        return None


def amount(value: Decimal, code: str) -> Amount:
    """Make an amount. Raises Unfit."""
    places = digits(code)
    if places is None:
        raise Unfit(f"“{shorten(code)}” is not a currency; use a three-letter code such as EUR or USD")
    return Amount(number.bounded(value), code, places)


class AmountType(FieldType):
    code, rank, name, with_article = "amount", 34, "amount with currency", "an amount with currency"
    accepts = "a number with a currency code, such as 1,850.50 EUR or USD 12; €, £ and other symbols of one currency"
    refuses = "a number alone; $12 and other symbols that several currencies share; 1.850,50"
    example = "1850.50 EUR"
    longest = 200
    operators = ("is", "is_not", "less", "more", "filled", "empty")
    compares_values = reads_first_words = True
    parts = {"number": "number", "currency": "text"}
    compared_by = "number"
    column = "DECIMAL(38,10)"
    more_columns = {"currency": "CHAR(3)"}
    added_within = ("currency",)
    family, from_text = "number", 0.35
    refuses_families = frozenset(("time", "yes_no", "address"))
    keeps = Amount

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, Amount):
            return amount(value.number, value.currency)
        if not isinstance(value, str):
            raise Unfit(f"“{as_text(value, how.zone)}” has no currency; write it as 12.50 EUR")
        return super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        found = FORM.fullmatch(line)
        if not found or not number.NUMBER.fullmatch(found["number"]) or (found["before"] and found["after"]):
            raise Unfit(f"“{shorten(text)}” is not an amount; an amount looks like 1,850.50 EUR")
        mark = found["before"] or found["after"]
        if not mark or mark in SHARED:
            lack = f"could be several currencies ({SHARED[mark]})" if mark else "has no currency"
            raise Unfit(f"“{shorten(text)}” {lack}; write it as 12.50 EUR")
        return amount(Decimal(found["number"].replace(",", "")), MARKS.get(mark, mark.upper()))

    def from_wire(self, wire: Wire) -> Value:
        written, _, code = str(super().from_wire(wire)).partition(" ")
        return amount(Decimal(written), code)

    def of_parts(self, parts: Mapping[str, Any], zone: ZoneInfo) -> Value:
        if not isinstance(parts["number"], Decimal) or not isinstance(parts["currency"], str):
            raise Unfit("an amount has a number and the code of a currency")
        return amount(parts["number"], parts["currency"].strip().upper())

    def to_columns(self, value: Value) -> dict[str, Any]:
        return {"": value.number, "currency": value.currency} if isinstance(value, Amount) else {"": None, "currency": None}

    def from_columns(self, raw: Mapping[str, Any]) -> Value:
        return None if raw[""] is None else amount(number.plain(Decimal(raw[""])), raw["currency"])

    def within(self, value: Value) -> dict[str, Any]:
        """Amounts of one currency are compared with each other."""
        return {"currency": value.currency} if isinstance(value, Amount) else {}

    def word(self, literal: object) -> str | None:
        return number.TYPE.word(literal)


TYPE = AmountType()
