"""Whether a value is of a type, as `instance of` asks (OMG DMN 1.5, clause 10.3.2.9.2)."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal

from kelvix.core.feel.tree import TypeName
from kelvix.core.feel.values import Function, Months, Range

CLASSES: dict[str, type] = {
    "number": Decimal,
    "string": str,
    "boolean": bool,
    "date": date,
    "time": time,
    "date and time": datetime,
    "days and time duration": timedelta,
    "years and months duration": Months,
    "list": list,
    "context": dict,
    "range": Range,
    "function": Function,
    "Null": type(None),
    "null": type(None),
}


def is_instance(value: object, type_: TypeName) -> bool:
    """Null is only of type Null."""
    if type_.name == "Any":
        return value is not None
    if value.__class__ is not CLASSES[type_.name]:
        return False
    if not type_.args:
        return True
    if isinstance(value, list):
        return all(is_instance(item, type_.args[0]) for item in value)
    if isinstance(value, dict):
        return all(n in value and is_instance(value[n], a) for n, a in zip(type_.names, type_.args, strict=True))
    if isinstance(value, Range):
        return all(end is None or is_instance(end, type_.args[0]) for end in (value.low, value.high))
    return isinstance(value, Function) and len(value.params) == len(type_.args) - 1
