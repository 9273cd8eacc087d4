"""The views of databases. Scoped by the workspace."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

from kelvix.core.views import View, view_json, view_of
from kelvix.store.database_server import Row, Transaction

COLUMNS = "id, database_id, name, document, version, index_state"


@dataclass(frozen=True)
class KeptView:
    """`version` grows with each edit. `is_indexed`: whether its index is there."""

    id: int
    database_id: int
    name: str
    view: View
    version: int
    is_indexed: bool


def _read(row: Row) -> KeptView:
    view = view_of(json.loads(row["document"]))
    return KeptView(row["id"], row["database_id"], row["name"], view, row["version"], row["index_state"] == "indexed")


def list_all(t: Transaction, workspace_id: int, database_id: int) -> list[KeptView]:
    """Return the views of a database, in their order."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM view WHERE workspace_id=%s AND database_id=%s ORDER BY position, id",
        (workspace_id, database_id),
    )
    return [_read(row) for row in rows]


def get(t: Transaction, workspace_id: int, database_id: int, view_id: int) -> KeptView | None:
    row = t.row(
        f"SELECT {COLUMNS} FROM view WHERE workspace_id=%s AND database_id=%s AND id=%s", (workspace_id, database_id, view_id)
    )
    return _read(row) if row else None


def create(t: Transaction, workspace_id: int, database_id: int, name: str, view: View, by: str) -> int:
    return t.insert(
        "INSERT INTO view (workspace_id, database_id, name, position, document, created_by) "
        "SELECT %s, %s, %s, COALESCE(MAX(position), 0) + 1, %s, %s FROM view WHERE workspace_id=%s AND database_id=%s",
        (workspace_id, database_id, name, _dumped(view), by[:200], workspace_id, database_id),
    )


def save(t: Transaction, workspace_id: int, view_id: int, saw: int, name: str, view: View) -> bool:
    """Keep an edit of a view that was seen at a version: whether it still had that."""
    return bool(
        t.execute(
            "UPDATE view SET name=%s, document=%s, version=version+1, index_state='wanted' "
            "WHERE workspace_id=%s AND id=%s AND version=%s",
            (name, _dumped(view), workspace_id, view_id, saw),
        )
    )


def remove(t: Transaction, workspace_id: int, database_id: int, view_id: int) -> bool:
    return bool(
        t.execute("DELETE FROM view WHERE workspace_id=%s AND database_id=%s AND id=%s", (workspace_id, database_id, view_id))
    )


def put_in_order(t: Transaction, workspace_id: int, database_id: int, ids: Sequence[int]) -> None:
    """Put views into an order; what is not named follows."""
    for position, view_id in enumerate(ids, 1):
        t.execute(
            "UPDATE view SET position=%s WHERE workspace_id=%s AND database_id=%s AND id=%s",
            (position, workspace_id, database_id, view_id),
        )


def unindexed(t: Transaction) -> list[tuple[int, KeptView]]:
    """Return views that are still to get an index, each with its workspace."""
    rows = t.rows(f"SELECT {COLUMNS}, workspace_id FROM view WHERE index_state='wanted' ORDER BY id LIMIT 20")
    return [(row["workspace_id"], _read(row)) for row in rows]


def note_indexed(t: Transaction, kept: KeptView, is_indexed: bool) -> None:
    """Note whether a view has its index, unless it was edited meanwhile."""
    state = "indexed" if is_indexed else "none"
    t.execute("UPDATE view SET index_state=%s WHERE id=%s AND version=%s", (state, kept.id, kept.version))


def _dumped(view: View) -> str:
    return json.dumps(view_json(view), ensure_ascii=False)
