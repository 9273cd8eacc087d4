"""Views of a database: which records are shown, in which order, how they are grouped, and which of their fields."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any, Literal

from kelvix.core import kept_values
from kelvix.core.fields import TYPES
from kelvix.core.operators import OPERATORS
from kelvix.core.periods import Period
from kelvix.core.query import Comparison, Joined, Order, Where, fields_of
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, Span, Value

Kind = Literal["table", "board", "calendar", "timeline", "list"]
Figure = Literal["sum", "average", "least", "greatest", "filled"]
Tone = Literal["look", "bad", "good", "quiet"]
FIGURES: dict[Figure, str] = {
    "sum": "Sum",
    "average": "Average",
    "least": "Smallest",
    "greatest": "Largest",
    "filled": "Filled in",
}
NARROWEST, WIDEST = 60, 800  # px


@dataclass(frozen=True)
class Column:
    """A field that is shown; `width` in px where a person has chosen one."""

    field: FieldId
    width: int | None = None


@dataclass(frozen=True)
class Total:
    """A figure of a field, over all records that are shown and over each group."""

    field: FieldId
    figure: Figure = "sum"


@dataclass(frozen=True)
class Mark:
    """How records stand out for which a condition holds: the first that does is told."""

    where: Where
    tone: Tone = "look"


@dataclass(frozen=True)
class View:
    """How a database is looked at. `columns`: the fields that are shown, in their order; all where there are none. `frozen`:
    how many of the first stay in sight. `by`: the field that dates records, of a calendar. Without an order the newest records
    come first."""

    kind: Kind = "table"
    where: Where | None = None
    order: tuple[Order, ...] = ()
    group: FieldId | None = None
    columns: tuple[Column, ...] = ()
    frozen: int = 1
    totals: tuple[Total, ...] = ()
    marks: tuple[Mark, ...] = ()
    by: FieldId | None = None


def figures_of(field: Field) -> tuple[Figure, ...]:
    """Return the figures that can be made of a field."""
    type_ = TYPES[field.type]
    added: tuple[Figure, ...] = ("sum", "average") if type_.added_within is not None else ()
    ordered: tuple[Figure, ...] = ("least", "greatest") if type_.has_order or type_.added_within is not None else ()
    return (*added, *ordered, "filled")


def order_words(field: Field) -> tuple[str, str]:
    """Return how the order of a field is said, rising and falling."""
    type_ = TYPES[field.type]
    if type_.tells_day:
        return "earliest first", "latest first"
    if type_.has_choices:
        return "in their order", "in reverse order"
    if type_.offered:
        return f"{type_.offered[-1]} first", f"{type_.offered[0]} first"
    if type_.has_order or type_.added_within is not None:
        return "smallest first", "largest first"
    return "from A to Z", "from Z to A"


def is_sorted(field: Field) -> bool:
    """Say whether records can go by a field."""
    return TYPES[field.type].is_sorted


def is_dated(field: Field) -> bool:
    """Say whether a field dates records."""
    return TYPES[field.type].tells_day or "start" in TYPES[field.type].parts


def is_grouped(field: Field) -> bool:
    """Say whether records can be grouped by a field."""
    return TYPES[field.type].groups


def fitting(view: View, database: Database) -> View:
    """Return a view without what the database has no more: its fields may have been removed or changed their type since."""
    there = {f.id: f for f in database.readable}
    group = there.get(view.group) if view.group is not None else None
    return View(
        view.kind,
        _fitting(view.where, there),
        tuple(o for o in view.order if o.field in there and is_sorted(there[o.field])),
        group.id if group is not None and is_grouped(group) else None,
        tuple(c for c in view.columns if c.field in there),
        view.frozen,
        tuple(t for t in view.totals if t.field in there and t.figure in figures_of(there[t.field])),
        tuple(m for m in view.marks if set(fields_of(m.where)) <= set(there)),
        view.by if view.by in there and is_dated(there[view.by]) else None,
    )


def _fitting(where: Where | None, there: dict[FieldId, Field]) -> Where | None:
    if isinstance(where, Comparison):
        field = there.get(where.field)
        return where if field is not None and where.operator in TYPES[field.type].operators else None
    if isinstance(where, Joined):
        return Joined(where.mode, tuple(fit for one in where.tests if (fit := _fitting(one, there)) is not None))
    return None


def begun_with(view: View, database: Database, today: date, at: date) -> dict[FieldId, Value]:
    """Return what a new record is filled with so that the view shows it: what all its conditions say it must be. On a calendar
    it is of the day `at` that is looked at."""
    values: dict[FieldId, Value] = {}
    tests = view.where.tests if isinstance(view.where, Joined) and view.where.mode == "all" else ()
    for one in tests:
        field = database.field(one.field) if isinstance(one, Comparison) else None
        if not isinstance(one, Comparison) or field is None or not field.can_write or OPERATORS[one.operator].negated:
            continue
        compares = OPERATORS[one.operator].compares
        if compares == "has" and isinstance(one.value, str):
            held = values.get(field.id)
            values[field.id] = (*held, one.value) if isinstance(held, tuple) else (one.value,)
        elif compares == "within" and isinstance(one.value, Period):
            first, last = one.value.days(today)
            values[field.id] = _of_day(field, max(first, min(today, last)))
        elif compares == "same":
            values[field.id] = _of_day(field, one.value.days(today)[0]) if isinstance(one.value, Period) else one.value
    by = database.field(view.by) if view.by is not None else None
    if by is not None and by.can_write:
        values.setdefault(by.id, _of_day(by, at))
    return {id: value for id, value in values.items() if value is not None and value != ()}


def _of_day(field: Field, day: date) -> Value:
    """Return a day as a field of time keeps it; nothing for a moment, whose time nobody has said."""
    type_ = TYPES[field.type]
    return Span(day, day) if type_.keeps is Span else None if type_.has_clock else day


# As JSON keeps it


def view_json(view: View) -> Any:
    """Return a view as JSON keeps it."""
    return {
        "kind": view.kind,
        "where": kept_values.where_json(view.where),
        "order": [[o.field, o.descending] for o in view.order],
        "group": view.group,
        "columns": [[c.field, c.width] for c in view.columns],
        "frozen": view.frozen,
        "totals": [[t.field, t.figure] for t in view.totals],
        "by": view.by,
        "marks": [[kept_values.where_json(m.where), m.tone] for m in view.marks],
    }


def view_of(kept: Any) -> View:
    """Read what `view_json` made. Raises ValueError."""
    marks = tuple(Mark(where, tone) for test, tone in kept["marks"] if (where := kept_values.where_of(test)) is not None)
    return View(
        kept["kind"],
        kept_values.where_of(kept["where"]),
        tuple(Order(*o) for o in kept["order"]),
        kept["group"],
        tuple(Column(*c) for c in kept["columns"]),
        kept["frozen"],
        tuple(Total(*t) for t in kept["totals"]),
        marks,
        kept.get("by"),
    )
