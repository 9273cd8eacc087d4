"""Pages by keyset: what records are sorted by, where a page ended, and what comes after that."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any

from kelvix.core import kept_values
from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Order
from kelvix.core.schema import Database, Field
from kelvix.core.values import Unfit
from kelvix.store import ddl
from kelvix.store.database_server import Row

CLASSES: Mapping[str, type | tuple[type, ...]] = {
    "DECIMAL": (Decimal, int),
    "DATETIME": datetime,
    "DATE": date,
    "TIME": timedelta,
    "BIGINT": int,
    "TINYINT": int,
}
Sql = tuple[str, list[Any]]


@dataclass(frozen=True)
class Key:
    """An expression that records are sorted by, and the class of what it gives. What is empty comes first, or last where it
    descends; always last if `empty_last`."""

    sql: str
    args: tuple[Any, ...] = ()
    gives: type | tuple[type, ...] = str
    descending: bool = False
    empty_last: bool = False


def ordered(database: Database, order: Order) -> Key:
    """Return what records go by. Raises NotFoundError for a field that is gone, Unfit for one that has no order."""
    field = database.readable_field(order.field)
    if field is None:
        raise NotFoundError("field not found")
    if not TYPES[field.type].is_sorted:
        raise Unfit(f"records can’t be sorted by {field.name}")
    sql, args = rank(field)
    return Key(sql, args, classes(field), order.descending)


def classes(field: Field) -> type | tuple[type, ...]:
    """Return the classes of what the server gives for a field's rank."""
    if TYPES[field.type].has_choices and field.choices:
        return int
    column = TYPES[field.type].column or ""
    return next((gives for begins, gives in CLASSES.items() if column.startswith(begins)), str)


def rank(field: Field) -> tuple[str, tuple[Any, ...]]:
    """Return the expression by which a field's values go: choices in their order, all else by its column."""
    column = ddl.column(field.id)
    if not TYPES[field.type].has_choices or not field.choices:
        return column, ()
    return place(column, field)


def place(column: str, field: Field) -> tuple[str, tuple[Any, ...]]:
    """Return the place of a choice among those of its field; nothing for one that was removed."""
    ids = tuple(c.id for c in field.choices)
    return f"NULLIF(FIELD({column}, {', '.join(['%s'] * len(ids))}), 0)", ids


def columns(keys: Sequence[Key]) -> Sql:
    """Return what a page reads to tell where it ends."""
    return "".join(f", {key.sql} AS k{n}" for n, key in enumerate(keys)), [a for key in keys for a in key.args]


def by(keys: Sequence[Key], tie: str = "id DESC") -> Sql:
    """Return the order; of those that are the same in all of it, the newest come first."""
    terms: list[str] = []
    args: list[Any] = []
    for key in keys:
        if key.empty_last:
            terms.append(f"{key.sql} IS NULL")
            args += key.args
        terms.append(f"{key.sql} {'DESC' if key.descending else 'ASC'}")
        args += key.args
    return ", ".join([*terms, tie]), args


def after(keys: Sequence[Key], row: Row) -> str:
    """Return where a page ended: with this row."""
    if not keys:
        return str(row["id"])
    raw = (row[f"k{n}"] for n in range(len(keys)))
    return json.dumps([*(one if isinstance(one, int) else kept_values.value_json(one) for one in raw), row["id"]])


def below(keys: Sequence[Key], ended: str) -> Sql:
    """Return the condition of all records that come after a page. Raises Unfit where this is none that was given."""
    try:
        *kept, id = json.loads(ended) if keys else [int(ended)]
        values = [kept_values.value_of(one) for one in kept]
        sql, args = "id < %s", list[Any]([int(id)])
        if not all(v is None or isinstance(v, key.gives) for v, key in zip(values, keys, strict=True)):
            raise ValueError
    except (ValueError, TypeError, Unfit):
        raise Unfit("this is not a position in these records. Request the first page again") from None
    for key, value in zip(reversed(keys), reversed(values), strict=True):
        column, mine = key.sql, list(key.args)
        empty_comes_last = key.descending or key.empty_last
        if value is None:
            if empty_comes_last:
                sql, args = f"{column} IS NULL AND ({sql})", [*mine, *args]
            else:
                sql, args = f"{column} IS NOT NULL OR ({column} IS NULL AND ({sql}))", [*mine, *mine, *args]
            continue
        sign = "<" if key.descending else ">"
        rest, held = f"({column} = %s AND ({sql}))", [*mine, value, *args]
        if empty_comes_last:
            sql, args = f"{column} {sign} %s OR {column} IS NULL OR {rest}", [*mine, value, *mine, *held]
        else:
            sql, args = f"{column} {sign} %s OR {rest}", [*mine, value, *held]
    return sql, args
