"""Filters as they are typed: of a mirror's side, of a view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal

from kelvix.core.fields import TYPES
from kelvix.core.operators import OPERATORS, Operator
from kelvix.core.periods import EXAMPLES
from kelvix.core.query import Comparison, Joined, Where
from kelvix.core.schema import Field
from kelvix.core.values import Referred, Unfit, as_text
from kelvix.workspace import Space
from kelvix.workspace.refusals import NotValid

DAYS = ("today", "tomorrow", "in 7 days", "2 weeks ago")
Mode = Literal["all", "any", "none"]


@dataclass(frozen=True)
class Test:
    """One condition of a filter, its value as it is typed."""

    field: str
    operator: Operator
    value: str


@dataclass(frozen=True)
class Comparing:
    """How a field can be compared in a filter."""

    operator: Operator
    words: str
    needs_value: bool
    examples: tuple[str, ...] = ()


def comparing(field: Field) -> list[Comparing]:
    """Return how a field can be compared in a filter."""
    type_ = TYPES[field.type]

    def examples(operator: Operator) -> tuple[str, ...]:
        return (EXAMPLES if OPERATORS[operator].compares == "within" else DAYS) if type_.tells_day else type_.offered

    return [Comparing(o, OPERATORS[o].words, OPERATORS[o].needs_value, examples(o)) for o in type_.operators]


def where_of(space: Space, fields: Sequence[Field], mode: Mode, tests: Sequence[Test]) -> Where | None:
    """Return a filter of conditions as they are typed. Raises NotValid."""
    found = []
    env = space.env(datetime.now(UTC))
    for test in tests:
        field = next((f for f in fields if f.id == test.field), None)
        if field is None or test.operator not in TYPES[field.type].operators:
            raise NotValid("A condition of the filter is incomplete.", "Choose its field and how it is compared.")
        try:
            value = field.seek(test.value, env.zone, env.order) if test.value else None
        except Unfit as unfit:
            words = f", or words such as {', '.join(DAYS[:3])}" if TYPES[field.type].tells_day else ""
            raise NotValid(f"The filter on {field.name} is not valid.", f"{unfit}{words}") from None
        found.append(Comparison(field.id, test.operator, value))
    return Joined(mode, tuple(found)) if found else None


def mode_of(where: Where | None) -> Mode:
    """Return how the conditions of a filter are joined."""
    return where.mode if isinstance(where, Joined) else "all"


def tests_of(space: Space, fields: Sequence[Field], where: Where | None) -> list[Test]:
    """Return the conditions of a filter as they are typed; a record by its number."""
    tests = where.tests if isinstance(where, Joined) else ([where] if where else [])
    found = []
    for one in tests:
        if isinstance(one, Comparison):
            field = next((f for f in fields if f.id == one.field), None)
            value = field.named(one.value) if field else one.value
            typed = str(value.record) if isinstance(value, Referred) else as_text(value, space.zone)
            found.append(Test(one.field, one.operator, typed))
    return found
