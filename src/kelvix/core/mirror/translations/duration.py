"""Durations, where one side keeps a number: of minutes, hours or days."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from kelvix.core.mirror.lens import Canonical, Domain, NoCounterpartError, Plain
from kelvix.core.mirror.translations.translation import Around, Asked, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value

UNITS = {"minutes": 60_000, "hours": 3_600_000, "days": 86_400_000}  # milliseconds


class AsNumber(Translation):
    code, words = "duration", "a number of minutes, hours or days"

    def fits(self, left: Field, right: Field) -> float | None:
        return 0.6 if {left.type, right.type} == {"duration", "number"} else None

    def proposed(self, left: Field, right: Field) -> dict[str, str]:
        return {"unit": "hours"}

    def asks(self, left: Field, right: Field) -> tuple[Asked, ...]:
        return (Asked("unit", "The number is of", tuple((unit, unit) for unit in UNITS)),)

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        unit = UNITS.get(str(options.get("unit")), UNITS["hours"])

        def span(raw: Value) -> Canonical:
            assert isinstance(raw, Decimal)
            try:
                return timedelta(milliseconds=int((raw * unit).to_integral_value()))
            except (OverflowError, ArithmeticError):
                raise NoCounterpartError(f"{raw:f}", f"{raw:f}") from None

        def number(value: Canonical) -> Value:
            assert isinstance(value, timedelta)
            exact = Decimal(value // timedelta(milliseconds=1)) / unit
            return Decimal(f"{exact.normalize():f}")

        plain = Plain()
        counted = Plain(span, number)
        return Domain.between(left, right, lambda f: counted if f.type == "number" else plain, "duration")

    def wrong(self, left: Field, right: Field, options: Options) -> str | None:
        return None if str(options.get("unit")) in UNITS else "Choose minutes, hours or days."


TRANSLATION = AsNumber()
