"""Places of apps that lines work on, seen as databases."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Editor, Reader
from kelvix.api.databases import DatabaseOut, NewChoiceIn, database_out
from kelvix.api.field_types import KnownType
from kelvix.core.sheets.layout import Rule
from kelvix.core.values import FieldId
from kelvix.workspace import places, sheets

router = APIRouter(prefix="/api/v1", tags=["places"])


class PlaceIn(BaseModel):
    connection: int
    place: str = Field(max_length=200, description="the place's identity in its app")


class PlaceFieldIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    type: KnownType


class LayoutIn(BaseModel):
    """What a person says of a sheet."""

    header: int | None = Field(None, ge=0, le=20, description="the row of its header, counted from 1; 0: it has none")
    key: str | None = Field(None, max_length=20, description="the column by which rows are told apart")


class SheetColumnOut(BaseModel):
    id: str
    name: str
    type: str
    is_formula: bool = Field(description="whether all that is in it is calculated")


class LayoutOut(BaseModel):
    """A sheet as it is now."""

    header: int | None = Field(description="the row of its header, counted from 1")
    said: LayoutIn
    columns: list[SheetColumnOut]
    rows: list[list[str]] = Field(description="the first ones, as texts")


@router.get("/places")
def list_places(who: Reader) -> list[DatabaseOut]:
    """Return the places that were chosen here, each as it was last read."""
    return [database_out(d) for d in places.list_all(who.space)]


@router.post("/places")
def look_at_place(who: Editor, body: PlaceIn) -> DatabaseOut:
    """Read what the items of a place have, now: it can be worked on under the number that this gives."""
    seen = places.look(who.engine, who.space, body.connection, body.place)
    who.announce("places")
    return database_out(seen)


@router.post("/places/{place_id}/fields", status_code=201)
def make_field_of_place(who: Editor, place_id: int, body: PlaceFieldIn) -> DatabaseOut:
    """Make a field that items of a place can have, where its app lets one: the place as it is then."""
    made = places.make_field(who.engine, who.space, place_id, body.name, body.type)
    who.announce("places")
    return database_out(made)


@router.post("/places/{place_id}/fields/{field_id}/choices", status_code=201)
def make_choice_of_place(who: Editor, place_id: int, field_id: FieldId, body: NewChoiceIn) -> DatabaseOut:
    """Give a field of a place another choice, where its app lets one: the place as it is then."""
    made = places.make_choice(who.engine, who.space, place_id, field_id, body.name)
    who.announce("places")
    return database_out(made)


@router.get("/places/{place_id}/sheet")
def sheet_layout(who: Reader, place_id: int) -> LayoutOut:
    """Read where the header of a sheet is, and by what its rows are told apart."""
    found = sheets.get(who.engine, who.space, place_id)
    return LayoutOut(
        header=found.header,
        said=LayoutIn(header=found.rule.header, key=found.rule.key),
        columns=[SheetColumnOut(id=c.id, name=c.name, type=c.type, is_formula=c.is_formula) for c in found.columns],
        rows=[list(row) for row in found.rows],
    )


@router.put("/places/{place_id}/sheet")
def set_sheet_layout(who: Editor, place_id: int, body: LayoutIn) -> DatabaseOut:
    """Say where the header of a sheet is, and by which column its rows are told apart: the place as it is then."""
    seen = sheets.set_rule(who.engine, who.space, place_id, Rule(body.header, body.key))
    who.announce("places")
    return database_out(seen)
