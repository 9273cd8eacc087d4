"""Records, and the log of every change to one. Record, version and change row commit together."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from kelvix.core.fields import TYPES
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, Value, Wire, to_wire
from kelvix.store import ddl, labels, references
from kelvix.store.database_server import Row, Transaction

Values = dict[FieldId, Value]
BESIDE = {"labels": labels, "references": references}  # the tables in which values lie that are not of a record's own row


class Stale(Exception):
    """A write that named an older version than the record has. Carries the record as it is now."""

    def __init__(self, record: Record):
        super().__init__("the record was changed in the meantime")
        self.record = record


@dataclass(frozen=True)
class Record:
    id: int
    version: int
    created_at: datetime
    changed_at: datetime
    values: Values
    deleted: bool = False
    created_by: str | None = None
    changed_by: str | None = None

    @property
    def readable(self) -> Values:
        """Its values, and what it has of its own (RECORD_DATA in core/schema.py)."""
        return self.values | {
            "number": Decimal(self.id),
            "created": self.created_at,
            "created_by": self.created_by,
            "changed": self.changed_at,
            "changed_by": self.changed_by,
        }


@dataclass(frozen=True)
class Origin:
    """Who or what made a change. `called`: the name of the workflow or the mirror; `editor`: whose edit of the other side a
    mirror carried. `filled` tells, for a run, what each field
    was filled with, in words."""

    person: str | None = None
    token: str | None = None
    capture: bool = False
    run: int | None = None
    line: str | None = None
    workflow: str | None = None
    called: str | None = None
    item: str | None = None
    mirror: int | None = None
    editor: str | None = None
    undoes: int | None = None
    filled: Mapping[FieldId, str] | None = None  # by field

    @property
    def by(self) -> str | None:
        """Who or what made it, in words."""
        return (self.person or self.called or self.token or "")[:200] or None

    def dump(self) -> str:
        return json.dumps({k: v for k, v in self.__dict__.items() if v}, ensure_ascii=False)


OWN_COLUMNS = ("id", "version", "created_at", "changed_at", "deleted_at", "created_by", "changed_by")


def columns(database: Database) -> str:
    """Return what `read` needs of a record's row."""
    own: list[str] = []
    for field in database.fields:
        beside = TYPES[field.type].table_beside
        own += ddl.columns(field.id, field.type).values() if beside is None else [BESIDE[beside].column(database.id, field)]
    return ", ".join([*OWN_COLUMNS, *own])


def read(row: Row, database: Database) -> Record:
    return Record(
        row["id"],
        row["version"],
        row["created_at"],
        row["changed_at"],
        {f.id: _of_row(row, f) for f in database.fields},
        row["deleted_at"] is not None,
        row["created_by"],
        row["changed_by"],
    )


def _of_row(row: Row, field: Field) -> Value:
    type_ = TYPES[field.type]
    return type_.from_columns({part: row[ddl.name(field.id, part)] for part in ("", *type_.more_columns)})


def wire(values: Mapping[FieldId, Value]) -> dict[str, Wire]:
    return {str(k): to_wire(v) for k, v in values.items()}


def get(t: Transaction, database: Database, record_id: int, lock: bool = False, trashed: bool = False) -> Record | None:
    row = t.row(
        f"SELECT {columns(database)} FROM {ddl.table(database.id)} WHERE id=%s"
        + ("" if trashed else " AND deleted_at IS NULL")
        + (" FOR UPDATE" if lock else ""),
        (record_id,),
    )
    return read(row, database) if row else None


def many(t: Transaction, database: Database, ids: Sequence[int]) -> list[Record]:
    """Return the records with these ids that are there, in this order."""
    if not ids:
        return []
    rows = t.rows(
        f"SELECT {columns(database)} FROM {ddl.table(database.id)} WHERE deleted_at IS NULL "
        f"AND id IN ({','.join(['%s'] * len(ids))})",
        list(ids),
    )
    by_id = {r["id"]: read(r, database) for r in rows}
    return [by_id[id] for id in ids if id in by_id]


MAX_TITLES = 50  # that are offered for choosing one


def titled(t: Transaction, database: Database, text: str) -> list[tuple[int, str]]:
    """Return the newest records whose title has a text, without regard to case and accents: their ids and titles."""
    title = ddl.column(database.fields[0].id)
    rows = t.rows(
        f"SET STATEMENT max_statement_time=10 FOR SELECT id, LEFT({title}, 200) AS title FROM {ddl.table(database.id)} "
        f"WHERE deleted_at IS NULL AND {title} LIKE %s ORDER BY id DESC LIMIT {MAX_TITLES}",
        (f"%{literally(text)}%",),
    )
    return [(r["id"], r["title"]) for r in rows]


def literally(value: object) -> str:
    """Return a text for LIKE, in which nothing stands for anything else."""
    return str(value).replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
