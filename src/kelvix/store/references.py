"""References between records: a row for each in a table beside, shown by two fields, that of either side. Scoped by the field,
whose database the caller has looked up in its workspace."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kelvix.core.schema import Field
from kelvix.core.values import Referred, Unfit, Value
from kelvix.store import ddl
from kelvix.store.database_server import Transaction

MAX_TITLE = 200
AT_THE_END = 1_000_000


@dataclass(frozen=True)
class Side:
    """Which rows a field shows, and by which of their columns. The field that was made first leads."""

    key: int
    mine: str
    other: str


def side(field: Field) -> Side:
    """Return which rows a field shows."""
    assert field.back is not None
    return Side(int(field.id), "from_id", "to_id") if field.leads else Side(int(field.back), "to_id", "from_id")


def column(database_id: int, field: Field) -> str:
    """Return what a record refers to, as one column of JSON, within a SELECT from its database's table. What is in the trash
    is left out until it is brought back."""
    of, there = side(field), ddl.table(field.refers_to or 0)
    title = f"COALESCE(LEFT(r.{ddl.column(field.their_title or '0')}, {MAX_TITLE}), '')"
    one = f"JSON_ARRAY(CAST(r.id AS CHAR), {title}, '{int(field.refers_to or 0)}')"
    return (
        f"(SELECT JSON_ARRAYAGG({one} ORDER BY l.position, r.id) "
        f"FROM record_reference l JOIN {there} r ON r.id = l.{of.other} AND r.deleted_at IS NULL "
        f"WHERE l.field_id={of.key} AND l.{of.mine}={ddl.table(database_id)}.id) AS `{ddl.name(field.id)}`"
    )


def exists(database_id: int, field: Field, value: Value) -> tuple[str, list[int]]:
    """Return the condition that a record refers to one, or to any."""
    of = side(field)
    one = f" AND l.{of.other}=%s" if isinstance(value, Referred) else ""
    there = f"JOIN {ddl.table(field.refers_to or 0)} r ON r.id = l.{of.other} AND r.deleted_at IS NULL "
    return (
        f"EXISTS (SELECT 1 FROM record_reference l {there}"
        f"WHERE l.field_id=%s AND l.{of.mine}={ddl.table(database_id)}.id{one})",
        [of.key, *([value.record] if isinstance(value, Referred) else [])],
    )


def settled(t: Transaction, values: Mapping[Field, Value]) -> dict[Field, Value]:
    """Return what is to be referred to, by its titles of now. It is locked until the transaction ends, in the order of its
    numbers. Raises Unfit for what is not there."""
    return {field: _settled(t, field, value) for field, value in values.items()}


def _settled(t: Transaction, field: Field, value: Value) -> Value:
    wanted = [v for v in value if isinstance(v, Referred)] if isinstance(value, tuple) else []
    if not wanted:
        return None
    marks = ",".join(["%s"] * len(wanted))
    title = f"LEFT({ddl.column(field.their_title or '0')}, {MAX_TITLE})"
    rows = t.rows(
        f"SELECT id, {title} AS title FROM {ddl.table(field.refers_to or 0)} "
        f"WHERE deleted_at IS NULL AND id IN ({marks}) ORDER BY id FOR UPDATE",
        [w.record for w in wanted],
    )
    titles = {r["id"]: r["title"] or "" for r in rows}
    for one in wanted:
        if one.record not in titles:
            raise Unfit(f"{field.name} refers to {one}, which no longer exists")
    if not field.leads:  # the side that leads says the order
        wanted.sort(key=lambda w: w.record)
    return tuple(Referred(titles[w.record], w.database, w.record) for w in wanted)


def others(t: Transaction, field: Field, record_id: int, value: Value) -> list[int]:
    """Return the records at which this writing changes what refers back, in the order of their numbers."""
    of = side(field)
    rows = t.rows(
        f"SELECT {of.other} AS id FROM record_reference WHERE field_id=%s AND {of.mine}=%s FOR UPDATE",
        (of.key, record_id),
    )
    return sorted({r["id"] for r in rows} ^ _numbers(value))


def write(t: Transaction, field: Field, record_id: int, value: Value) -> None:
    """Set what a record refers to."""
    of, wanted = side(field), _numbers(value)
    kept = ",".join(["%s"] * len(wanted)) or "0"
    t.execute(
        f"DELETE FROM record_reference WHERE field_id=%s AND {of.mine}=%s AND {of.other} NOT IN ({kept})",
        (of.key, record_id, *sorted(wanted)),
    )
    if isinstance(value, tuple):
        again = "position=VALUES(position)" if field.leads else "position=position"
        t.many(
            f"INSERT INTO record_reference (field_id, {of.mine}, {of.other}, position) VALUES (%s,%s,%s,%s) "
            f"ON DUPLICATE KEY UPDATE {again}",
            [
                (of.key, record_id, v.record, n if field.leads else AT_THE_END)
                for n, v in enumerate(value)
                if isinstance(v, Referred)
            ],
        )


def _numbers(value: Value) -> set[int]:
    return {v.record for v in value if isinstance(v, Referred)} if isinstance(value, tuple) else set()
