"""Places of apps that lines work on, with what their items were last known to have."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from kelvix.core.schema import Database, Field, Operation, Outside
from kelvix.core.values import Choice
from kelvix.store import databases
from kelvix.store.database_server import Row, Transaction
from kelvix.store.directory import Space

COLUMNS = "id, name, `schema`"


def _read(row: Row) -> Database:
    kept = json.loads(row["schema"])
    of = kept["outside"]
    operations = tuple(Operation(**(o | {"inputs": tuple(map(_field, o["inputs"]))})) for o in of.get("operations", ()))
    outside = of | {"path": tuple(of["path"]), "writes": frozenset(of["writes"]), "operations": operations}
    return Database(row["id"], row["name"], tuple(map(_field, kept["fields"])), Outside(**outside))


def _field(kept: dict[str, Any]) -> Field:
    return Field(**(kept | {"choices": tuple(Choice(**c) for c in kept["choices"])}))


def load(t: Transaction, workspace_id: int) -> dict[int, Database]:
    """All places that lines of a workspace work on, by number, in the order of their names."""
    rows = t.rows(f"SELECT {COLUMNS} FROM place WHERE workspace_id=%s", (workspace_id,))
    return {r["id"]: _read(r) for r in sorted(rows, key=lambda r: (r["name"].casefold(), r["id"]))}


def get(t: Transaction, workspace_id: int, place_id: int) -> Database | None:
    row = t.row(f"SELECT {COLUMNS} FROM place WHERE workspace_id=%s AND id=%s", (workspace_id, place_id))
    return _read(row) if row else None


def keep(space: Space, seen: Database, revision: str) -> int:
    """Keep what a place was found to have: its number, which it has from the first time on. `seen` has any number."""
    outside = seen.outside
    assert outside
    described = asdict(outside) | {"writes": sorted(outside.writes)}
    schema = json.dumps({"outside": described, "fields": [asdict(f) for f in seen.fields]}, ensure_ascii=False)

    def work(t: Transaction) -> int:
        row = t.row(
            "SELECT id, name, `schema` FROM place WHERE workspace_id=%s AND connection_id=%s AND place=%s FOR UPDATE",
            (space.id, outside.connection, outside.place),
        )
        if row is not None and (row["name"], row["schema"]) == (seen.name[:500], schema):
            t.execute("UPDATE place SET read_at=NOW(3) WHERE id=%s", (row["id"],))
            return int(row["id"])
        databases.changed(t, space.id)
        if row is not None:
            t.execute(
                "UPDATE place SET name=%s, `schema`=%s, revision=%s, read_at=NOW(3) WHERE id=%s",
                (seen.name[:500], schema, revision[:100], row["id"]),
            )
            return int(row["id"])
        return t.insert(
            "INSERT INTO place (workspace_id, connection_id, place, name, `schema`, revision, read_at) "
            "VALUES (%s,%s,%s,%s,%s,%s,NOW(3))",
            (space.id, outside.connection, outside.place, seen.name[:500], schema, revision[:100]),
        )

    return space.transact(work)


class Known:
    """The databases of workspaces, and the places of apps that are seen beside them, as they were read last: read anew when one
    was changed since."""

    def __init__(self) -> None:
        self._kept: dict[int, tuple[int, dict[int, Database]]] = {}

    def load(self, t: Transaction, workspace_id: int) -> dict[int, Database]:
        row = t.row("SELECT n FROM counter WHERE workspace_id=%s AND name='schema'", (workspace_id,))
        version = row["n"] if row else 0
        kept = self._kept.get(workspace_id)
        if kept is None or kept[0] != version or not version:
            kept = self._kept[workspace_id] = (version, load_all(t, workspace_id))
        return dict(kept[1])


def load_all(t: Transaction, workspace_id: int) -> dict[int, Database]:
    """All that lines of a workspace can find and change records in, by number."""
    return databases.load(t, workspace_id) | load(t, workspace_id)


def names(t: Transaction, workspace_id: int) -> dict[int, str]:
    """By number, databases in the trash included."""
    rows = t.rows("SELECT id, name FROM place WHERE workspace_id=%s", (workspace_id,))
    return databases.names(t, workspace_id) | {r["id"]: r["name"] for r in rows}


def connections(t: Transaction, workspace_id: int) -> dict[int, int]:
    """Return by which connection each place is reached, by its number."""
    rows = t.rows("SELECT id, connection_id FROM place WHERE workspace_id=%s", (workspace_id,))
    return {r["id"]: r["connection_id"] for r in rows}
