"""What was deleted, and bringing it back."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database
from kelvix.engine.using import Use
from kelvix.store import databases, trash, workflows
from kelvix.store.records import Origin
from kelvix.store.trash import DAYS, Kind, Trashed

router = APIRouter(prefix="/api/v1", tags=["trash"])
ORDER: tuple[Kind, ...] = (
    "workflow",
    "database",
    "field",
    "record",
)  # in which things come back: a database before what is in it


class UseOut(BaseModel):
    """What uses a thing: a workflow that is on or paused, or an address that captures."""

    kind: Literal["workflow", "address"]
    id: int
    name: str


class Deleted(BaseModel):
    """`entries` bring it back, by /trash/restore."""

    entries: list[int]


class TrashedOut(BaseModel):
    id: int
    kind: Kind
    name: str | None
    database: str | None = Field(description="the database that a record or a field is of")
    deleted_by: str
    at: datetime
    until: datetime = Field(description="when it goes for good")


class TrashOut(BaseModel):
    entries: list[TrashedOut]
    next: int | None


class EntriesIn(BaseModel):
    entries: list[int] = Field(min_length=1, max_length=500)


class Restored(BaseModel):
    """What came back, by its kind and number."""

    kind: Kind
    database: int | None
    id: int


def uses_out(uses: list[Use]) -> list[UseOut]:
    return [UseOut(kind=u.kind, id=u.id, name=u.name) for u in uses]


def ask_first(name: str, uses: list[Use], anyway: bool) -> None:
    """Refuse to delete what is in use, unless the caller knows. Raises Problem."""
    if not uses or anyway:
        return
    listed = ", ".join(f"the address {u.name}" if u.kind == "address" else u.name for u in uses)
    raise Problem(
        409,
        f"{name} is used by {listed}.",
        "Edit those first, or delete it with anyway=true: they will fail until it is restored.",
        uses=[u.model_dump() for u in uses_out(uses)],
    )


def _out(entry: Trashed) -> TrashedOut:
    return TrashedOut(
        id=entry.id,
        kind=entry.kind,
        name=entry.name,
        database=entry.database,
        deleted_by=entry.deleted_by,
        at=entry.at,
        until=entry.at + timedelta(days=DAYS),
    )


@router.get("/trash")
def list_trash(
    who: Reader,
    kind: Kind | None = None,
    before: int | None = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> TrashOut:
    """Return what was deleted within 30 days, the newest first. `next` is the cursor of the following page: give it as
    `before`."""
    found = who.space.read(lambda t: trash.newest(t, who.space.id, limit, before, kind))
    return TrashOut(entries=[_out(e) for e in found], next=found[-1].id if len(found) == limit else None)


@router.post("/trash/restore")
def restore(who: Editor, body: EntriesIn) -> list[Restored]:
    """Bring things back, as they were deleted; a workflow is off then."""
    asked = set(body.entries)
    found = list(who.space.read(lambda t: trash.many(t, who.space.id, sorted(asked))))
    if len(found) < len(asked):
        raise NotFoundError("this item is no longer in the trash")
    found.sort(key=lambda e: ORDER.index(e.kind))
    back = [_restore(who, entry) for entry in found]
    who.announce("trash")
    return back


def _restore(who: Caller, entry: Trashed) -> Restored:
    match entry.kind:
        case "record":
            database = _database(who, entry)
            actor = Actor.of(who.person, Origin(person=who.person.name, token=None if who.session else "a script"))
            who.space.transact(lambda t: write.restore(t, who.space.id, database, entry.item_id, actor))
            who.announce("records")
        case "field":
            databases.bring_field_back(who.space, _database(who, entry), str(entry.item_id))
            who.announce("databases")
        case "database":
            databases.bring_back(who.space, entry.item_id)
            who.announce("databases")
        case "workflow":
            who.space.transact(lambda t: workflows.bring_back(t, who.space.id, entry.item_id))
            who.announce("workflows")
    return Restored(kind=entry.kind, database=entry.database_id or None, id=entry.item_id)


def _database(who: Caller, entry: Trashed) -> Database:
    found = who.space.read(lambda t: databases.get(t, who.space.id, entry.database_id))
    if found is None:
        name = entry.database or "its database"
        raise Problem(409, f"{name[:1].upper()}{name[1:]} is in the trash too.", "Restore the database first.")
    return found
