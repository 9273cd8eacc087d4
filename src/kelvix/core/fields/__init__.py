"""Types of fields: one module each, found by its place; more of them from other Python packages, by entry points."""

from __future__ import annotations

import importlib
import pkgutil
from importlib.metadata import entry_points
from zoneinfo import ZoneInfo

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.values import Choice, Type, Unfit, Value, Wire, shorten

GROUP = "kelvix.fields"


def _found() -> dict[str, FieldType]:
    """By code, in the order in which they are listed."""
    modules = [importlib.import_module(f"{__name__}.{m.name}") for m in pkgutil.iter_modules(__path__)]
    types = [m.TYPE for m in modules if hasattr(m, "TYPE")] + [e.load() for e in entry_points(group=GROUP)]
    return {t.code: t for t in sorted(types, key=lambda t: t.rank)}


TYPES = _found()


def coerce(
    value: Value,
    to: Type,
    zone: ZoneInfo,
    choices: tuple[Choice, ...] = (),
    order: str | None = None,
    grows: bool = False,
) -> Value:
    """Bring a value into the form in which a field of type `to` keeps it. `order` is the workspace's, of day and month; `grows`
    allows new choices. Raises Unfit."""
    return fitted(value, to, Taking(zone, order, choices, grows))


def fitted(value: Value, to: Type, how: Taking) -> Value:
    """Bring a value into the form in which a field of type `to` keeps it. Raises Unfit."""
    if is_blank(value):
        return None
    type_ = TYPES[to]
    if isinstance(value, tuple) and len(value) == 1 and type_.column is not None:
        return fitted(value[0], to, how)
    return type_.coerce(value, how)


def seeming(raw: object) -> Type:
    """Return the type of which a value of a request's JSON seems to be."""
    return next((t.code for t in reversed(TYPES.values()) if t.in_requests and t.seems(raw)), next(iter(TYPES)))


def is_text(type_: Type | None) -> bool:
    """Whether values of a type are texts that say anything."""
    return type_ is not None and TYPES[type_].is_text


def is_blank(value: Value) -> bool:
    """Whether there is nothing in a value."""
    return value is None or (isinstance(value, str) and not value.strip())


def from_wire(wire: Wire, of: Type) -> Value:
    """Read a value from its JSON form. Raises Unfit where it is not one."""
    if wire is None or wire == "" or wire == []:
        return None
    try:
        return TYPES[of].from_wire(wire)
    except Unfit:
        raise
    except (ValueError, ArithmeticError):
        raise Unfit(f"“{shorten(str(wire))}” is not a {TYPES[of].name}") from None
