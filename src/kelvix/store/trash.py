"""What was deleted: listed with who and when, until it is brought back or goes for good."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from kelvix.store import ddl
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

Kind = Literal["record", "field", "database", "workflow"]
DAYS = 30  # for which what was deleted can be brought back
BATCH_SIZE = 200


@dataclass(frozen=True)
class Trashed:
    """`database_id` is that of a record or a field, else 0; `database` its name, None where it is gone or has none."""

    id: int
    kind: Kind
    database_id: int
    item_id: int
    name: str | None
    database: str | None
    deleted_by: str
    at: datetime


BY_RUN = "(SELECT w.name FROM run r JOIN workflow w ON w.id = r.workflow_id WHERE r.workspace_id=%s AND r.id=%s)"


def put(
    t: Transaction,
    workspace_id: int,
    kind: Kind,
    item_id: int,
    name: str | None,
    by: str | None,
    database_id: int = 0,
    run: int | None = None,
) -> None:
    """Note that something was deleted, in the transaction that deletes it; by a person, or else by the workflow of a run."""
    t.later(
        "REPLACE INTO trash (workspace_id, kind, database_id, item_id, name, deleted_by) "
        f"VALUES (%s,%s,%s,%s,%s,COALESCE(%s,{BY_RUN},'a workflow'))",
        (workspace_id, kind, database_id, item_id, name and name[:300], by and by[:200], workspace_id, run),
    )


def forget(t: Transaction, workspace_id: int, kind: Kind, item_id: int, database_id: int = 0) -> None:
    """Note that something was brought back, in the transaction that does so."""
    t.later(
        "DELETE FROM trash WHERE workspace_id=%s AND kind=%s AND database_id=%s AND item_id=%s",
        (workspace_id, kind, database_id, item_id),
    )


COLUMNS = (
    "SELECT t.id, t.kind, t.database_id, t.item_id, t.name, d.name AS `database`, t.deleted_by, t.at FROM trash t "
    "LEFT JOIN `database` d ON d.workspace_id = t.workspace_id AND d.id = t.database_id WHERE t.workspace_id=%s "
)


def newest(t: Transaction, workspace_id: int, limit: int, before: int | None = None, kind: Kind | None = None) -> list[Trashed]:
    """Return a page of what was deleted, the newest first, by keyset: what was deleted before the entry `before`."""
    only, args = ("AND t.kind=%s ", (kind,)) if kind else ("", ())
    rows = t.rows(f"{COLUMNS}{only}AND t.id<%s ORDER BY t.id DESC LIMIT %s", (workspace_id, *args, before or 2**62, limit))
    return [Trashed(**r) for r in rows]


def many(t: Transaction, workspace_id: int, entries: Sequence[int]) -> list[Trashed]:
    """Return the entries with these numbers that are there."""
    marks = ",".join(["%s"] * len(entries))
    return [Trashed(**r) for r in t.rows(f"{COLUMNS}AND t.id IN ({marks})", (workspace_id, *entries))]


def entries_of(t: Transaction, workspace_id: int, kind: Kind, items: Sequence[int], database_id: int = 0) -> list[int]:
    """Return the numbers of the entries for what was deleted."""
    marks = ",".join(["%s"] * len(items))
    rows = t.rows(
        f"SELECT id FROM trash WHERE workspace_id=%s AND kind=%s AND database_id=%s AND item_id IN ({marks}) ORDER BY id",
        (workspace_id, kind, database_id, *items),
    )
    return [int(r["id"]) for r in rows]


def empty_old(space: Space, days: int = DAYS) -> int:
    """Let go for good of what was deleted so many days ago: how many things. Each is a transaction of its own; what is broken
    off is gone on with the next time."""
    total = 0
    while rows := space.read(
        lambda t: t.rows(
            "SELECT kind, database_id, item_id FROM trash WHERE workspace_id=%s AND at < NOW(3) - INTERVAL %s DAY "
            "ORDER BY at LIMIT %s",
            (space.id, days, BATCH_SIZE),
        )
    ):
        for row in rows:
            _let_go(space, row["kind"], row["database_id"], row["item_id"])
        total += len(rows)
    return total


def _let_go(space: Space, kind: Kind, database_id: int, item_id: int) -> None:
    def work(t: Transaction) -> None:
        forget(t, space.id, kind, item_id, database_id)
        match kind:
            case "record":
                _let_go_of_record(t, space.id, database_id, item_id)
            case "field":
                t.execute(
                    "UPDATE field SET state='going' WHERE workspace_id=%s AND %s IN (id, back) AND state='gone'",
                    (space.id, item_id),
                )
            case "database":
                if t.execute(
                    "UPDATE `database` SET state='going' WHERE workspace_id=%s AND id=%s AND deleted_at IS NOT NULL",
                    (space.id, item_id),
                ):
                    t.execute("DELETE FROM trash WHERE workspace_id=%s AND database_id=%s", (space.id, item_id))
                    _empty_changes(t, "workspace_id=%s AND database_id=%s", (space.id, item_id))
            case "workflow":
                _let_go_of_workflow(t, space.id, item_id)

    row = space.read(lambda t: t.row("SELECT refers_to FROM field WHERE id=%s", (item_id,))) if kind == "field" else None
    space.transact(work)
    if kind in ("field", "database"):
        ddl.reconcile(space.server, database_id or item_id)
    if row and row["refers_to"] is not None:
        ddl.reconcile(space.server, row["refers_to"])


def _let_go_of_record(t: Transaction, workspace_id: int, database_id: int, record_id: int) -> None:
    ready = t.row("SELECT id FROM `database` WHERE workspace_id=%s AND id=%s AND state='ready'", (workspace_id, database_id))
    if ready is None:
        return
    if not t.execute(f"DELETE FROM {ddl.table(database_id)} WHERE id=%s AND deleted_at IS NOT NULL", (record_id,)):
        return  # restored a moment ago: its labels and its history stay
    t.execute("DELETE FROM record_label WHERE database_id=%s AND record_id=%s", (database_id, record_id))
    t.execute(
        "DELETE l FROM record_reference l JOIN field f ON (l.field_id = f.id AND f.leads AND l.from_id=%s) "
        "OR (l.field_id = f.back AND NOT f.leads AND l.to_id=%s) WHERE f.workspace_id=%s AND f.database_id=%s",
        (record_id, record_id, workspace_id, database_id),
    )
    _empty_changes(t, "workspace_id=%s AND database_id=%s AND record_id=%s", (workspace_id, database_id, record_id))


def _empty_changes(t: Transaction, where: str, args: tuple[int, ...]) -> None:
    """Delete what the log says of values too. Its rows stay: whoever follows it counts on numbers without gaps."""
    t.execute(
        "UPDATE `change` SET before_values=IF(before_values IS NULL, NULL, '{}'), "
        "after_values=IF(after_values IS NULL, NULL, '{}') "
        f"WHERE {where}",
        args,
    )


def _let_go_of_workflow(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    if not t.execute(
        "DELETE FROM workflow WHERE workspace_id=%s AND id=%s AND deleted_at IS NOT NULL", (workspace_id, workflow_id)
    ):
        return
    for table in ("sample", "backcast", "kept_secret", "lane_place"):
        t.execute(f"DELETE FROM {table} WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
