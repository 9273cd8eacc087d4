"""Whether a sample goes on past an Only if line, and why."""

from __future__ import annotations

from datetime import date, datetime
from zoneinfo import ZoneInfo

from kelvix.core.filling import Carried
from kelvix.core.values import Type, Unfit, Value, as_text, coerce, fold, mentions
from kelvix.core.workflow import OPERATOR_WORDS, Condition, OnlyIf, Operator

TEXT_OPERATORS: tuple[Operator, ...] = ("mentions", "mentions_none", "is", "is_not", "begins", "ends", "filled", "empty")
OPERATORS: dict[Type, tuple[Operator, ...]] = {
    "text": TEXT_OPERATORS,
    "long_text": ("mentions", "mentions_none", "filled", "empty"),
    "email": TEXT_OPERATORS,
    "link": TEXT_OPERATORS,
    "choice": ("is", "is_not", "filled", "empty"),
    "yes_no": ("is", "is_not"),
    "number": ("is", "is_not", "less", "more", "filled", "empty"),
    "date": ("is", "before", "after", "filled", "empty"),
    "datetime": ("before", "after", "filled", "empty"),
}


def holds(condition: Condition, carried: Carried, zone: ZoneInfo) -> bool:
    """Raises Unfit where the condition cannot be decided: a value that is gone, a word that is no date or number."""
    known = carried.fields.get(condition.ref)
    if known is None:
        raise Unfit("this compares a value that the lines above no longer carry; choose another")
    if condition.operator not in OPERATORS[known.type]:
        raise Unfit(f"“{OPERATOR_WORDS[condition.operator]}” does not go with {carried.name(condition.ref)}")
    value = carried.values.get(condition.ref)
    empty = value is None or value == ""
    words = [w for w in condition.words if w.strip()]
    if condition.operator == "filled":
        return not empty
    if condition.operator == "empty":
        return empty
    if not words:
        raise Unfit(f"say what {carried.name(condition.ref)} {OPERATOR_WORDS[condition.operator]}")
    if known.type in ("number", "date", "datetime", "yes_no"):
        return any(_compare(condition.operator, value, coerce(w, known.type, zone)) for w in words)
    text = as_text(value, zone)
    match condition.operator:
        case "mentions":
            return any(mentions(text, w) for w in words)
        case "mentions_none":
            return not any(mentions(text, w) for w in words)
        case "is":
            return any(fold(text).strip() == fold(w).strip() for w in words)
        case "is_not":
            return not any(fold(text).strip() == fold(w).strip() for w in words)
        case "begins":
            return any(fold(text).startswith(fold(w)) for w in words)
        case _:
            return any(fold(text).endswith(fold(w)) for w in words)


def _compare(operator: Operator, value: Value, wanted: Value) -> bool:
    if operator in ("is", "is_not"):
        return (value == wanted) == (operator == "is")
    if value is None or wanted is None:
        return False
    if isinstance(value, date) and not isinstance(value, datetime) and isinstance(wanted, datetime):
        wanted = wanted.date()
    below, above = operator in ("before", "less"), operator in ("after", "more")
    return bool((below and value < wanted) or (above and value > wanted))  # type: ignore[operator]


def goes_on(line: OnlyIf, carried: Carried, zone: ZoneInfo) -> bool:
    """Raises Unfit. A line without conditions lets everything through."""
    if not line.conditions:
        return True
    return (all if line.mode == "all" else any)([holds(c, carried, zone) for c in line.conditions])
