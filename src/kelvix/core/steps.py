"""What one line does with what it is given, computed without writing anything."""

from __future__ import annotations

from collections.abc import Mapping

from kelvix.core import sources
from kelvix.core.cells import Cell
from kelvix.core.context import Context
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried, ListRow
from kelvix.core.lines import kind_of
from kelvix.core.schema import CarriedField
from kelvix.core.values import Unfit, Value
from kelvix.core.workflow import Line, Reference, Workflow


def _read(raw: object, field: CarriedField) -> Value:
    """Read a value of an item. Raises Unfit."""
    return from_wire(raw if raw is None or isinstance(raw, (str, bool, list)) else repr(raw), field.type)


def carried_from_item(workflow: Workflow, context: Context, item: Mapping[str, object]) -> Carried:
    """Return a source item's values by reference: absent, empty and unreadable ones told apart."""
    when = workflow.when
    values: dict[str, Value] = {}
    unreadable: dict[Reference, str] = {}
    for field in context.source:
        if field.key in item:
            try:
                values[field.key] = _read(item[field.key], field)
            except Unfit as unfit:
                unreadable[Reference(when.id, field.key)] = str(unfit)
    held = sources.held_of(when.own, context.databases, item)
    if context.place is not None:
        held = sources.held_item(context.place, item, context.env)
    carried = Carried({}, {}, unreadable).plus(when.id, context.source, values, held)
    for one in context.lists:
        raw = item.get(one.key)
        rows: tuple[ListRow, ...] | None = None
        if isinstance(raw, list):
            try:
                rows = tuple(ListRow({f.key: _read(row.get(f.key), f) for f in one.fields}) for row in raw)
            except (Unfit, AttributeError):
                unreadable[Reference(when.id, one.key)] = "its rows can’t be read"
        carried = carried.plus_list(when.id, one, rows)
    return carried


def step(line: Line, carried: Carried, context: Context) -> tuple[Cell, Carried]:
    """Return what one line does with what it is given, and what the lines below it can use."""
    return kind_of(line).step(line, carried, context)
