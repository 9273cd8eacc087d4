"""What was deleted, and bringing it back."""

from __future__ import annotations

from collections.abc import Iterable

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database
from kelvix.store import databases, trash, workflows
from kelvix.store.trash import DAYS, Kind, Trashed
from kelvix.workspace import Space
from kelvix.workspace.refusals import NotNow

__all__ = ["DAYS", "Kind", "Trashed"]
ORDER: tuple[Kind, ...] = ("workflow", "database", "field", "record")  # a database comes back before what is in it
TOPICS: dict[Kind, str] = {"record": "records", "field": "databases", "database": "databases", "workflow": "workflows"}


def newest(space: Space, limit: int, before: int | None, kind: Kind | None) -> list[Trashed]:
    """Return what was deleted, the newest first."""
    return space.read(lambda t: trash.newest(t, space.id, limit, before, kind))


def restore(space: Space, entries: Iterable[int], by: Actor) -> list[Trashed]:
    """Bring things back, as they were deleted, a workflow turned off: the entries in the order in which that was done. Raises
    NotFoundError where one is not there any more, NotNow where what it was in is in the trash too."""
    asked = set(entries)
    found = space.read(lambda t: trash.many(t, space.id, sorted(asked)))
    if len(found) < len(asked):
        raise NotFoundError("this is no longer in the trash")
    back = sorted(found, key=lambda e: ORDER.index(e.kind))
    for entry in back:
        _restore(space, entry, by)
    return back


def _restore(space: Space, entry: Trashed, by: Actor) -> None:
    match entry.kind:
        case "record":
            database = _database(space, entry)
            space.transact(lambda t: write.restore(t, space.id, database, entry.item_id, by))
        case "field":
            databases.bring_field_back(space, _database(space, entry), str(entry.item_id))
        case "database":
            databases.bring_back(space, entry.item_id)
        case "workflow":
            space.transact(lambda t: workflows.bring_back(t, space.id, entry.item_id))


def _database(space: Space, entry: Trashed) -> Database:
    found = space.read(lambda t: databases.get(t, space.id, entry.database_id))
    if found is None:
        name = entry.database or "its database"
        raise NotNow(f"{name[:1].upper()}{name[1:]} is in the trash too.", "Restore the database first.")
    return found
