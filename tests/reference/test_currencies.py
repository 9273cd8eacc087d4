"""Currencies against ISO 4217 and, for their codes, the CLDR."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import pytest
from babel import Locale
from babel.core import get_global
from babel.numbers import get_territory_currencies

from kelvix.core.fields import amount, coerce
from kelvix.core.values import Unfit, as_text

ZONE = ZoneInfo("UTC")
# ISO 4217:2015, table A.1, column "Minor unit"; written down from memory.
MINOR_UNITS = {
    "EUR": 2, "USD": 2, "GBP": 2, "CHF": 2, "SEK": 2, "INR": 2, "CNY": 2, "BRL": 2, "ZAR": 2, "HUF": 2,
    "JPY": 0, "KRW": 0, "VND": 0, "CLP": 0, "ISK": 0, "UGX": 0, "PYG": 0, "XAF": 0, "XOF": 0, "XPF": 0,
    "KWD": 3, "BHD": 3, "OMR": 3, "JOD": 3, "TND": 3, "IQD": 3, "LYD": 3,
    "CLF": 4, "UYW": 4,
}  # fmt: skip


@pytest.mark.parametrize(("code", "digits"), MINOR_UNITS.items())
def test_the_minor_unit_is_that_of_the_table(code, digits):
    assert amount.digits(code) == digits
    shown = as_text(coerce(f"{code} 7", "amount", ZONE), ZONE)
    assert shown == (f"7.{'0' * digits} {code}" if digits else f"7 {code}")


def test_what_a_territory_pays_with_today_is_a_currency():
    """Unicode CLDR, supplemental data: the tender of each territory. CLDR may be a year ahead of or behind the table."""
    tender = {code for place in get_global("territory_currencies") for code in get_territory_currencies(place)}
    missing = {code for code in tender if amount.digits(code) is None}
    assert len(tender) > 140 and len(missing) <= 3, missing


def test_marks_of_one_currency_are_those_of_the_cldr():
    """A mark stands for a currency where the CLDR's English names it so; those of several are refused."""
    symbols = Locale("en").currency_symbols
    otherwise = {mark for mark, code in amount.MARKS.items() if symbols.get(code) != mark}
    assert otherwise == {"₺", "₴", "US$"}, "Turkish and Ukrainian money is written by its code in English; $ alone is several"
    for mark in amount.SHARED:
        with pytest.raises(Unfit, match="could be several currencies"):
            coerce(f"12 {mark}", "amount", ZONE)
