"""All changes of tables. DDL commits by itself and queues behind open transactions while later readers queue behind it;
so it is asked for with NOWAIT and tried again, and what is asked for is kept as states that are reconciled at start."""

from __future__ import annotations

import random
import time
from collections.abc import Mapping, Sequence
from functools import partial

import pymysql

from kelvix.core.fields import TYPES
from kelvix.core.values import FieldId, Type
from kelvix.store.database_server import DatabaseServer, Transaction

TRIES = 200
BUSY = {1205, 1969}


def table(database_id: int) -> str:
    """Return the table of a database. Named by our own number, never by what a person typed."""
    return f"`record_{int(database_id)}`"


# The columns of what every record has of its own (core/schema.py).
RECORD_DATA: Mapping[FieldId, str] = {
    "number": "id",
    "created": "created_at",
    "created_by": "created_by",
    "changed": "changed_at",
    "changed_by": "changed_by",
}


def name(field_id: FieldId, part: str = "") -> str:
    """Of a field's column, or of that of a part which its first column does not hold."""
    return RECORD_DATA.get(field_id) or f"f_{int(field_id)}{part and '_' + part}"


def column(field_id: FieldId, part: str = "") -> str:
    return f"`{name(field_id, part)}`"


def columns(field_id: FieldId, type_: Type) -> dict[str, str]:
    """Return a field's columns, by part."""
    return {part: column(field_id, part) for part in ("", *TYPES[type_].more_columns)}


def _insist(server: DatabaseServer, statement: str) -> None:
    for tried in range(TRIES):
        try:
            server.read(lambda t: t.execute(statement))
            return
        except pymysql.err.OperationalError as error:
            if error.args[0] not in BUSY or tried == TRIES - 1:
                raise
            time.sleep(random.uniform(0.005, 0.05))


def _mark(server: DatabaseServer, what: str, row_id: int, before: str, after: str) -> None:
    server.transact(lambda t: t.execute(f"UPDATE `{what}` SET state=%s WHERE id=%s AND state=%s", (after, row_id, before)))


def _forget(t: Transaction, database_id: int, field_id: FieldId | None = None) -> None:
    """Forget a database, or one field of it, whose table or column went."""
    only, args = ("AND field_id=%s", (database_id, field_id)) if field_id else ("", (database_id,))
    t.execute(f"DELETE FROM record_label WHERE database_id=%s {only}", args)
    t.execute(
        "DELETE l FROM record_reference l JOIN field f ON l.field_id IN (f.id, f.back) "
        f"WHERE f.database_id=%s {only.replace('field_id', 'f.id')}",
        args,
    )
    t.execute(f"DELETE FROM field WHERE database_id=%s {only.replace('field_id', 'id')}", args)
    if field_id is None:
        t.execute("DELETE FROM view WHERE database_id=%s", (database_id,))
        t.execute("DELETE FROM `database` WHERE id=%s AND state='going'", (database_id,))


def _let_go_of_fields_to(t: Transaction, database_id: int) -> None:
    """Fields of others that refer to a database go with it."""
    t.execute("UPDATE field SET state='going' WHERE refers_to=%s AND database_id<>%s", (database_id, database_id))


def index(server: DatabaseServer, database_id: int, field_id: FieldId, type_: Type) -> None:
    """Let a field be looked up fast, by its first 60 characters where it is text. Writers are not held up meanwhile."""
    kept = TYPES[type_]
    if kept.column is None:
        return
    of = column(field_id) + (f"({kept.index_prefix})" if kept.index_prefix else "")
    called = f"`i_{int(field_id)}`"
    _insist(
        server, f"ALTER TABLE {table(database_id)} NOWAIT ADD INDEX IF NOT EXISTS {called} ({of}), ALGORITHM=INPLACE, LOCK=NONE"
    )


def view_index_name(view_id: int) -> str:
    """Return how the index of a view is called."""
    return f"`v_{int(view_id)}`"


def view_index(server: DatabaseServer, database_id: int, view_id: int, parts: Sequence[str]) -> None:
    """Give a view an index of its own over these columns, instead of the one it had. Writers are not held up meanwhile."""
    drop_view_index(server, database_id, view_id)
    added = f"ADD INDEX {view_index_name(view_id)} ({', '.join(parts)})"
    _insist(server, f"ALTER TABLE {table(database_id)} NOWAIT {added}, ALGORITHM=INPLACE, LOCK=NONE")


def drop_view_index(server: DatabaseServer, database_id: int, view_id: int) -> None:
    """Let go of a view's index, if it has one."""
    _insist(server, f"ALTER TABLE {table(database_id)} NOWAIT DROP INDEX IF EXISTS {view_index_name(view_id)}")


def reconcile(server: DatabaseServer, database_id: int | None = None) -> None:
    """Bring tables in line with the states of databases and fields: of one database, or of all."""
    only, args = ("AND d.id=%s", (database_id,)) if database_id else ("", ())
    for row in server.read(lambda t: t.rows(f"SELECT d.id FROM `database` d WHERE d.state='going' {only}", args)):
        server.transact(partial(_let_go_of_fields_to, database_id=row["id"]))
        _insist(server, f"DROP TABLE IF EXISTS {table(row['id'])}")
        server.transact(partial(_forget, database_id=row["id"]))
    for row in server.read(lambda t: t.rows(f"SELECT d.id FROM `database` d WHERE d.state='adding' {only}", args)):
        _insist(
            server,
            f"CREATE TABLE IF NOT EXISTS {table(row['id'])} ("
            "id BIGINT AUTO_INCREMENT PRIMARY KEY, version INT NOT NULL DEFAULT 1, "
            "created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3), "
            "changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3), deleted_at DATETIME(3), "
            "f_0 MEDIUMTEXT)",
        )
        by = ", ".join(f"ADD COLUMN IF NOT EXISTS {one} VARCHAR(200)" for one in ("created_by", "changed_by"))
        _insist(server, f"ALTER TABLE {table(row['id'])} NOWAIT {by}, ALGORITHM=INSTANT")
        _mark(server, "database", row["id"], "adding", "ready")
    for row in server.read(
        lambda t: t.rows(
            "SELECT f.id, f.database_id, f.type, f.state FROM field f JOIN `database` d ON d.id = f.database_id "
            f"WHERE f.state IN ('adding','dropping','going') {only} ORDER BY f.id",
            args,
        )
    ):
        target, type_ = table(row["database_id"]), TYPES[row["type"]]
        if row["state"] == "adding":
            if type_.column is not None:
                kinds = {"": type_.column, **type_.more_columns}
                added = ", ".join(f"ADD COLUMN IF NOT EXISTS {column(row['id'], p)} {kind}" for p, kind in kinds.items())
                _insist(server, f"ALTER TABLE {target} NOWAIT {added}, ALGORITHM=INSTANT")
            _mark(server, "field", row["id"], "adding", "ready")
        elif row["state"] == "dropping":  # the column stays, so that its values come back with it
            _mark(server, "field", row["id"], "dropping", "gone")
        else:
            _insist(server, f"ALTER TABLE {target} NOWAIT DROP INDEX IF EXISTS `i_{int(row['id'])}`")
            dropped = ", ".join(f"DROP COLUMN IF EXISTS {c}" for c in columns(row["id"], row["type"]).values())
            _insist(server, f"ALTER TABLE {target} NOWAIT {dropped}")
            server.transact(partial(_forget, database_id=row["database_id"], field_id=row["id"]))
    if database_id is None:  # whoever remembers how tables were reads them anew
        server.transact(lambda t: t.execute("UPDATE counter SET n=n+1 WHERE name='schema'"))
