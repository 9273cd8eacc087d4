"""Decimal numbers: 28 digits before the point, 10 after it."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Context, Decimal, InvalidOperation
from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import short
from kelvix.core.values import Unfit, Value, Wire, shorten

NUMBER = short(r"[+-]?(?:\d{1,3}(?:,\d{3})+|\d+)(?:\.\d+)?", most=100, worst="1,111")
WIDE = Context(prec=60)  # more digits than a number field keeps: 28 before the point, 10 after


def plain(value: Decimal) -> Decimal:
    """Return the same number without zeros at its end; no digit is lost, whatever the context."""
    short = value.normalize(WIDE)
    return short.quantize(Decimal(1), context=WIDE) if short == short.to_integral_value() else short


def bounded(value: Decimal) -> Decimal:
    """Return a number that a field keeps. Looked at before it is written out: 1e400000000 would fill the memory. Raises
    Unfit."""
    digits, exponent = value.as_tuple()[1:]
    if value.is_zero():
        return Decimal(0)
    if isinstance(exponent, str) or value.adjusted() > 27 or len(digits) > 60 or int(plain(value).as_tuple().exponent) < -10:
        raise Unfit(f"“{shorten(str(value))}” has too many digits for a number field (28 before, 10 after the point)")
    return value


class Number(FieldType):
    code, rank, name, with_article = "number", 30, "number", "a number"
    accepts = "numbers; text such as 1850.50 or 1,850"
    refuses = "1.850,50 and other ways that could be misread; amounts with a currency"
    example = 12.5
    operators = ("is", "is_not", "less", "more", "filled", "empty")
    compares_values = has_order = has_sum = reads_first_words = is_number = True
    family, from_text, into_text = "number", 0.4, 0.35
    refuses_families = frozenset(("time",))
    of_class = Decimal
    keeps = Decimal
    column = "DECIMAL(38,10)"
    added_within = ()

    def seems(self, raw: object) -> bool:
        return isinstance(raw, int | float) and not isinstance(raw, bool)

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, bool):
            raise Unfit(f"“{'yes' if value else 'no'}” is not a number")
        return bounded(value) if isinstance(value, Decimal) else super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        try:
            if not NUMBER.fullmatch(line):
                raise InvalidOperation
            return bounded(Decimal(line.replace(",", "")))
        except InvalidOperation:
            raise Unfit(f"“{shorten(text)}” is not a number; a number looks like 412.60 or 1,850") from None

    def from_wire(self, wire: Wire) -> Value:
        return bounded(Decimal(str(super().from_wire(wire))))

    def total(self, values: Sequence[Value]) -> Value:
        return plain(sum((v for v in values if isinstance(v, Decimal)), Decimal(0)))

    def mean(self, values: Sequence[Value]) -> Value:
        numbers = [v for v in values if isinstance(v, Decimal)]
        return plain(round(sum(numbers, Decimal(0)) / len(numbers), 6)) if numbers else None

    def word(self, literal: object) -> str | None:
        return f"{literal:f}" if isinstance(literal, Decimal) else None

    def from_column(self, raw: Any) -> Value:
        return None if raw is None else plain(Decimal(raw))


TYPE = Number()
