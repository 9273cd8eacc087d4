"""Numeric functions (OMG DMN 1.5, table 71)."""

from __future__ import annotations

from decimal import (
    ROUND_CEILING,
    ROUND_DOWN,
    ROUND_FLOOR,
    ROUND_HALF_DOWN,
    ROUND_HALF_EVEN,
    ROUND_HALF_UP,
    ROUND_UP,
    Decimal,
)

from kelvix.core.feel.builtin import BOOLEAN, BUILTINS, DURATION, NUMBER, Param
from kelvix.core.feel.functions.conversion import whole
from kelvix.core.feel.values import Months

GROUP = "Numbers"
SCALED = [Param("n", NUMBER), Param("scale", NUMBER)]


def _round(value: Decimal, scale: Decimal | None, how: str) -> Decimal:
    places = 0 if scale is None else whole(scale, "the scale")
    if not -6111 <= places <= 6176:
        raise ValueError("the scale goes from -6111 to 6176")
    if value.is_zero() or (int(value.as_tuple().exponent) >= -places):
        return value  # has no digits beyond
    if value.adjusted() < -places - 1:  # far below one unit of the scale
        value = Decimal((value.is_signed(), (1,), -places - 2))
    return value.quantize(Decimal(1).scaleb(-places), rounding=how)


@BUILTINS.add(
    "decimal", SCALED, NUMBER, "Rounded to a number of digits, halves to the even digit.", "decimal(2.5, 0)", "2", GROUP
)
def decimal(value: Decimal, scale: Decimal) -> Decimal:
    return _round(value, scale, ROUND_HALF_EVEN)


@BUILTINS.add(
    "floor",
    [Param("n", NUMBER), Param("scale", NUMBER, True)],
    NUMBER,
    "Rounded down.",
    "floor(-1.56, 1)",
    "-1.6",
    GROUP,
)
def floor(value: Decimal, scale: Decimal | None = None) -> Decimal:
    return _round(value, scale, ROUND_FLOOR)


@BUILTINS.add(
    "ceiling",
    [Param("n", NUMBER), Param("scale", NUMBER, True)],
    NUMBER,
    "Rounded up.",
    "ceiling(-1.56, 1)",
    "-1.5",
    GROUP,
)
def ceiling(value: Decimal, scale: Decimal | None = None) -> Decimal:
    return _round(value, scale, ROUND_CEILING)


@BUILTINS.add("round up", SCALED, NUMBER, "Rounded away from zero.", "round up(-5.5, 0)", "-6", GROUP)
def round_up(value: Decimal, scale: Decimal) -> Decimal:
    return _round(value, scale, ROUND_UP)


@BUILTINS.add("round down", SCALED, NUMBER, "Rounded towards zero.", "round down(1.126, 2)", "1.12", GROUP)
def round_down(value: Decimal, scale: Decimal) -> Decimal:
    return _round(value, scale, ROUND_DOWN)


@BUILTINS.add("round half up", SCALED, NUMBER, "Rounded, halves away from zero.", "round half up(-5.5, 0)", "-6", GROUP)
def round_half_up(value: Decimal, scale: Decimal) -> Decimal:
    return _round(value, scale, ROUND_HALF_UP)


@BUILTINS.add("round half down", SCALED, NUMBER, "Rounded, halves towards zero.", "round half down(1.126, 2)", "1.13", GROUP)
def round_half_down(value: Decimal, scale: Decimal) -> Decimal:
    return _round(value, scale, ROUND_HALF_DOWN)


@BUILTINS.add("abs", [Param("n", NUMBER | DURATION)], NUMBER, "The absolute value.", "abs(-10)", "10", GROUP)
def abs_(value: object) -> object:
    return Months(abs(value.count)) if isinstance(value, Months) else abs(value)  # type: ignore[arg-type]


@BUILTINS.add(
    "modulo",
    [Param("dividend", NUMBER), Param("divisor", NUMBER)],
    NUMBER,
    "The remainder of a division, with the divisor's sign.",
    "modulo(-12, 5)",
    "3",
    GROUP,
)
def modulo(dividend: Decimal, divisor: Decimal) -> Decimal:
    if not divisor:
        raise ValueError("division by zero")
    rest = dividend % divisor
    return rest + divisor if rest and rest.is_signed() != divisor.is_signed() else rest


@BUILTINS.add("sqrt", [Param("number", NUMBER)], NUMBER, "The square root.", "sqrt(16)", "4", GROUP)
def sqrt(value: Decimal) -> Decimal:
    if value < 0:
        raise ValueError("a negative number has no square root")
    return value.sqrt()


@BUILTINS.add("log", [Param("number", NUMBER)], NUMBER, "The natural logarithm.", "decimal(log(10), 8)", "2.30258509", GROUP)
def log(value: Decimal) -> Decimal:
    if value <= 0:
        raise ValueError("only a number above zero has a logarithm")
    return value.ln()


@BUILTINS.add("exp", [Param("number", NUMBER)], NUMBER, "e to this power.", "decimal(exp(5), 8)", "148.4131591", GROUP)
def exp(value: Decimal) -> Decimal:
    return value.exp()


@BUILTINS.add("odd", [Param("number", NUMBER)], BOOLEAN, "Whether a number is odd.", "odd(5)", "true", GROUP)
def odd(value: Decimal) -> bool:
    return value % 2 in (1, -1)


@BUILTINS.add("even", [Param("number", NUMBER)], BOOLEAN, "Whether a number is even.", "even(5)", "false", GROUP)
def even(value: Decimal) -> bool:
    return value % 2 == 0
