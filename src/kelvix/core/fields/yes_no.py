"""Yes or no."""

from __future__ import annotations

from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import Unfit, Value, Wire, fold, shorten

YES, NO = {"yes", "true", "1", "on"}, {"no", "false", "0", "off"}


class YesNo(FieldType):
    offered = ("yes", "no")
    code, rank, name, with_article = "yes_no", 90, "yes or no", "a yes or no"
    accepts = "true and false; yes, no, on, off, 1, 0"
    refuses = "other texts"
    example = True
    operators = ("is", "is_not")
    compares_values = reads_first_words = True
    column = "TINYINT(1)"
    groups = True
    family, from_text, into_text = "yes_no", 0.2, None
    refuses_families = frozenset(("time",))
    of_class = bool
    keeps = bool

    def seems(self, raw: object) -> bool:
        return isinstance(raw, bool)

    def coerce(self, value: Value, how: Taking) -> Value:
        return value if isinstance(value, bool) else super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = fold(one_line(text))
        if line in YES | NO:
            return line in YES
        raise Unfit(f"“{shorten(text)}” is not yes or no")

    def from_wire(self, wire: Wire) -> Value:
        if isinstance(wire, bool):
            return wire
        raise ValueError

    def word(self, literal: object) -> str | None:
        return ("yes" if literal else "no") if isinstance(literal, bool) else None

    def from_column(self, raw: Any) -> Value:
        return None if raw is None else bool(raw)


TYPE = YesNo()
