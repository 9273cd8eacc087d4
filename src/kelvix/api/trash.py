"""What was deleted, and bringing it back."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from kelvix.api.access import Editor, Reader
from kelvix.engine.using import Use
from kelvix.workspace import records, trash
from kelvix.workspace.trash import DAYS, TOPICS, Kind, Trashed

router = APIRouter(prefix="/api/v1", tags=["trash"])


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
    until: datetime = Field(description="when it is deleted permanently")


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
    found = trash.newest(who.space, limit, before, kind)
    return TrashOut(entries=[_out(e) for e in found], next=found[-1].id if len(found) == limit else None)


@router.post("/trash/restore")
def restore(who: Editor, body: EntriesIn) -> list[Restored]:
    """Bring things back, as they were deleted; a workflow is off then."""
    back = trash.restore(who.space, body.entries, records.actor(who.person, by_script=who.session is None))
    who.announce("trash", *sorted({TOPICS[e.kind] for e in back}))
    return [Restored(kind=e.kind, database=e.database_id or None, id=e.item_id) for e in back]
