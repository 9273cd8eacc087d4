"""Filters as they are sent: of a mirror's side, of a view."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, Field

from kelvix.core import schema
from kelvix.core.operators import Operator
from kelvix.core.query import Where
from kelvix.core.values import FieldId
from kelvix.workspace import Space, filters
from kelvix.workspace.filters import Test


class TestBody(BaseModel):
    """A condition of a filter, its value as it is typed."""

    field: FieldId
    operator: Operator
    value: str = Field("", max_length=500)


class FilterBody(BaseModel):
    mode: Literal["all", "any", "none"] = "all"
    tests: list[TestBody] = Field([], max_length=50)

    def where(self, space: Space, fields: Sequence[schema.Field]) -> Where | None:
        """Return the condition that is meant. Raises NotValid."""
        return filters.where_of(space, fields, self.mode, [Test(t.field, t.operator, t.value) for t in self.tests])


class ComparingOut(BaseModel):
    """How a field can be compared in a filter."""

    operator: Operator
    words: str
    needs_value: bool
    examples: list[str] = Field([], description="words that a value can be typed as")


def filter_out(space: Space, fields: Sequence[schema.Field], where: Where | None) -> FilterBody:
    """Return a condition as it is typed."""
    tests = [TestBody(field=t.field, operator=t.operator, value=t.value) for t in filters.tests_of(space, fields, where)]
    return FilterBody(mode=filters.mode_of(where), tests=tests)


def comparing_out(fields: Sequence[schema.Field]) -> dict[FieldId, list[ComparingOut]]:
    """Return how fields can be compared, by their ids."""
    return {
        f.id: [
            ComparingOut(operator=c.operator, words=c.words, needs_value=c.needs_value, examples=list(c.examples))
            for c in filters.comparing(f)
        ]
        for f in fields
    }
