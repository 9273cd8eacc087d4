"""Records as a view arranges them: which there are, group by group and in order, and the figures of each group.

A record stands in each group that it belongs to, under each of its labels; it is counted once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields import TYPES
from kelvix.core.query import Comparison, Order, Where
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, Referred, Value, Wire, to_wire
from kelvix.core.views import Total
from kelvix.store import ddl, keyset, query, references
from kelvix.store.database_server import Row, Transaction

Sql = tuple[str, list[Any]]
MAX_GROUPS = 1000


@dataclass(frozen=True)
class Place:
    """Where a record stands: under which group, which is None where its field is empty."""

    group: str | None
    record: int


@dataclass(frozen=True)
class Group:
    """Records that are the same in the field they are grouped by. `value`: what a record has there; `totals`: the figures asked
    for, each a value for each of its currencies."""

    key: str | None
    value: Wire
    records: int
    totals: tuple[tuple[Wire, ...], ...]


@dataclass(frozen=True)
class _Grouping:
    """How records are grouped: what is joined to them, the group's key, what it goes by, and what tells its value."""

    join: str
    args: tuple[Any, ...]
    key: str
    ranks: tuple[keyset.Key, ...]
    told: str


def places(
    t: Transaction,
    database: Database,
    where: Where | None,
    order: Sequence[Order],
    group: FieldId | None,
    zone: ZoneInfo,
    limit: int,
    after: str | None = None,
    index: str | None = None,
) -> tuple[list[Place], str | None]:
    """Return where the records of a view stand, a page of at most `limit`, and what to ask with for the next. `index`: the name
    of the view's own index, where it has one. Raises NotFoundError, Unfit."""
    grouping = _grouping(database, group)
    keys = [keyset.ordered(database, one) for one in order]
    if grouping is not None:
        keys[:0] = grouping.ranks
    sql, args = query.where(database, where, zone)
    if after is not None:
        below, more = keyset.below(keys, after)
        sql, args = f"({sql}) AND ({below})", [*args, *more]
    told, of_keys = keyset.columns(keys)
    by, of_order = keyset.by(keys)
    key = f", {grouping.key} AS g" if grouping else ""
    hint = f"FORCE INDEX ({index})" if index else "IGNORE INDEX FOR ORDER BY (PRIMARY)" if keys or where else ""
    rows = t.rows(
        f"SET STATEMENT max_statement_time=10 FOR SELECT id{key}{told} FROM {ddl.table(database.id)} {hint} "
        f"{grouping.join if grouping else ''} WHERE deleted_at IS NULL AND ({sql}) ORDER BY {by} LIMIT {int(limit) + 1}",
        [*of_keys, *(grouping.args if grouping else ()), *args, *of_order],
    )
    found = [Place(_text(row["g"]) if grouping else None, row["id"]) for row in rows[:limit]]
    return found, keyset.after(keys, rows[limit - 1]) if len(rows) > limit else None


def figures(
    t: Transaction,
    database: Database,
    where: Where | None,
    group: FieldId | None,
    totals: Sequence[Total],
    zone: ZoneInfo,
) -> list[Group]:
    """Return how many records there are in each group, with the figures of each; without a field to group by, of all of them as
    one. At most MAX_GROUPS. Raises NotFoundError, Unfit."""
    grouping = _grouping(database, group)
    sql, args = query.where(database, where, zone)
    key, told = (f"{grouping.key} AS g", f"{grouping.told} AS told") if grouping else ("NULL AS g", "NULL AS told")
    of = f"FROM {ddl.table(database.id)} {grouping.join if grouping else ''} WHERE deleted_at IS NULL AND ({sql})"
    of_args = [*(grouping.args if grouping else ()), *args]
    by, of_rank = "", list[Any]()
    if grouping:
        rank = grouping.ranks[0]
        by, of_rank = f"GROUP BY g ORDER BY MIN({rank.sql}) IS NULL, MIN({rank.sql}), g", [*rank.args, *rank.args]
    rows = t.rows(
        f"SET STATEMENT max_statement_time=10 FOR SELECT {key}, {told}, COUNT(*) AS n {of} {by} LIMIT {MAX_GROUPS}",
        [*of_args, *of_rank],
    )
    each = [_figure(t, database, total, key, of, of_args, zone, bool(grouping)) for total in totals]
    field = database.readable_field(group) if group is not None else None
    return [
        Group(
            _text(row["g"]),
            _value(field, row) if field is not None else None,
            row["n"],
            tuple(one.get(_text(row["g"]), ()) for one in each),
        )
        for row in rows
    ]


def _figure(
    t: Transaction, database: Database, total: Total, key: str, of: str, args: Sequence[Any], zone: ZoneInfo, is_grouped: bool
) -> dict[str | None, tuple[Wire, ...]]:
    """Return a figure by group."""
    field = database.readable_field(total.field)
    if field is None:
        return {}
    type_, column = TYPES[field.type], ddl.column(field.id)
    by = ["g"] if is_grouped else []
    if total.figure == "filled":
        sql, more = query.where(database, Comparison(field.id, "filled"), zone)
        rows = t.rows(f"SELECT {key}, COALESCE(SUM({sql}), 0) AS n {of} {_grouped(by)}", [*more, *args])
        return {_text(row["g"]): (str(int(row["n"])),) for row in rows}
    parts = type_.added_within or ()
    within = {part: ddl.column(field.id, part) for part in parts}
    made = {"sum": "SUM", "average": "AVG", "least": "MIN", "greatest": "MAX"}[total.figure]
    told = "".join(f", {c} AS w_{part}" for part, c in within.items())
    rows = t.rows(
        f"SET STATEMENT max_statement_time=10 FOR SELECT {key}, {made}({column}) AS n{told} {of} AND {column} IS NOT NULL "
        f"{_grouped([*by, *(f'w_{part}' for part in parts)])}",
        args,
    )
    found: dict[str | None, tuple[Wire, ...]] = {}
    for row in rows:
        if row["n"] is not None:
            raw = {"": _plain(row["n"], field), **{part: row[f"w_{part}"] for part in parts}}
            value = to_wire(type_.from_columns(raw))
            found[_text(row["g"])] = (*found.get(_text(row["g"]), ()), value)
    return found


def _grouped(by: Sequence[str]) -> str:
    return f"GROUP BY {', '.join(by)} ORDER BY {', '.join(by)}" if by else ""


def _plain(raw: Any, field: Field) -> Any:
    """Return a figure as the field's column would hold it: an average to six decimals, or to the millisecond."""
    if not isinstance(raw, Decimal):
        return raw
    return int(raw) if (TYPES[field.type].column or "").startswith("BIGINT") else round(raw, 6)


def _text(raw: Any) -> str | None:
    return None if raw is None else str(raw)


def _value(field: Field, row: Row) -> Wire:
    """Return what records of a group have in the field."""
    type_ = TYPES[field.type]
    if row["g"] is None:
        return None
    value: Value
    if type_.refers:
        value = (Referred(row["told"] or "", field.refers_to or 0, int(row["g"])),)
    elif type_.has_choices:
        value = (row["g"],) if type_.has_many else row["g"]
    elif type_.tells_day:
        return str(row["g"])
    else:
        value = type_.from_wire(row["told"]) if type_.more_columns else type_.from_column(row["told"])
    return to_wire(value)


def _grouping(database: Database, group: FieldId | None) -> _Grouping | None:
    field = database.readable_field(group) if group is not None else None
    if field is None:
        return None
    type_, column = TYPES[field.type], ddl.column(field.id)
    if type_.refers:
        there, side = ddl.table(field.refers_to or 0), references.side(field)
        title = f"LEFT(r.{ddl.column(field.their_title or '0')}, {references.MAX_TITLE})"
        join = (
            f"LEFT JOIN (SELECT l.{side.mine} AS of_record, r.id AS g_id, {title} AS g_title FROM record_reference l "
            f"JOIN {there} r ON r.id=l.{side.other} AND r.deleted_at IS NULL WHERE l.field_id=%s) j "
            f"ON j.of_record={ddl.table(database.id)}.id"
        )
        return _Grouping(
            join, (side.key,), "g_id", (keyset.Key("g_title", empty_last=True), keyset.Key("g_id", (), int)), "MIN(g_title)"
        )
    if type_.table_beside is not None:
        join = (
            "LEFT JOIN record_label ON record_label.database_id=%s AND record_label.field_id=%s "
            f"AND record_label.record_id={ddl.table(database.id)}.id"
        )
        sql, args = keyset.place("label", field) if field.choices else ("label", ())
        gives = int if field.choices else str
        return _Grouping(join, (database.id, field.id), "label", (keyset.Key(sql, args, gives, empty_last=True),), "MIN(label)")
    if type_.tells_day:
        month = f"CONCAT(YEAR({column}), '-', LPAD(MONTH({column}), 2, '0'))"
        return _Grouping("", (), month, (keyset.Key(month, empty_last=True),), f"MIN({column})")
    if type_.more_columns:  # a person, who is the same wherever the address is
        name, address = f"NULLIF({column}, '')", f"NULLIF({ddl.column(field.id, 'address')}, '')"
        key = f"COALESCE({address}, {name})"
        both = f"CONCAT(MIN({name}), ' <', MIN({address}), '>')"
        told = f"COALESCE({both}, MIN({name}), MIN({address}))"
        return _Grouping("", (), key, (keyset.Key(key, empty_last=True),), told)
    key = f"NULLIF({column}, '')" if type_.keeps_text else column
    sql, args = (key, ()) if not type_.has_choices else keyset.rank(field)
    return _Grouping("", (), key, (keyset.Key(sql, args, keyset.classes(field), empty_last=True),), f"MIN({column})")
