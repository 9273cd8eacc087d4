"""Numbers, to as many decimals as the coarser side keeps."""

from __future__ import annotations

from decimal import ROUND_HALF_EVEN, Decimal

from kelvix.core.mirror.lens import Canonical, Domain, Plain
from kelvix.core.mirror.translations.translation import Around, Asked, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value, whole

MOST = 12  # decimals
OFFERED = (("", "all"), ("0", "none"), ("1", "1"), ("2", "2"), ("3", "3"), ("4", "4"), ("6", "6"))


def digits_of(options: Options) -> int | None:
    """Return the decimals that are compared; None for all."""
    digits = options.get("digits")
    return None if digits in (None, "") else whole(str(digits))


def rounded(number: Decimal, digits: int | None) -> Decimal:
    return number if digits is None else number.quantize(Decimal(1).scaleb(-digits), ROUND_HALF_EVEN)


class Number(Translation):
    code, words = "number", "a number"

    def fits(self, left: Field, right: Field) -> float | None:
        return 1.0 if left.type == right.type == "number" else None

    def asks(self, left: Field, right: Field) -> tuple[Asked, ...]:
        return (Asked("digits", "Decimals that cross", OFFERED),)

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        digits = digits_of(options)

        def reads(raw: Value) -> Canonical:
            assert isinstance(raw, Decimal)
            return rounded(raw, digits)

        lens = Plain(reads)
        return Domain(lens, lens, "number")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        digits = digits_of(options)
        return () if digits is None else (f"Numbers cross to {digits} decimals.",)

    def wrong(self, left: Field, right: Field, options: Options) -> str | None:
        digits = digits_of(options)
        return f"Choose at most {MOST} decimals." if digits is not None and digits > MOST else None


TRANSLATION = Number()
