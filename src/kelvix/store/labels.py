"""Many-valued fields: a record's labels, a row for each in a table beside its database's own. Scoped by the database, whose
workspace the caller has looked up."""

from __future__ import annotations

from kelvix.core.schema import Field
from kelvix.core.values import Value
from kelvix.store import ddl
from kelvix.store.database_server import Transaction


def column(database_id: int, field: Field) -> str:
    """Return a record's labels as one column, their ids joined by commas, within a SELECT from its database's table."""
    of = f"database_id={int(database_id)} AND record_id=id AND field_id={int(field.id)}"
    return f"(SELECT GROUP_CONCAT(label ORDER BY position) FROM record_label WHERE {of}) AS `f_{int(field.id)}`"


def exists(database_id: int, field: Field, value: Value) -> tuple[str, list[object]]:
    """Return the condition that a record has one label, or any."""
    one = "" if value is None else " AND l.label=%s"
    return (
        f"EXISTS (SELECT 1 FROM record_label l WHERE l.database_id=%s AND l.record_id={ddl.table(database_id)}.id "
        f"AND l.field_id=%s{one})",
        [database_id, field.id, *([] if value is None else [value])],
    )


def write(t: Transaction, database_id: int, field: Field, record_id: int, value: Value) -> None:
    """Set the labels of one field of a record."""
    t.execute(
        "DELETE FROM record_label WHERE database_id=%s AND record_id=%s AND field_id=%s", (database_id, record_id, field.id)
    )
    labels = value if isinstance(value, tuple) else ()
    if labels:
        t.many(
            "INSERT INTO record_label (database_id, record_id, field_id, position, label) VALUES (%s,%s,%s,%s,%s)",
            [(database_id, record_id, field.id, n, str(label)) for n, label in enumerate(labels)],
        )
