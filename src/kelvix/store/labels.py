"""Many-valued fields: a record's labels, a row for each in a table beside its database's own. Scoped by the database, whose
workspace the caller has looked up."""

from __future__ import annotations

from collections.abc import Mapping

from kelvix.core.schema import Field
from kelvix.core.values import Value
from kelvix.store.database_server import Transaction


def column(database_id: int, field: Field) -> str:
    """A record's labels as one column, their ids joined by commas, within a SELECT from its database's table."""
    of = f"database_id={int(database_id)} AND record_id=id AND field_id={int(field.id)}"
    return f"(SELECT GROUP_CONCAT(label ORDER BY position) FROM record_label WHERE {of}) AS `f_{int(field.id)}`"


def write(t: Transaction, database_id: int, record_id: int, values: Mapping[int, Value]) -> None:
    """Set the labels of the fields that are named."""
    for field_id, value in values.items():
        t.execute(
            "DELETE FROM record_label WHERE database_id=%s AND record_id=%s AND field_id=%s", (database_id, record_id, field_id)
        )
        labels = value if isinstance(value, tuple) else ()
        if labels:
            t.many(
                "INSERT INTO record_label (database_id, record_id, field_id, position, label) VALUES (%s,%s,%s,%s,%s)",
                [(database_id, record_id, field_id, n, str(label)) for n, label in enumerate(labels)],
            )
