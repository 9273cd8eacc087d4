"""The databases of a workspace and their fields."""

from __future__ import annotations

from dataclasses import dataclass

from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Comparison
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId
from kelvix.engine import using
from kelvix.engine.engine import Engine
from kelvix.engine.using import Use
from kelvix.store import changes, databases, query, trash
from kelvix.store.database_server import Transaction
from kelvix.store.databases import MAX_COUNTED, NewField, add_choice, add_field, change_field, create, order_fields
from kelvix.workspace import Space
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import check_unused

__all__ = ["MAX_COUNTED", "NewField", "add_choice", "add_field", "change_field", "create", "order_fields"]


@dataclass(frozen=True)
class Counted:
    """A database with how many records it holds, up to one more than MAX_COUNTED, and up to which change that is so."""

    database: Database
    records: int
    counted_to: int


def load(space: Space) -> dict[int, Database]:
    return space.read(lambda t: databases.load(t, space.id))


def get(space: Space, database_id: int) -> Database:
    """Return a database of this workspace. Raises NotFoundError."""
    found = space.read(lambda t: databases.get(t, space.id, database_id))
    if found is None:
        raise NotFoundError("database not found")
    return found


def counted(space: Space, only: Database | None = None) -> list[Counted]:
    """Count the records of all databases, or of one: anew where a change came meanwhile, as long as that does not go on."""

    def work(t: Transaction) -> list[Counted]:
        several = [only] if only else list(databases.load(t, space.id).values())
        for _ in range(3):
            counted_to = changes.last(t, space.id)
            counts = [databases.count(t, d.id) for d in several]
            if changes.last(t, space.id) == counted_to:
                break
        return [Counted(d, n, counted_to) for d, n in zip(several, counts, strict=True)]

    return space.read(work)


def rename(space: Space, database_id: int, name: str) -> None:
    """Rename a database. Raises NotFoundError."""
    if not databases.rename(space, database_id, name):
        raise NotFoundError("database not found")


def lacking(space: Space, database: Database, field_id: FieldId) -> int:
    """Count the records in which a field is empty, no further than one more than MAX_COUNTED. Raises NotFoundError."""
    if database.field(field_id) is None:
        raise NotFoundError("field not found")
    return space.read(lambda t: query.count(t, database, Comparison(field_id, "empty"), space.zone, MAX_COUNTED + 1))


def delete(engine: Engine, space: Space, database: Database, person: Person, anyway: bool) -> list[int]:
    """Put a database into the trash: the entries that bring it back. Raises InUse, unless `anyway`."""
    check_unused(database.name, using.of_database(engine, space, database.id), anyway)
    databases.delete(space, database, person.name)
    return space.read(lambda t: trash.entries_of(t, space.id, "database", [database.id]))


def _uses_of_field(engine: Engine, space: Space, database: Database, field: Field) -> list[Use]:
    """Return what is on or paused and uses a field, or the one that refers back to it, which goes with it."""
    uses = using.of_field(engine, space, database, field.id)
    if field.refers_to is not None and field.back is not None:
        uses += [u for u in using.of_field(engine, space, get(space, field.refers_to), field.back) if u not in uses]
    return uses


def remove_field(
    engine: Engine, space: Space, database: Database, field_id: FieldId, person: Person, anyway: bool
) -> list[int]:
    """Put a field into the trash with its values: the entries that bring it back. Raises InUse, unless `anyway`."""
    field = database.field(field_id)
    if field is not None:
        check_unused(f"{database.name} › {field.name}", _uses_of_field(engine, space, database, field), anyway)
    databases.take_field_away(space, database, field_id, person.name)
    return space.read(lambda t: trash.entries_of(t, space.id, "field", [int(field_id)], database.id))
