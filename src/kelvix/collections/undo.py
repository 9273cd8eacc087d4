"""Undoing one change of a record: what was written is set back, unless it was changed again since."""

from __future__ import annotations

from kelvix.collections import write
from kelvix.collections.write import Actor, Wrong
from kelvix.core.fields import from_wire
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value
from kelvix.store import changes, databases, records
from kelvix.store.changes import Change
from kelvix.store.database_server import Transaction


class CannotUndo(Exception):
    """The message says why, and what is there now."""


def undo(t: Transaction, workspace_id: int, seq: int, actor: Actor, run: int | None = None) -> int:
    """Undo one change: the number of the change that does so. Raises NotFoundError, CannotUndo. A field that was changed
    again since is not touched; where that is so nothing is undone. `run`: all changes of this run are being undone."""
    change = changes.get(t, workspace_id, seq)
    database = databases.get(t, workspace_id, change.database_id) if change else None
    if change is None or database is None:
        raise NotFoundError("change not found")
    record = records.get(t, database, change.record_id, lock=True, trashed=True)
    if record is None:
        raise NotFoundError("record not found")
    match change.kind:
        case "update" | "linked":
            return _undo_update(t, workspace_id, database, change, record, actor)
        case "add" | "restore" if not record.deleted:
            if record.version != change.version and changes.is_followed(t, workspace_id, change, run):
                raise CannotUndo("the record was changed since then; delete it by hand if you don’t want it")
            return write.delete(t, workspace_id, database, record.id, actor)
        case "delete" if record.deleted:
            return write.restore(t, workspace_id, database, record.id, actor)
    raise CannotUndo("already undone")


def _undo_update(
    t: Transaction, workspace_id: int, database: Database, change: Change, record: records.Record, actor: Actor
) -> int:
    if record.deleted:
        raise CannotUndo("the record is in the trash; restore it first")
    values: dict[FieldId, Value] = {}
    now = records.wire(record.values)
    for key, was in (change.before or {}).items():
        field = database.field(key)
        if field is None:
            continue
        then = (change.after or {}).get(key)
        if now.get(key) != then and record.values[field.id] != from_wire(then, field.type):
            raise CannotUndo(f"{field.name} was changed again since then; change it by hand")
        values[field.id] = from_wire(was, field.type)
    try:
        return write.change(t, workspace_id, database, record, values, actor)
    except Wrong as wrong:
        raise CannotUndo(str(wrong)) from None
