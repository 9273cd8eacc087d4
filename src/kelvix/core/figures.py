"""What is made of all the records that a Find line found: figures, and a text that lists them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import FieldId, RecordId, Value, as_text


@dataclass(frozen=True)
class Figure:
    """A figure made of one field of all records that were found. `key` is its identity."""

    key: str
    kind: Literal["sum", "average", "least", "greatest", "first", "last"] = "sum"
    field: FieldId | None = None


Records = tuple[tuple[RecordId, Mapping[FieldId, Value]], ...]
WORDS = {
    "sum": "Sum of",
    "average": "Average of",
    "least": "Smallest",
    "greatest": "Largest",
    "first": "First",
    "last": "Last",
}
NUMBERS = ("sum", "average")
ORDERED = ("least", "greatest")


def fits(figure: Figure, field: Field) -> bool:
    """Whether a figure can be made of a field."""
    if figure.kind in NUMBERS:
        return TYPES[field.type].has_sum
    return figure.kind not in ORDERED or TYPES[field.type].has_order


def figure_fields(figures: Sequence[Figure], database: Database, name: str) -> tuple[CarriedField, ...]:
    """Return the figures that lines below can use."""
    found: list[CarriedField] = []
    for one in figures:
        field = database.field(one.field) if one.field is not None else None
        if field is not None and fits(one, field):
            found.append(CarriedField(one.key, (name, f"{WORDS[one.kind]} {field.name}"), field.carried_as))
    return tuple(found)


def figure(one: Figure, database: Database, records: Records) -> Value:
    """Return a figure over records in their order; those whose field is empty are left out. Nothing where none is filled, but
    a sum, which is 0 then."""
    field = database.field(one.field) if one.field is not None else None
    if field is None or not fits(one, field):
        return None
    values = [v for _, kept in records if (v := field.named(kept.get(field.id))) is not None]
    if one.kind in NUMBERS:
        return (TYPES[field.type].mean if one.kind == "average" else TYPES[field.type].total)(values)
    if not values:
        return None
    if one.kind in ORDERED:
        of_one_type: list[Any] = values
        found: Value = min(of_one_type) if one.kind == "least" else max(of_one_type)
        return found
    return values[0 if one.kind == "first" else -1]


def as_list(listed: Sequence[FieldId], database: Database, records: Records, env: Env) -> str:
    """Return the records as a text: one to a line, with the fields that are listed, empty ones left out."""
    fields = [f for i in listed if (f := database.field(i))] or [database.fields[0]]

    def said(kept: Mapping[FieldId, Value]) -> str:
        texts = (" ".join(as_text(f.named(kept.get(f.id)), env.zone).split()) for f in fields)
        return ", ".join(text for text in texts if text) or "(unnamed)"

    return "\n".join(f"- {said(kept)}" for _, kept in records)


def check_figures(line: str, figures: Sequence[Figure], database: Database) -> list[Finding]:
    """Return what must be put right of a line's figures, whatever the sample."""
    found: list[Finding] = []
    for one in figures:
        field = database.field(one.field) if one.field is not None else None
        if field is None:
            said = "choose a field for this figure" if one.field is None else "the field of this figure was deleted"
            found.append(Finding(line, said, key=one.key))
        elif not fits(one, field):
            found.append(Finding(line, f"“{WORDS[one.kind]}” does not go with {field.name}", key=one.key))
    return found
