"""Views of databases, and what they show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import date, datetime
from typing import Annotated

from fastapi import APIRouter, Header
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.databases import RecordOut, record_out
from kelvix.api.filters import ComparingOut, FilterBody, comparing_out, filter_out
from kelvix.api.problems import Problem
from kelvix.core import views as core
from kelvix.core.query import Order
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Wire, to_wire, whole
from kelvix.core.views import FIGURES, NARROWEST, WIDEST, Column, Figure, Kind, Mark, Tone, Total, View
from kelvix.workspace import calendars, databases, views
from kelvix.workspace.refusals import NotValid
from kelvix.workspace.views import Group, KeptView, Shown

router = APIRouter(prefix="/api/v1", tags=["views"])


class OrderBody(BaseModel):
    field: FieldId
    descending: bool = False


class ColumnBody(BaseModel):
    field: FieldId
    width: int | None = Field(None, ge=NARROWEST, le=WIDEST, description="in px")


class TotalBody(BaseModel):
    field: FieldId
    figure: Figure = "sum"


class MarkBody(BaseModel):
    """How records stand out for which a condition holds."""

    filter: FilterBody
    tone: Tone = "look"


class ViewBody(BaseModel):
    """How a database is looked at. Without columns all fields are shown; without an order the newest records come first."""

    kind: Kind = "table"
    filter: FilterBody = FilterBody(tests=[])
    order: list[OrderBody] = Field([], max_length=5)
    group: FieldId | None = None
    columns: list[ColumnBody] = Field([], max_length=500)
    frozen: int = Field(1, ge=0, le=10, description="how many of the first columns stay in sight")
    totals: list[TotalBody] = Field([], max_length=50)
    marks: list[MarkBody] = Field([], max_length=20)
    by: FieldId | None = Field(None, description="of a calendar: the field that dates records")


class NamedView(BaseModel):
    name: str = Field(max_length=200, examples=["Open, by stage"])
    view: ViewBody


class ViewOut(BaseModel):
    id: int
    name: str
    version: int
    view: ViewBody


class FieldChoices(BaseModel):
    """What can be chosen of a field in a view."""

    comparing: list[ComparingOut]
    figures: list[Figure]
    sorts: bool
    groups: bool
    dates: bool
    orders: tuple[str, str] = Field(description="how its order is said, rising and falling")


class FigureWords(BaseModel):
    figure: Figure
    words: str


class ViewsOut(BaseModel):
    """The views of a database, in their order, and what can be chosen of each field in one."""

    views: list[ViewOut]
    fields: dict[FieldId, FieldChoices]
    figures: list[FigureWords]


class ViewsOrder(BaseModel):
    views: list[int] = Field(max_length=200)


class Asked(BaseModel):
    """A view to be answered, as it is or as it is being edited. `saved`: the kept view that it is, or was begun from."""

    view: ViewBody
    saved: int | None = None
    after: str | None = Field(None, max_length=20_000)


class GroupPlaces(BaseModel):
    """The records of a group, in order; `key` is empty where they have nothing in the field."""

    key: str | None
    records: list[int]


class PlacesOut(BaseModel):
    groups: list[GroupPlaces]
    next: str | None = Field(description="the cursor of the following page: give it as `after`")


class GroupOut(BaseModel):
    """`value`: what its records have in the field; `totals`: the figures asked for, each a value for each of its currencies."""

    key: str | None
    value: Wire
    records: int
    totals: list[list[Wire]]


class FiguresOut(BaseModel):
    """`records` counts each record once, under however many labels it stands."""

    records: int
    totals: list[list[Wire]]
    groups: list[GroupOut]


class Beginning(Asked):
    """A view in which a record is added, on a calendar at a day."""

    at: date | None = None


class BegunOut(BaseModel):
    """What a new record is filled with, so that a view shows it."""

    values: dict[FieldId, Wire]


class ShownBody(BaseModel):
    records: list[int] = Field(max_length=200)
    marks: list[MarkBody] = Field([], max_length=20)


class ShownRecord(BaseModel):
    """A record, and which of the marks holds for it."""

    record: RecordOut
    mark: int | None


class DaysAsked(BaseModel):
    """A calendar to be answered, from a first to a last day."""

    view: ViewBody
    first: date
    last: date


class DayPiece(BaseModel):
    """What falls on one day, from minute to minute as a clock on the wall shows them; `lane`: its place beside what overlaps
    it."""

    day: date
    start: int
    end: int
    begins: bool
    ends: bool
    lane: int
    lanes: int


class DatedRecord(BaseModel):
    """A record on a calendar. `start` and `end` are as a clock on the wall shows them, in the workspace's zone; without a clock
    they are days. `row`: where it is drawn among those that take whole days."""

    shown: ShownRecord
    start: datetime
    end: datetime
    has_clock: bool
    pieces: list[DayPiece]
    row: int


class CalendarOut(BaseModel):
    """`more`: there are more than are told; `undated`: records without a date, the first of `undated_count`."""

    today: date
    minute: int = Field(description="of today, as a clock on the wall shows it")
    dated: list[DatedRecord]
    more: bool
    undated: list[ShownRecord]
    undated_count: int


def _view(who: Caller, database: Database, body: ViewBody) -> View:
    """Return the view that is meant. Raises NotValid."""
    there = {f.id: f for f in database.readable}

    def known(field: FieldId, does: bool, what: str) -> FieldId:
        if field not in there:
            raise NotValid("A field of this view was removed.", "Choose another field.")
        if not does:
            raise NotValid(f"{there[field].name} can’t be used {what}.", "Choose another field.")
        return field

    choices = _choices(database)

    def total(t: TotalBody) -> Total:
        return Total(known(t.field, t.figure in _of(choices, t.field).figures, "for this figure"), t.figure)

    return View(
        body.kind,
        body.filter.where(who.space, database.readable),
        tuple(Order(known(o.field, _of(choices, o.field).sorts, "for sorting"), o.descending) for o in body.order),
        known(body.group, _of(choices, body.group).groups, "for grouping") if body.group is not None else None,
        tuple(Column(known(c.field, True, "as a column"), c.width) for c in body.columns),
        body.frozen,
        tuple(map(total, body.totals)),
        _marks(who, database, body.marks),
        known(body.by, _of(choices, body.by).dates, "as a date") if body.by is not None else None,
    )


def _marks(who: Caller, database: Database, bodies: Sequence[MarkBody]) -> tuple[Mark, ...]:
    """Return the marks that are meant, but for those without a condition. Raises NotValid."""
    made = ((body.filter.where(who.space, database.readable), body.tone) for body in bodies)
    return tuple(Mark(where, tone) for where, tone in made if where is not None)


NOTHING = FieldChoices(comparing=[], figures=[], sorts=False, groups=False, dates=False, orders=("", ""))


def _of(choices: dict[FieldId, FieldChoices], field: FieldId) -> FieldChoices:
    return choices.get(field, NOTHING)


def _choices(database: Database) -> dict[FieldId, FieldChoices]:
    compared = comparing_out(database.readable)
    return {
        f.id: FieldChoices(
            comparing=compared[f.id],
            figures=list(core.figures_of(f)),
            sorts=core.is_sorted(f),
            groups=core.is_grouped(f),
            dates=core.is_dated(f),
            orders=core.order_words(f),
        )
        for f in database.readable
    }


def _body(who: Caller, database: Database, view: View) -> ViewBody:
    return ViewBody(
        kind=view.kind,
        filter=filter_out(who.space, database.readable, view.where),
        order=[OrderBody(field=o.field, descending=o.descending) for o in view.order],
        group=view.group,
        columns=[ColumnBody(field=c.field, width=c.width) for c in view.columns],
        frozen=view.frozen,
        by=view.by,
        totals=[TotalBody(field=t.field, figure=t.figure) for t in view.totals],
        marks=[MarkBody(filter=filter_out(who.space, database.readable, m.where), tone=m.tone) for m in view.marks],
    )


def _out(who: Caller, database: Database, kept: KeptView) -> ViewOut:
    return ViewOut(id=kept.id, name=kept.name, version=kept.version, view=_body(who, database, kept.view))


@router.get("/databases/{database_id}/views")
def list_views(who: Reader, database_id: int) -> ViewsOut:
    """Return the views of a database, and what can be chosen in one."""
    database = databases.get(who.space, database_id)
    return ViewsOut(
        views=[_out(who, database, one) for one in views.list_all(who.space, database)],
        fields=_choices(database),
        figures=[FigureWords(figure=f, words=w) for f, w in FIGURES.items()],
    )


@router.post("/databases/{database_id}/views", status_code=201)
def create_view(who: Editor, database_id: int, body: NamedView) -> ViewOut:
    database = databases.get(who.space, database_id)
    made = views.create(who.space, database, body.name, _view(who, database, body.view), who.person)
    who.announce("views")
    return _out(who, database, made)


@router.put("/databases/{database_id}/views/{view_id}")
def save_view(
    who: Editor, database_id: int, view_id: int, body: NamedView, if_match: Annotated[str | None, Header()] = None
) -> ViewOut:
    """`If-Match` names the version that was edited."""
    saw = whole((if_match or "").strip().strip('"'))
    if saw is None:
        raise Problem(428, "The view’s version is missing.", 'Send it as If-Match: "3".')
    database = databases.get(who.space, database_id)
    kept = views.save(who.space, database, view_id, saw, body.name, _view(who, database, body.view))
    who.announce("views")
    return _out(who, database, kept)


@router.delete("/databases/{database_id}/views/{view_id}", status_code=204)
def delete_view(who: Editor, database_id: int, view_id: int) -> None:
    """Delete a view. The records stay as they are."""
    views.delete(who.space, databases.get(who.space, database_id), view_id)
    who.announce("views")


@router.put("/databases/{database_id}/views", status_code=204)
def order_views(who: Editor, database_id: int, body: ViewsOrder) -> None:
    """Put the views of a database into an order."""
    views.put_in_order(who.space, databases.get(who.space, database_id), body.views)
    who.announce("views")


@router.post("/databases/{database_id}/places")
def list_places(who: Reader, database_id: int, body: Asked) -> PlacesOut:
    """Return which records a view shows, in which order and under which groups. Nothing is kept."""
    database = databases.get(who.space, database_id)
    kept = views.get(who.space, database, body.saved) if body.saved is not None else None
    found, after = views.places(who.space, database, _view(who, database, body.view), body.after, kept)
    groups: dict[str | None, list[int]] = {}
    for place in found:
        groups.setdefault(place.group, []).append(place.record)
    return PlacesOut(groups=[GroupPlaces(key=key, records=ids) for key, ids in groups.items()], next=after)


@router.post("/databases/{database_id}/figures")
def read_figures(who: Reader, database_id: int, body: Asked) -> FiguresOut:
    """Return how many records a view shows, with its totals, and the same of each group. Nothing is kept."""
    database = databases.get(who.space, database_id)
    whole, groups = views.figures(who.space, database, _view(who, database, body.view))
    return FiguresOut(records=whole.records, totals=_totals(whole), groups=[_group(one) for one in groups])


def _totals(of: Group) -> list[list[Wire]]:
    return [list(one) for one in of.totals]


def _group(one: Group) -> GroupOut:
    return GroupOut(key=one.key, value=one.value, records=one.records, totals=_totals(one))


@router.post("/databases/{database_id}/begun")
def read_begun(who: Reader, database_id: int, body: Beginning) -> BegunOut:
    """Return what a new record is filled with so that a view shows it. Nothing is kept."""
    database = databases.get(who.space, database_id)
    today = datetime.now(who.space.zone).date()
    values = core.begun_with(_view(who, database, body.view), database, today, body.at or today)
    return BegunOut(values={key: to_wire(value) for key, value in values.items()})


@router.post("/databases/{database_id}/shown")
def read_shown(who: Reader, database_id: int, body: ShownBody) -> list[ShownRecord]:
    """Return those of these records that are there, each with the first of the marks that holds for it."""
    database = databases.get(who.space, database_id)
    marks = _marks(who, database, body.marks)
    return [_shown(one) for one in views.shown(who.space, database, marks, body.records)]


def _shown(one: Shown) -> ShownRecord:
    return ShownRecord(record=record_out(one.record), mark=one.mark)


@router.post("/databases/{database_id}/calendar")
def read_calendar(who: Reader, database_id: int, body: DaysAsked) -> CalendarOut:
    """Return what a calendar shows of some days, and the records that have no date. Nothing is kept."""
    database = databases.get(who.space, database_id)
    found = calendars.read(who.space, database, _view(who, database, body.view), body.first, body.last)
    now = datetime.now(who.space.zone)
    return CalendarOut(
        today=now.date(),
        minute=now.hour * 60 + now.minute,
        dated=[
            DatedRecord(
                shown=_shown(one.shown),
                start=one.stretch.start,
                end=one.stretch.end,
                has_clock=one.stretch.has_clock,
                pieces=[DayPiece(**asdict(piece)) for piece in one.pieces],
                row=one.row,
            )
            for one in found.dated
        ],
        more=found.more,
        undated=[_shown(one) for one in found.undated],
        undated_count=found.undated_count,
    )
