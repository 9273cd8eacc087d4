"""How a value is compared: one table of operators, for conditions, Find, and whatever asks for records or items."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

Operator = Literal[
    "is",
    "is_not",
    "mentions",
    "mentions_none",
    "contains",
    "begins",
    "ends",
    "before",
    "after",
    "within",
    "less",
    "more",
    "has",
    "has_none",
    "filled",
    "empty",
]
Comparing = Literal["same", "mentions", "contains", "begins", "ends", "less", "more", "within", "has", "filled"]


@dataclass(frozen=True)
class Meaning:
    """What an operator means: how it is said, what it compares, whether the opposite of that is meant, and whether it needs a
    value to compare with."""

    words: str
    compares: Comparing
    negated: bool = False
    needs_value: bool = True


OPERATORS: Mapping[Operator, Meaning] = {
    "is": Meaning("is", "same"),
    "is_not": Meaning("is not", "same", negated=True),
    "mentions": Meaning("mentions", "mentions"),
    "mentions_none": Meaning("does not mention", "mentions", negated=True),
    "contains": Meaning("contains", "contains"),
    "begins": Meaning("begins with", "begins"),
    "ends": Meaning("ends with", "ends"),
    "before": Meaning("is before", "less"),
    "after": Meaning("is after", "more"),
    "within": Meaning("is in", "within"),
    "less": Meaning("is less than", "less"),
    "more": Meaning("is more than", "more"),
    "has": Meaning("has", "has"),
    "has_none": Meaning("has none of", "has", negated=True),
    "filled": Meaning("is filled", "filled", needs_value=False),
    "empty": Meaning("is empty", "filled", negated=True, needs_value=False),
}
