"""Writing records, and the log of every change to one. Record, version and change row commit together. What may be written is
checked before, in `collections/write.py`, which is the only caller."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, Value
from kelvix.store import databases, ddl, labels, references, trash
from kelvix.store.database_server import Transaction
from kelvix.store.databases import with_new_choices
from kelvix.store.records import Origin, Record, Stale, Values, get, many, wire


def _apart(database: Database, values: Values) -> tuple[Values, dict[Field, Value]]:
    """Values that lie in the record's own row, and those that lie beside it."""
    many = {f.id: f for f in database.fields if TYPES[f.type].table_beside is not None}
    return {f: v for f, v in values.items() if f not in many}, {many[f]: v for f, v in values.items() if f in many}


def _settled(t: Transaction, workspace_id: int, database: Database, values: Values) -> Values:
    """Values whose new choices were made, and whose references lead to what is there. Raises Unfit."""
    values = with_new_choices(t, workspace_id, values)
    refer = {f: values[f.id] for f in database.fields if f.refers_to is not None and f.id in values}
    return values | {f.id: v for f, v in references.settled(t, refer).items()} if refer else values


def _write_beside(
    t: Transaction, workspace_id: int, database: Database, record_id: int, values: Mapping[Field, Value], origin: Origin
) -> None:
    """Write what lies beside a record's row. Records that refer back are changed by that too, and say so in the log."""
    for field, value in values.items():
        if field.refers_to is None:
            labels.write(t, database.id, field, record_id, value)
            continue
        changed = [o for o in references.others(t, field, record_id, value) if (field.refers_to, o) != (database.id, record_id)]
        there = databases.get(t, workspace_id, field.refers_to) if changed else None
        before = _referring_back(t, there, field, changed)
        references.write(t, field, record_id, value)
        after = _referring_back(t, there, field, changed)
        for other in changed:
            if there is not None and other in before:
                t.execute(
                    f"UPDATE {ddl.table(there.id)} SET version=version+1, changed_at=NOW(3), changed_by=%s WHERE id=%s",
                    (origin.by, other),
                )
                now, was = after[other], before[other]
                _log(t, workspace_id, there.id, other, now.version + 1, "linked", origin, _only(was, field), _only(now, field))


def _referring_back(t: Transaction, there: Database | None, field: Field, ids: Sequence[int]) -> dict[int, Record]:
    return {r.id: r for r in many(t, there, ids)} if there is not None else {}


def _only(record: Record, field: Field) -> Values:
    return {field.back: record.values[field.back]} if field.back in record.values else {}


def _bound(database: Database, values: Values) -> dict[str, Any]:
    """Values as columns keep them, by column."""
    types = {f.id: TYPES[f.type] for f in database.fields}
    return {ddl.column(f, part): kept for f, v in values.items() for part, kept in types[f].to_columns(v).items()}


CHANGE = "workspace_id, seq, database_id, record_id, version, kind, run_id, line_id, origin, before_values, after_values"
NEXT = (
    "INSERT INTO counter (workspace_id, name, n) VALUES ({workspace},'change',LAST_INSERT_ID({number})) "
    "ON DUPLICATE KEY UPDATE n=LAST_INSERT_ID(n+{number})"
)


def _numbered(rows: list[str]) -> list[str]:
    """Return the changes of one workspace's runs, written with numbers that are taken all at once. A row begins with its
    workspace."""
    number = len(rows)
    workspace = int(rows[0].partition(",")[0])
    values = ",".join(
        f"({row.partition(',')[0]},LAST_INSERT_ID()-{number - 1 - n},{row.partition(',')[2]})" for n, row in enumerate(rows)
    )
    return [NEXT.format(workspace=workspace, number=number), f"INSERT INTO `change` ({CHANGE}) VALUES {values}"]


def _log(
    t: Transaction,
    workspace_id: int,
    database_id: int,
    record_id: int,
    version: int,
    kind: str,
    origin: Origin,
    before: Mapping[FieldId, Value] | None,
    after: Mapping[FieldId, Value] | None,
) -> int:
    """Write to the change log, at the end of the transaction; a run's changes are not asked for their numbers. The number is
    taken last, and held until commit: numbers become visible in order."""
    values = (
        database_id,
        record_id,
        version,
        kind,
        origin.run,
        origin.line,
        origin.dump(),
        None if before is None else json.dumps(wire(before), ensure_ascii=False),
        None if after is None else json.dumps(wire(after), ensure_ascii=False),
    )
    marks = ",".join(["%s"] * len(values))
    if origin.run is not None:
        t.gather(_numbered, f"%s,{marks}", (workspace_id, *values))
        return 0
    seq = t.insert(NEXT.format(workspace=int(workspace_id), number=1))
    t.later(f"INSERT INTO `change` ({CHANGE}) VALUES (%s,%s,{marks})", (workspace_id, seq, *values))
    return seq


def add(t: Transaction, workspace_id: int, database: Database, values: Values, origin: Origin) -> tuple[int, int]:
    """Add a new record: its id and its change's number, which is not known yet where a run makes it."""
    values = _settled(t, workspace_id, database, values)
    record_id = t.insert(*_insert(database, values, origin))
    return record_id, _added(t, workspace_id, database, record_id, values, origin)


def add_later(
    t: Transaction, workspace_id: int, database: Database, values: Values, origin: Origin, then: Callable[[int], object]
) -> None:
    """Add a new record, made with the next statement of the transaction; `then` is told its id. One with values beside its
    row is made at once, so that the next statement finds it by them."""
    values = _settled(t, workspace_id, database, values)
    if _apart(database, values)[1]:
        then(add(t, workspace_id, database, values, origin)[0])
        return

    def made(record_id: int) -> None:
        _added(t, workspace_id, database, record_id, values, origin)
        then(record_id)

    t.insert_later(*_insert(database, values, origin), made)


def _insert(database: Database, values: Values, origin: Origin) -> tuple[str, list[Any]]:
    own, _ = _apart(database, values)
    bound = _bound(database, own) | {"created_by": origin.by, "changed_by": origin.by}
    marks = ", ".join(["%s"] * len(bound))
    return f"INSERT INTO {ddl.table(database.id)} ({', '.join(bound)}) VALUES ({marks})", list(bound.values())


def _added(t: Transaction, workspace_id: int, database: Database, record_id: int, values: Values, origin: Origin) -> int:
    _write_beside(t, workspace_id, database, record_id, _apart(database, values)[1], origin)
    return _log(t, workspace_id, database.id, record_id, 1, "add", origin, None, values)


def update(
    t: Transaction, workspace_id: int, database: Database, record_id: int, saw_version: int, values: Values, origin: Origin
) -> int:
    """Change fields of a record that the writer saw at `saw_version`. Raises Stale, NotFoundError. The change's number."""
    record = get(t, database, record_id, lock=True)
    if record is None:
        raise NotFoundError("record not found")
    if record.version != saw_version:
        raise Stale(record)
    return change(t, workspace_id, database, record, values, origin)


def change(t: Transaction, workspace_id: int, database: Database, record: Record, values: Values, origin: Origin) -> int:
    """Change fields of a record that this transaction has locked. The change's number."""
    values = _settled(t, workspace_id, database, values)
    before = {f: record.values[f] for f in values}
    own, beside = _apart(database, values)
    bound = _bound(database, own)
    sets = "".join(f", {column}=%s" for column in bound)
    t.execute(
        f"UPDATE {ddl.table(database.id)} SET version=version+1, changed_at=NOW(3), changed_by=%s{sets} WHERE id=%s",
        [origin.by, *bound.values(), record.id],
    )
    _write_beside(t, workspace_id, database, record.id, beside, origin)
    return _log(t, workspace_id, database.id, record.id, record.version + 1, "update", origin, before, values)


def set_deleted(t: Transaction, workspace_id: int, database: Database, record_id: int, deleted: bool, origin: Origin) -> int:
    """Into the trash or out of it. Raises NotFoundError. The change's number."""
    record = get(t, database, record_id, lock=True, trashed=True)
    if record is None or record.deleted == deleted:
        raise NotFoundError("record not found")
    t.execute(
        f"UPDATE {ddl.table(database.id)} SET version=version+1, changed_at=NOW(3), changed_by=%s, "
        f"deleted_at={'NOW(3)' if deleted else 'NULL'} WHERE id=%s",
        (origin.by, record_id),
    )
    if deleted:
        title = record.values.get(database.fields[0].id)
        name = None if title is None else str(title)
        trash.put(t, workspace_id, "record", record_id, name, origin.person, database.id, origin.run)
    else:
        trash.forget(t, workspace_id, "record", record_id, database.id)
    return _log(
        t, workspace_id, database.id, record_id, record.version + 1, "delete" if deleted else "restore", origin, None, None
    )
