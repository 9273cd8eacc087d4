"""Several of a field's choices, each once, in the order given."""

from __future__ import annotations

from typing import Any

from kelvix.core.fields import choice
from kelvix.core.fields.choice import choose
from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import Unfit, Value, Wire, as_text, fold

MAX_LABELS = 100  # of a record


class Labels(FieldType):
    code, rank, name, with_article = "labels", 100, "labels", "labels"
    accepts = (
        "a list of texts, or one text with commas or semicolons between labels; each is matched like a choice and kept once"
    )
    refuses = "texts that are not among its labels, unless the field allows new ones; more than 100 labels"
    example = ["reeds", "leather"]
    operators = ("has", "has_none", "filled", "empty")
    recognises = False
    has_choices = True
    column, table_beside = None, "labels"
    groups = True
    from_text, into_text, has_many = 0.5, 0.35, True
    of_class = list
    keeps = tuple

    def seems(self, raw: object) -> bool:
        return isinstance(raw, list) and all(isinstance(r, str) for r in raw)

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, tuple):
            return self._kept(value, how)
        return self.read(as_text(value, how.zone), how)

    def seek(self, value: Value, how: Taking) -> Value:
        """One of them."""
        return choice.TYPE.coerce(value[0] if isinstance(value, tuple) and len(value) == 1 else value, how)

    def read(self, text: str, how: Taking) -> Value:
        """Read labels; a text that is one as a whole is not cut at its commas."""
        if any(fold(c.name) == fold(one_line(text)) for c in how.choices):
            return self._kept((text,), how)
        return self._kept(tuple(text.replace(";", ",").replace("\n", ",").split(",")), how)

    def _kept(self, texts: tuple[str, ...], how: Taking) -> Value:
        found: dict[str, str] = {}
        for text in texts:
            if text.strip():
                one = choose(text, how)
                found.setdefault(fold(one), one)
        if len(found) > MAX_LABELS:
            raise Unfit(f"these are {len(found)} labels, more than the {MAX_LABELS} that a record can have")
        return tuple(found.values()) or None

    def from_wire(self, wire: Wire) -> Value:
        if not isinstance(wire, list):
            raise ValueError
        texts = tuple(w for w in wire if isinstance(w, str))
        if len(texts) < len(wire):
            raise ValueError
        return texts

    def from_column(self, raw: Any) -> Value:
        """From the ids that the table beside gives, joined by commas."""
        return tuple(raw.split(",")) if raw else None


TYPE = Labels()
