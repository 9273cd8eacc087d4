"""How a value is compared: the operators of conditions and of Find, and how each is said."""

from __future__ import annotations

from typing import Literal

Operator = Literal[
    "is",
    "is_not",
    "mentions",
    "mentions_none",
    "begins",
    "ends",
    "before",
    "after",
    "less",
    "more",
    "has",
    "has_none",
    "filled",
    "empty",
]
OPERATOR_WORDS: dict[Operator, str] = {
    "is": "is",
    "is_not": "is not",
    "mentions": "mentions",
    "mentions_none": "does not mention",
    "begins": "begins with",
    "ends": "ends with",
    "before": "is before",
    "after": "is after",
    "less": "is less than",
    "more": "is more than",
    "has": "has",
    "has_none": "has none of",
    "filled": "is filled",
    "empty": "is empty",
}
