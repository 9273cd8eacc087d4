"""Values and conditions as JSON keeps them. Each value says of which kind it is, so that it is read back without its field."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from kelvix.core.fields import TYPES, from_wire
from kelvix.core.periods import Period
from kelvix.core.query import Comparison, Joined, Where
from kelvix.core.values import Composite, Referred, Value, to_wire

Json = Any
PERIOD = "period"  # days that are counted from today
PLAIN: Mapping[type, str] = {Decimal: "number", datetime: "datetime", date: "date", time: "time", timedelta: "duration"}


def value_json(value: Value) -> Json:
    """Return a value of a field, which is no list, as JSON keeps it."""
    if value is None or isinstance(value, bool) or type(value) is str:
        return value
    if isinstance(value, Period):
        return [PERIOD, str(value)]
    if type(value) in PLAIN:
        return [PLAIN[type(value)], to_wire(value)]
    if isinstance(value, Referred):
        return [next(t.code for t in TYPES.values() if t.refers), to_wire((value,))]
    assert isinstance(value, Composite | str)
    code = next((t.code for t in TYPES.values() if t.keeps is type(value)), None)
    return str(value) if code is None else [code, to_wire(value)]


def value_of(kept: Json) -> Value:
    """Read what `value_json` made. Raises ValueError."""
    if not isinstance(kept, list):
        read: Value = kept
        return read
    kind, told = kept
    if kind == PERIOD:
        return Period(told)
    found = from_wire(told, kind)
    return found[0] if isinstance(found, tuple) and TYPES[kind].has_many else found


def where_json(where: Where | None) -> Json:
    """Return a condition as JSON keeps it."""
    if where is None:
        return None
    if isinstance(where, Comparison):
        return {"field": where.field, "operator": where.operator, "value": value_json(where.value)}
    return {"mode": where.mode, "tests": [where_json(one) for one in where.tests]}


def where_of(kept: Json) -> Where | None:
    """Read what `where_json` made. Raises ValueError."""
    if kept is None:
        return None
    if "mode" in kept:
        return Joined(kept["mode"], tuple(one for test in kept["tests"] if (one := where_of(test)) is not None))
    return Comparison(kept["field"], kept["operator"], value_of(kept["value"]))
