"""Money, where one side keeps a number alone: its currency is named once, and stays."""

from __future__ import annotations

from decimal import Decimal

from kelvix.core.fields import coerce
from kelvix.core.mirror.lens import Canonical, Domain, NoCounterpartError, Plain
from kelvix.core.mirror.translations.translation import Around, Asked, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Amount, Unfit, Value


class AsNumber(Translation):
    code, words = "amount", "an amount of one currency"

    def fits(self, left: Field, right: Field) -> float | None:
        return 0.6 if {left.type, right.type} == {"amount", "number"} else None

    def proposed(self, left: Field, right: Field) -> dict[str, str]:
        return {"currency": "EUR"}

    def asks(self, left: Field, right: Field) -> tuple[Asked, ...]:
        return (Asked("currency", "Currency of the number"),)

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        currency = str(options.get("currency") or "")

        def number(raw: Value) -> Canonical:
            if isinstance(raw, Amount):
                if raw.currency != currency:
                    raise NoCounterpartError(raw.wire(), raw.wire())
                return raw.number
            return raw

        def amount(value: Canonical) -> Value:
            assert isinstance(value, Decimal)
            return coerce(f"{value:f} {currency}", "amount", around.zone)

        plain = Plain(number)
        money = Plain(number, amount)
        return Domain.between(left, right, lambda f: money if f.type == "amount" else plain, "number")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        money = left if left.type == "amount" else right
        return (f"Only {options.get('currency') or 'one currency'} of {money.name} crosses; other currencies stay.",)

    def wrong(self, left: Field, right: Field, options: Options) -> str | None:
        try:
            coerce(f"1 {options.get('currency') or '?'}", "amount", Around().zone)
        except Unfit:
            return "Enter a currency, such as EUR."
        return None


TRANSLATION = AsNumber()
