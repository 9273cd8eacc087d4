"""The only way in which records are written: by hand, by a capture, a workflow, an import, an undoing, a script.

What may be written is checked here, once for all of them: who may write at all, that the fields are there and their values are
what they keep, and that what must be filled is. The version that a writer saw and the log of changes go along; so does the
transaction of the caller, in which a run shows its token and an idempotency key is kept: a write is there with all that follows
from it, or not at all."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Unfit, Value
from kelvix.store import record_writing
from kelvix.store.database_server import Transaction
from kelvix.store.people import MAY_WRITE, Person
from kelvix.store.records import Origin, Record


class NotAllowed(PermissionError):
    """Who writes may only read."""


class Wrong(Unfit):
    """What was to be written does not fit its fields: a sentence for each."""

    def __init__(self, fields: Mapping[FieldId, str]):
        super().__init__("; ".join(fields.values()))
        self.fields = dict(fields)


@dataclass(frozen=True)
class Actor:
    """Who or what writes, as the log of changes tells it, and whether they may. Only who may write turns a workflow on."""

    origin: Origin
    may_write: bool = True

    @staticmethod
    def of(person: Person, origin: Origin) -> Actor:
        """Somebody of the workspace, who may what their role may."""
        return Actor(origin, person.role in MAY_WRITE)


def add(
    t: Transaction, workspace_id: int, database: Database, values: Mapping[FieldId, Value], actor: Actor
) -> tuple[int, int]:
    """Add a record, and return its id and its change's number, which is not known yet where a run makes it. Raises Wrong,
    NotAllowed."""
    return record_writing.add(t, workspace_id, database, _checked(database, values, actor, complete=True), actor.origin)


def add_later(
    t: Transaction,
    workspace_id: int,
    database: Database,
    values: Mapping[FieldId, Value],
    actor: Actor,
    then: Callable[[int], object],
) -> None:
    """Add a record with the next statement of the transaction; `then` is told its id. Raises Wrong, NotAllowed."""
    record_writing.add_later(t, workspace_id, database, _checked(database, values, actor, complete=True), actor.origin, then)


def update(
    t: Transaction,
    workspace_id: int,
    database: Database,
    record_id: int,
    saw_version: int,
    values: Mapping[FieldId, Value],
    actor: Actor,
) -> int:
    """Change fields of a record that the writer saw at a version: the change's number. Raises Stale where it was changed since,
    NotFoundError, Wrong, NotAllowed."""
    checked = _checked(database, values, actor)
    return record_writing.update(t, workspace_id, database, record_id, saw_version, checked, actor.origin)


def change(
    t: Transaction, workspace_id: int, database: Database, record: Record, values: Mapping[FieldId, Value], actor: Actor
) -> int:
    """Change fields of a record that this transaction has locked: the change's number. Raises Wrong, NotAllowed."""
    return record_writing.change(t, workspace_id, database, record, _checked(database, values, actor), actor.origin)


def delete(t: Transaction, workspace_id: int, database: Database, record_id: int, actor: Actor) -> int:
    """Move a record into the trash: the change's number. Raises NotFoundError, NotAllowed."""
    _may(actor)
    return record_writing.set_deleted(t, workspace_id, database, record_id, True, actor.origin)


def restore(t: Transaction, workspace_id: int, database: Database, record_id: int, actor: Actor) -> int:
    """Bring a record back from the trash: the change's number. Raises NotFoundError, NotAllowed."""
    _may(actor)
    return record_writing.set_deleted(t, workspace_id, database, record_id, False, actor.origin)


def check(database: Database, values: Mapping[FieldId, Value], complete: bool) -> dict[FieldId, str]:
    """Return what is wrong with values, by field. `complete`: they are a whole record."""
    wrong: dict[FieldId, str] = {}
    for field in database.fields:
        value = values.get(field.id)
        if value is None:
            if field.required and (complete or field.id in values):
                wrong[field.id] = f"{field.name} is required"
        elif not TYPES[field.type].holds(value):
            wrong[field.id] = f"{field.name} takes {TYPES[field.type].with_article}, and this is not one"
    return wrong


def _checked(database: Database, values: Mapping[FieldId, Value], actor: Actor, complete: bool = False) -> dict[FieldId, Value]:
    _may(actor)
    if any(database.field(f) is None for f in values):
        raise NotFoundError("field not found")
    if wrong := check(database, values, complete):
        raise Wrong(wrong)
    return dict(values)


def _may(actor: Actor) -> None:
    if not actor.may_write:
        raise NotAllowed("records here are read-only")
