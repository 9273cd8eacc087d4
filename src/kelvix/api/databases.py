"""Databases, their fields, their records, and undoing changes."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header, Query
from pydantic import BaseModel, Field

from kelvix.api import idempotency
from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.field_types import KnownType
from kelvix.api.problems import Problem
from kelvix.api.trash import Deleted, UseOut, uses_out
from kelvix.collections.write import Actor
from kelvix.core import collection, query, schema
from kelvix.core.collection import Item
from kelvix.core.schema import Database, Outside
from kelvix.core.values import FieldId, Type, Wire, whole
from kelvix.engine import using
from kelvix.workspace import databases, records
from kelvix.workspace.databases import MAX_COUNTED, Counted, NewField
from kelvix.workspace.records import Change, Record

router = APIRouter(prefix="/api/v1", tags=["databases"])


class ChoiceOut(BaseModel):
    id: str
    name: str


class FieldOut(BaseModel):
    """The field called 0 is the records' text."""

    id: FieldId
    name: str
    type: Type
    required: bool
    choices: list[ChoiceOut]
    grows: bool = Field(description="whether what is written to it may add choices")
    refers_to: int | None = Field(None, description="the database whose records are its values")
    back: FieldId | None = Field(None, description="the field of that database that refers back")
    can_write: bool = True
    counts: bool = Field(True, description="whether another value of it is a change of its item, as where a row stands is none")


class OperationOut(BaseModel):
    """Something that an app does to an item, and what it takes."""

    code: str
    words: str
    inputs: list[FieldOut]


class OutsideOut(BaseModel):
    """The place of an app that a database is: its app, the words for it and its items, and what can be done to these."""

    connection: int
    place: str
    app: str
    app_name: str
    place_word: str
    places_word: str
    item_word: str
    items_word: str
    link: str
    writes: list[str]
    operations: list[OperationOut] = Field(description="what else can be done to its items")
    makes: bool = Field(description="whether fields can be made in it")
    is_sheet: bool = Field(description="whether its items are rows of a sheet, which have no identity in their app")


class DatabaseOut(BaseModel):
    id: int
    name: str
    fields: list[FieldOut]
    own_data: list[FieldOut] = Field([], description="what its records have beside their fields, as when they were made")
    outside: OutsideOut | None = Field(None, description="of a place of an app, which is seen as a database")
    records: int | None = Field(None, description="how many it holds, counted no further than a number")
    more: bool = Field(False, description="whether it holds more records than were counted")
    counted_to: int | None = Field(None, description="the number of the newest change that was counted")


class NewFieldIn(BaseModel):
    name: str = Field(max_length=200, examples=["Received"])
    type: KnownType
    required: bool = False
    choices: list[str] = []
    grows: bool = False
    refers_to: int | None = Field(None, description="of a field of references: the database whose records are its values")
    back_name: str | None = Field(None, max_length=200, description="how the field there is called that refers back")

    def plain(self) -> NewField:
        return NewField(
            self.name, self.type, self.required, tuple(self.choices), self.grows, self.refers_to, self.back_name or ""
        )


class DatabaseIn(BaseModel):
    name: str = Field(max_length=200, examples=["Enquiries"])
    fields: list[NewFieldIn] = []


class NewChoiceIn(BaseModel):
    name: str = Field(min_length=1, max_length=100)


class FieldChange(BaseModel):
    name: str | None = Field(None, max_length=200)
    required: bool | None = None
    choices: list[str] | None = None
    grows: bool | None = None


class OrderIn(BaseModel):
    fields: list[FieldId] = Field(min_length=1, max_length=500)


class Lacking(BaseModel):
    """`more`: there are more than were counted."""

    records: int
    more: bool


class NameIn(BaseModel):
    name: str = Field(max_length=200)


class RecordOut(BaseModel):
    """`values` are by field id, in their JSON form; a choice is given by its id."""

    id: int
    version: int
    created_at: datetime
    changed_at: datetime
    values: dict[str, Wire]


class RecordsOut(BaseModel):
    records: list[RecordOut]
    next: int | None


class ValuesIn(BaseModel):
    """What is not named is left as it is."""

    values: dict[str, Wire] = Field(examples=[{"1": "Quote for a tremulant"}])


class ChangeUndone(BaseModel):
    change: int
    record: int


class EditIn(BaseModel):
    """Values for a record that was seen at a version; for one that is added, where no record is named."""

    record: int | None = None
    version: int | None = None
    values: dict[str, Wire]


class EditsIn(BaseModel):
    edits: list[EditIn] = Field(min_length=1, max_length=2000)


class EditedOut(BaseModel):
    """A record that was written: its version now, and the number under which that can be undone."""

    record: int
    version: int
    change: int


class Undone(BaseModel):
    """The numbers under which what was undone can be done again."""

    changes: list[int]


class ChangesIn(BaseModel):
    changes: list[int] = Field(min_length=1, max_length=2000)


class TitleOut(BaseModel):
    id: int
    title: str


class RecordsIn(BaseModel):
    records: list[int] = Field(min_length=1, max_length=500)


class ChangeOut(BaseModel):
    """`by` says who or what made the change; `run` where it was a run, `mirror` where it was a mirror."""

    seq: int
    kind: str
    at: datetime
    by: str
    run: int | None
    mirror: int | None
    item: str | None
    before: dict[str, Wire] | None
    after: dict[str, Wire] | None


class OriginOut(BaseModel):
    """Where a value came from: in words, with the run or the mirror where there is one."""

    words: str
    at: datetime
    run: int | None
    mirror: int | None


class RecordDetail(BaseModel):
    record: RecordOut
    database: DatabaseOut
    origins: dict[str, OriginOut]
    captured: OriginOut | None
    source: str | None = Field(description="where its source item was, in the app's words")
    source_link: str | None
    history: list[ChangeOut]


class Written(BaseModel):
    """The record, and the number under which the change can be undone."""

    record: RecordOut
    change: int


def database_out(d: Database, count: int | None = None, counted_to: int | None = None) -> DatabaseOut:
    return DatabaseOut(
        id=d.id,
        name=d.name,
        records=min(count, MAX_COUNTED) if count is not None else None,
        more=count is not None and count > MAX_COUNTED,
        counted_to=counted_to,
        fields=[field_out(f) for f in d.fields],
        own_data=[field_out(f) for f in d.readable[len(d.fields) :]],
        outside=_outside_out(d.outside) if d.outside else None,
    )


def field_out(f: schema.Field) -> FieldOut:
    return FieldOut(
        id=f.id,
        name=f.name,
        type=f.type,
        required=f.required,
        choices=[ChoiceOut(id=c.id, name=c.name) for c in f.choices],
        grows=f.grows,
        refers_to=f.refers_to,
        back=f.back,
        can_write=f.can_write,
        counts=f.counts,
    )


def _outside_out(of: Outside) -> OutsideOut:
    return OutsideOut(
        connection=of.connection,
        place=of.place,
        app=of.app,
        app_name=of.app_name,
        place_word=of.place_word,
        places_word=of.places_word,
        item_word=of.item_word,
        items_word=of.items_word,
        link=of.link,
        writes=sorted(of.writes),
        operations=[OperationOut(code=o.code, words=o.words, inputs=[field_out(f) for f in o.inputs]) for o in of.operations],
        makes=of.makes,
        is_sheet=of.is_sheet,
    )


def record_out(r: Record) -> RecordOut:
    return RecordOut.model_validate(records.told(r))


def _out_of(item: Item) -> RecordOut:
    return RecordOut(
        id=int(item.id),
        version=int(item.version or 0),
        created_at=item.created,
        changed_at=item.changed or item.created,
        values=collection.wire(item.values),
    )


def _actor(who: Caller) -> Actor:
    """Who calls, as one who writes."""
    return records.actor(who.person, by_script=who.session is None)


def _counted_out(one: Counted) -> DatabaseOut:
    return database_out(one.database, one.records, one.counted_to)


@router.get("/databases")
def list_databases(who: Reader) -> list[DatabaseOut]:
    return [_counted_out(one) for one in databases.counted(who.space)]


@router.post("/databases", status_code=201)
def create_database(who: Editor, body: DatabaseIn) -> DatabaseOut:
    made = databases.create(who.space, body.name, tuple(f.plain() for f in body.fields))
    who.announce("databases")
    return database_out(made, 0)


@router.get("/databases/{database_id}")
def get_database(who: Reader, database_id: int) -> DatabaseOut:
    (counted,) = databases.counted(who.space, databases.get(who.space, database_id))
    return _counted_out(counted)


@router.patch("/databases/{database_id}")
def rename_database(who: Editor, database_id: int, body: NameIn) -> DatabaseOut:
    databases.rename(who.space, database_id, body.name)
    who.announce("databases")
    return get_database(who, database_id)


@router.get("/databases/{database_id}/uses")
def list_uses(who: Reader, database_id: int) -> list[UseOut]:
    """Return what is on or paused and uses the database, and the addresses that capture into it."""
    return uses_out(using.of_database(who.engine, who.space, databases.get(who.space, database_id).id))


@router.delete("/databases/{database_id}")
def delete_database(who: Editor, database_id: int, anyway: bool = False) -> Deleted:
    """Into the trash: its records are kept. What is in use answers 409 and says by what, unless it is deleted anyway."""
    database = databases.get(who.space, database_id)
    entries = databases.delete(who.engine, who.space, database, who.person, anyway)
    who.announce("databases", "trash")
    return Deleted(entries=entries)


@router.post("/databases/{database_id}/fields", status_code=201)
def add_field(who: Editor, database_id: int, body: NewFieldIn) -> FieldOut:
    made = databases.add_field(who.space, databases.get(who.space, database_id), body.plain())
    who.announce("databases")
    return database_out(Database(0, "", (made,))).fields[0]


@router.patch("/databases/{database_id}/fields/{field_id}")
def change_field(who: Editor, database_id: int, field_id: FieldId, body: FieldChange) -> DatabaseOut:
    databases.change_field(
        who.space,
        databases.get(who.space, database_id),
        field_id,
        body.name,
        body.required,
        None if body.choices is None else tuple(body.choices),
        body.grows,
    )
    who.announce("databases")
    return get_database(who, database_id)


@router.post("/databases/{database_id}/fields/{field_id}/choices", status_code=201)
def add_choice(who: Editor, database_id: int, field_id: FieldId, body: NewChoiceIn) -> DatabaseOut:
    """Give a field another choice; one of that name stays as it is."""
    databases.add_choice(who.space, databases.get(who.space, database_id), field_id, body.name)
    who.announce("databases")
    return get_database(who, database_id)


@router.get("/databases/{database_id}/fields/{field_id}/lacking")
def count_lacking(who: Reader, database_id: int, field_id: FieldId) -> Lacking:
    """Return in how many records a field is empty."""
    found = databases.lacking(who.space, databases.get(who.space, database_id), field_id)
    return Lacking(records=min(found, databases.MAX_COUNTED), more=found > databases.MAX_COUNTED)


@router.put("/databases/{database_id}/fields")
def order_fields(who: Editor, database_id: int, body: OrderIn) -> DatabaseOut:
    """Put the fields into an order; the title of the records stays first."""
    databases.order_fields(who.space, databases.get(who.space, database_id), body.fields)
    who.announce("databases")
    return get_database(who, database_id)


@router.delete("/databases/{database_id}/fields/{field_id}")
def remove_field(who: Editor, database_id: int, field_id: FieldId, anyway: bool = False) -> Deleted:
    """Into the trash: its values are kept, and come back with it. What is in use answers 409 and says by what, unless it is
    deleted anyway."""
    database = databases.get(who.space, database_id)
    entries = databases.remove_field(who.engine, who.space, database, field_id, who.person, anyway)
    who.announce("databases", "trash")
    return Deleted(entries=entries)


@router.get("/databases/{database_id}/records")
def list_records(
    who: Reader,
    database_id: int,
    before: int | None = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
    ids: Annotated[list[int] | None, Query(max_length=200)] = None,
) -> RecordsOut:
    """Return the newest first. `next` is the cursor of the following page: give it as `before`. With `ids`, return just those
    records that are there."""
    database = databases.get(who.space, database_id)
    if ids is not None:
        found = who.engine.records(who.space, database).get(list(map(str, ids)))
        return RecordsOut(records=sorted(map(_out_of, found.values()), key=lambda r: -r.id), next=None)
    asked = query.Query(limit=limit, after=str(before) if before is not None else None)
    page = who.engine.records(who.space, database).query(asked)
    return RecordsOut(records=list(map(_out_of, page.items)), next=int(page.after) if page.after else None)


@router.get("/databases/{database_id}/titles")
def list_titles(who: Reader, database_id: int, text: Annotated[str, Query(max_length=200)] = "") -> list[TitleOut]:
    """Return the newest records whose title has this text, for choosing one."""
    database = databases.get(who.space, database_id)
    return [TitleOut(id=id, title=title) for id, title in records.titled(who.space, database, text)]


@router.post("/databases/{database_id}/records", status_code=201)
def add_record(
    who: Editor, database_id: int, body: ValuesIn, idempotency_key: Annotated[str | None, Header(max_length=200)] = None
) -> Written:
    database = databases.get(who.space, database_id)
    values = records.values_of(who.space, database, body.values, complete=True)
    whose, sent = f"{who.person.id} records of {database_id}", idempotency.sent(idempotency_key, body)
    answer = records.add(who.space, database, values, _actor(who), whose, idempotency_key, sent)
    who.announce("records")
    return Written.model_validate(answer)


def _version(if_match: str | None) -> int:
    saw = whole((if_match or "").strip().strip('"'))
    if saw is None:
        raise Problem(428, "The record’s version is missing.", 'Send it as If-Match: "3".')
    return saw


@router.patch("/databases/{database_id}/records/{record_id}")
def change_record(
    who: Editor, database_id: int, record_id: int, body: ValuesIn, if_match: Annotated[str | None, Header()] = None
) -> Written:
    """`If-Match` names the version that was seen; a record that was changed since answers 412 and shows itself."""
    database = databases.get(who.space, database_id)
    saw = _version(if_match)
    values = records.values_of(who.space, database, body.values, complete=False)
    now, seq = records.change(who.space, database, record_id, saw, values, _actor(who))
    who.announce("records")
    return Written(record=record_out(now), change=seq)


@router.delete("/databases/{database_id}/records/{record_id}")
def delete_record(who: Editor, database_id: int, record_id: int) -> dict[str, int]:
    """Into the trash. Answers with the number under which this can be undone."""
    database = databases.get(who.space, database_id)
    seq = records.delete(who.space, database, record_id, _actor(who))
    who.announce("records")
    return {"change": seq}


@router.post("/databases/{database_id}/records/edit")
def edit_records(who: Editor, database_id: int, body: EditsIn) -> list[EditedOut]:
    """Change and add many, all of them or none. One that was changed since it was seen answers 412."""
    database = databases.get(who.space, database_id)
    edits = [records.Edit(e.record, e.version or 0, e.values) for e in body.edits]
    made = records.edit_all(who.space, database, edits, _actor(who))
    who.announce("records")
    return [EditedOut(record=one.record, version=one.version, change=one.change) for one in made]


@router.post("/databases/{database_id}/records/delete")
def delete_records(who: Editor, database_id: int, body: RecordsIn) -> Deleted:
    """Many into the trash, all of them or none."""
    database = databases.get(who.space, database_id)
    entries = records.delete_all(who.space, database, body.records, _actor(who))
    who.announce("records")
    return Deleted(entries=entries)


@router.get("/databases/{database_id}/records/{record_id}")
def get_record(who: Reader, database_id: int, record_id: int) -> RecordDetail:
    """Return a record with its history, and where each of its values came from."""
    database = databases.get(who.space, database_id)
    seen = records.history(who.space, database, record_id)
    first = seen.changes[0] if seen.changes else None
    return RecordDetail(
        record=record_out(seen.record),
        database=database_out(database),
        origins={key: _origin(change, key) for key, change in seen.origins.items()},
        captured=_origin(first, None) if first else None,
        source=_place(who, seen.item),
        source_link=seen.item.get("link") if seen.item else None,
        history=[_change_out(c) for c in reversed(seen.changes)],
    )


def _place(who: Caller, item: dict[str, Any] | None) -> str | None:
    """Mail › Enquiries."""
    app = who.engine.apps.get(item.get("app", "")) if item else None
    return f"{app.name} › {item['container']}" if app and item else None


def _origin(change: Change, key: str | None) -> OriginOut:
    filled = change.origin.get("filled", {}).get(key) if key else change.origin.get("item")
    words, of = filled or records.words_by(change), change.origin
    return OriginOut(words=words, at=change.at, run=of.get("run"), mirror=of.get("mirror"))


def _change_out(c: Change) -> ChangeOut:
    return ChangeOut(
        seq=c.seq,
        kind=c.kind,
        at=c.at,
        by=records.words_by(c),
        run=c.origin.get("run"),
        mirror=c.origin.get("mirror"),
        item=c.origin.get("item"),
        before=c.before,
        after=c.after,
    )


@router.post("/changes/undo")
def undo_changes(who: Editor, body: ChangesIn) -> Undone:
    """Undo several changes, the latest first, all of them or none."""
    changes = records.undo_all(who.space, body.changes, who.person)
    who.announce("records")
    return Undone(changes=changes)


@router.post("/changes/{seq}/undo")
def undo_change(who: Editor, seq: int) -> ChangeUndone:
    """Undo a change of a record. Answers with the number under which this can be undone in turn, and the record."""
    made, record = records.undo_change(who.space, seq, who.person)
    who.announce("records")
    return ChangeUndone(change=made, record=record)
