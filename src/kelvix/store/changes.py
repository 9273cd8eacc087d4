"""Reading the log of changes: a record's history, where each of its values came from, and undoing a change."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kelvix.core.fields import from_wire
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Unfit, Value, Wire
from kelvix.store.database_server import Row, Transaction


@dataclass(frozen=True)
class Change:
    seq: int
    database_id: int
    record_id: int
    version: int
    kind: str
    at: datetime
    origin: dict[str, Any]
    before: dict[str, Wire] | None
    after: dict[str, Wire] | None


def _change(row: Row) -> Change:
    return Change(
        row["seq"],
        row["database_id"],
        row["record_id"],
        row["version"],
        row["kind"],
        row["at"],
        json.loads(row["origin"]),
        json.loads(row["before_values"] or "null"),
        json.loads(row["after_values"] or "null"),
    )


def values(kept: dict[str, Wire] | None, database: Database) -> dict[FieldId, Value] | None:
    """Return the values of a change, by field; those of fields that are gone are left out."""
    if kept is None:
        return None
    found: dict[FieldId, Value] = {}
    for key, wire in kept.items():
        field = database.field(key)
        if field is not None:
            try:
                found[field.id] = from_wire(wire, field.type)
            except Unfit:  # its type was changed since
                found[field.id] = None
    return found


def of_record(t: Transaction, workspace_id: int, database_id: int, record_id: int) -> list[Change]:
    """Return a record's history, oldest first."""
    return [
        _change(r)
        for r in t.rows(
            "SELECT * FROM `change` WHERE workspace_id=%s AND database_id=%s AND record_id=%s ORDER BY seq",
            (workspace_id, database_id, record_id),
        )
    ]


def of_run(t: Transaction, workspace_id: int, run_id: int) -> list[Change]:
    """Return what a run changed; not what that led to at records that refer back, which follows from it."""
    return [
        _change(r)
        for r in t.rows(
            "SELECT * FROM `change` WHERE workspace_id=%s AND run_id=%s AND kind<>'linked' ORDER BY seq", (workspace_id, run_id)
        )
    ]


def newest(t: Transaction, workspace_id: int, database_id: int, kind: str, most: int) -> list[Change]:
    """Return the changes of one kind in a database, the newest first, among the newest so many of its workspace."""
    first = last(t, workspace_id) - most
    rows = t.rows(
        "SELECT * FROM `change` WHERE workspace_id=%s AND seq>%s AND database_id=%s AND kind=%s ORDER BY seq DESC",
        (workspace_id, first, database_id, kind),
    )
    return [_change(r) for r in rows]


def after(t: Transaction, workspace_id: int, seq: int, limit: int) -> list[Change]:
    """Return the changes of a workspace after a number, in their order, with none left out that commits later."""
    return [_change(r) for r in _after(t, workspace_id, seq, limit, "*")]


@dataclass(frozen=True)
class Touched:
    """That a record was changed, without what it was and is."""

    seq: int
    database_id: int
    record_id: int
    kind: str


def touched(t: Transaction, workspace_id: int, seq: int, limit: int) -> list[Touched]:
    """Return which records of a workspace were changed after a number, as `after` does."""
    return [Touched(**r) for r in _after(t, workspace_id, seq, limit, "seq, database_id, record_id, kind")]


def _after(t: Transaction, workspace_id: int, seq: int, limit: int, columns: str) -> list[Row]:
    """Read the log after a number.

    What the server shows a reader is not always of one moment: under load it can show a transaction and not yet the one
    before it. Numbers have no gaps, so that such a reading has one; it is then done again while no change can be made."""

    def read() -> list[Row]:
        return t.rows(
            f"SELECT {columns} FROM `change` WHERE workspace_id=%s AND seq>%s ORDER BY seq LIMIT %s", (workspace_id, seq, limit)
        )

    rows = read()
    if any(row["seq"] != seq + place for place, row in enumerate(rows, 1)):
        t.row("SELECT n FROM counter WHERE workspace_id=%s AND name='change' LOCK IN SHARE MODE", (workspace_id,))
        rows = read()
    return rows


def before_moment(t: Transaction, workspace_id: int, seconds: float, most: int) -> int:
    """Return the number of the newest change that is older than some seconds, or that is followed by `most` others."""
    newest = last(t, workspace_id)
    row = t.row(
        "SELECT MIN(seq) AS n FROM `change` WHERE workspace_id=%s AND seq>%s AND at > NOW(3) - INTERVAL %s SECOND",
        (workspace_id, newest - most, seconds),
    )
    return int(row["n"]) - 1 if row and row["n"] is not None else newest


def get(t: Transaction, workspace_id: int, seq: int) -> Change | None:
    row = t.row("SELECT * FROM `change` WHERE workspace_id=%s AND seq=%s", (workspace_id, seq))
    return _change(row) if row else None


def last(t: Transaction, workspace_id: int) -> int:
    """Return the number of the newest change."""
    row = t.row("SELECT n FROM counter WHERE workspace_id=%s AND name='change'", (workspace_id,))
    return int(row["n"]) if row else 0


def origins(history: list[Change]) -> dict[str, Change]:
    """For each field, by its id as text, the change that gave it its present value."""
    found: dict[str, Change] = {}
    for change in history:
        for field in change.after or {}:
            found[field] = change
    return found


def reached(t: Transaction, workspace_id: int) -> dict[str, int]:
    """Return how far runs and counters of a workspace came, by name: numbers that only go up, and do where anything is new."""
    run = t.row("SELECT MAX(id) AS n FROM run WHERE workspace_id=%s", (workspace_id,))
    counters = t.rows("SELECT name, n FROM counter WHERE workspace_id=%s", (workspace_id,))
    return {"run": int(run["n"] or 0) if run else 0} | {r["name"]: int(r["n"]) for r in counters}


def is_followed(t: Transaction, workspace_id: int, change: Change, run: int | None) -> bool:
    """Whether a record was changed after this, by others than a run that is undone as a whole, and its undoing."""
    rows = t.rows(
        "SELECT seq, run_id, origin FROM `change` WHERE workspace_id=%s AND database_id=%s AND record_id=%s AND seq>%s",
        (workspace_id, change.database_id, change.record_id, change.seq),
    )
    mine = {r["seq"] for r in rows if run is not None and r["run_id"] == run}
    return any(r["seq"] not in mine and json.loads(r["origin"]).get("undoes") not in mine for r in rows)
