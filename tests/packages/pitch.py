"""A type of field that a Python package of its own brings: the pitch to which an organ is tuned."""

from __future__ import annotations

from decimal import Decimal
from zoneinfo import ZoneInfo

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.values import Unfit, Value


class Pitch(FieldType):
    code, rank, name, with_article = "pitch", 36, "pitch", "a pitch"
    accepts, refuses = "Hertz, as 440 or 440 Hz", "what no organ is tuned to"
    example = "440"
    operators = ("is", "less", "more", "filled", "empty")
    sought = ("is", "less", "more", "filled", "empty")
    compares_values = has_order = True
    column, keeps = "SMALLINT", Decimal

    def coerce(self, value: Value, how: Taking) -> Value:
        return value if isinstance(value, Decimal) else super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        hertz = text.strip().removesuffix("Hz").strip()
        if not hertz.isdigit() or not 380 <= int(hertz) <= 490:
            raise Unfit(f"“{text}” is not a pitch; organs are tuned to 380 to 490 Hz")
        return Decimal(hertz)

    def from_wire(self, wire: object) -> Value:
        return self.read(str(wire), Taking(ZoneInfo("UTC")))

    def from_column(self, raw: int | None) -> Value:
        return None if raw is None else Decimal(raw)

    def word(self, literal: object) -> str | None:
        return f"{literal:f}" if isinstance(literal, Decimal) else None


TYPE = Pitch()
