"""Databases, their fields, their records, and undoing changes."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header, Query
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.field_types import KnownType
from kelvix.api.idempotency import once
from kelvix.api.problems import Problem
from kelvix.api.trash import Deleted, UseOut, ask_first, uses_out
from kelvix.collections import undo, write
from kelvix.collections.write import Actor
from kelvix.core import collection, query
from kelvix.core.collection import Item
from kelvix.core.fields import from_wire
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database
from kelvix.core.schema import Field as FieldOf
from kelvix.core.values import FieldId, File, Type, Unfit, Value, Wire, whole
from kelvix.engine import using
from kelvix.store import changes, databases, kept_files, records, runs, trash
from kelvix.store.changes import Change
from kelvix.store.database_server import Transaction
from kelvix.store.databases import MAX_COUNTED, NewField
from kelvix.store.records import Origin, Record

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


class DatabaseOut(BaseModel):
    id: int
    name: str
    fields: list[FieldOut]
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


class FieldChange(BaseModel):
    name: str | None = Field(None, max_length=200)
    required: bool | None = None
    choices: list[str] | None = None
    grows: bool | None = None


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


class TitleOut(BaseModel):
    id: int
    title: str


class RecordsIn(BaseModel):
    records: list[int] = Field(min_length=1, max_length=500)


class ChangeOut(BaseModel):
    """`by` says who or what made the change; `run` where it was a run."""

    seq: int
    kind: str
    at: datetime
    by: str
    run: int | None
    item: str | None
    before: dict[str, Wire] | None
    after: dict[str, Wire] | None


class OriginOut(BaseModel):
    """Where a value came from: in words, with the run where there is one."""

    words: str
    at: datetime
    run: int | None


class RecordDetail(BaseModel):
    record: RecordOut
    database: DatabaseOut
    origins: dict[str, OriginOut]
    captured: OriginOut | None
    source: str | None = Field(description="where its source item lay, in the app's words")
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
        fields=[
            FieldOut(
                id=f.id,
                name=f.name,
                type=f.type,
                required=f.required,
                choices=[ChoiceOut(id=c.id, name=c.name) for c in f.choices],
                grows=f.grows,
                refers_to=f.refers_to,
                back=f.back,
            )
            for f in d.fields
        ],
    )


def record_out(r: Record) -> RecordOut:
    return RecordOut(
        id=r.id, version=r.version, created_at=r.created_at, changed_at=r.changed_at, values=records.wire(r.values)
    )


def _out_of(item: Item) -> RecordOut:
    return RecordOut(
        id=int(item.id),
        version=int(item.version or 0),
        created_at=item.created,
        changed_at=item.changed or item.created,
        values=collection.wire(item.values),
    )


def _database(who: Caller, database_id: int) -> Database:
    found = who.space.read(lambda t: databases.get(t, who.space.id, database_id))
    if found is None:
        raise NotFoundError("there is no such database")
    return found


def actor_of(who: Caller, undoes: int | None = None) -> Actor:
    """Who calls, as one who writes."""
    script = None if who.session or undoes is not None else "a script"
    return Actor.of(who.person, Origin(person=who.person.name, token=script, undoes=undoes))


def check_values(who: Caller, database: Database, given: dict[str, Wire], complete: bool) -> dict[FieldId, Value]:
    """Values for a record as its fields keep them. Raises Problem with a sentence for each field that does not fit."""
    values: dict[FieldId, Value] = {}
    wrong: dict[str, str] = {}
    for key, wire in given.items():
        field = database.field(key)
        if field is None:
            raise Problem(422, f"{database.name} has no field with the id {key}.", "It may have been taken away meanwhile.")
        try:
            try:
                value = from_wire(wire, field.type)
            except Unfit:
                value = tuple(map(str, wire)) if isinstance(wire, list) else wire
            value = _with_kept_files(who, field, value)
            values[field.id] = field.take(value, who.space.zone, who.space.order)
        except Unfit as unfit:
            wrong[key] = str(unfit)
    wrong = write.check(database, values, complete) | wrong
    if wrong:
        raise Problem(422, "Some values do not fit.", "; ".join(wrong.values()), fields=wrong)
    return values


def _with_kept_files(who: Caller, field: FieldOf, value: Value) -> Value:
    """Files that were put in by hand, as they lie here: what the caller says of their size does not count. Raises Unfit."""
    if isinstance(value, tuple):
        return tuple(f for one in value if isinstance(f := _with_kept_files(who, field, one), str))
    if not isinstance(value, File):
        return value
    file = who.space.read(lambda t: kept_files.get(t, who.space.id, value.source))
    if file is None:
        raise Unfit(
            f"{field.name} takes a file that was sent to /api/v1/files before; what a workflow brought can only be emptied"
        )
    return file


@router.get("/databases")
def list_databases(who: Reader) -> list[DatabaseOut]:
    return who.space.read(lambda t: _counted(t, who.space.id, list(databases.load(t, who.space.id).values())))


def _counted(t: Transaction, workspace_id: int, several: list[Database]) -> list[DatabaseOut]:
    """Return databases with how many records they hold, and up to which change that is so: counted anew where one came
    meanwhile, as long as that does not go on."""
    for _ in range(3):
        counted_to = changes.last(t, workspace_id)
        counts = [databases.count(t, d.id) for d in several]
        if changes.last(t, workspace_id) == counted_to:
            break
    return [database_out(d, n, counted_to) for d, n in zip(several, counts, strict=True)]


@router.post("/databases", status_code=201)
def create_database(who: Editor, body: DatabaseIn) -> DatabaseOut:
    made = databases.create(who.space, body.name, tuple(f.plain() for f in body.fields))
    who.announce("databases")
    return database_out(made, 0)


@router.get("/databases/{database_id}")
def get_database(who: Reader, database_id: int) -> DatabaseOut:
    found = _database(who, database_id)
    return who.space.read(lambda t: _counted(t, who.space.id, [found]))[0]


@router.patch("/databases/{database_id}")
def rename_database(who: Editor, database_id: int, body: NameIn) -> DatabaseOut:
    if not databases.rename(who.space, database_id, body.name):
        raise NotFoundError("there is no such database")
    who.announce("databases")
    return get_database(who, database_id)


@router.get("/databases/{database_id}/uses")
def list_uses(who: Reader, database_id: int) -> list[UseOut]:
    """Return what is on or paused and uses the database, and the addresses that capture into it."""
    return uses_out(using.of_database(who.engine, who.space, _database(who, database_id).id))


@router.delete("/databases/{database_id}")
def delete_database(who: Editor, database_id: int, anyway: bool = False) -> Deleted:
    """Into the trash: its records are kept. What is in use answers 409 and says by what, unless it is deleted anyway."""
    database = _database(who, database_id)
    ask_first(database.name, using.of_database(who.engine, who.space, database_id), anyway)
    databases.delete(who.space, database, who.person.name)
    who.announce("databases", "trash")
    return Deleted(entries=who.space.read(lambda t: trash.entries_of(t, who.space.id, "database", [database_id])))


@router.post("/databases/{database_id}/fields", status_code=201)
def add_field(who: Editor, database_id: int, body: NewFieldIn) -> FieldOut:
    made = databases.add_field(who.space, _database(who, database_id), body.plain())
    who.announce("databases")
    return database_out(Database(0, "", (made,))).fields[0]


@router.patch("/databases/{database_id}/fields/{field_id}")
def change_field(who: Editor, database_id: int, field_id: FieldId, body: FieldChange) -> DatabaseOut:
    databases.change_field(
        who.space,
        _database(who, database_id),
        field_id,
        body.name,
        body.required,
        None if body.choices is None else tuple(body.choices),
        body.grows,
    )
    who.announce("databases")
    return get_database(who, database_id)


@router.delete("/databases/{database_id}/fields/{field_id}")
def remove_field(who: Editor, database_id: int, field_id: FieldId, anyway: bool = False) -> Deleted:
    """Into the trash: its values are kept, and come back with it. What is in use answers 409 and says by what, unless it is
    deleted anyway."""
    database = _database(who, database_id)
    field = database.field(field_id)
    if field is not None:
        uses = using.of_field(who.engine, who.space, database, field_id)
        if field.refers_to is not None and field.back is not None:  # the one that refers back goes with it
            uses += [
                u for u in using.of_field(who.engine, who.space, _database(who, field.refers_to), field.back) if u not in uses
            ]
        ask_first(f"{database.name} › {field.name}", uses, anyway)
    databases.take_field_away(who.space, database, field_id, who.person.name)
    who.announce("databases", "trash")
    return Deleted(entries=who.space.read(lambda t: trash.entries_of(t, who.space.id, "field", [int(field_id)], database_id)))


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
    database = _database(who, database_id)
    if ids is not None:
        found = who.engine.records(who.space, database).get(list(map(str, ids)))
        return RecordsOut(records=sorted(map(_out_of, found.values()), key=lambda r: -r.id), next=None)
    asked = query.Query(limit=limit, after=str(before) if before is not None else None)
    page = who.engine.records(who.space, database).query(asked)
    return RecordsOut(records=list(map(_out_of, page.items)), next=int(page.after) if page.after else None)


@router.get("/databases/{database_id}/titles")
def list_titles(who: Reader, database_id: int, text: Annotated[str, Query(max_length=200)] = "") -> list[TitleOut]:
    """Return the newest records whose title has this text, for choosing one."""
    database = _database(who, database_id)
    found = who.space.read(lambda t: records.titled(t, database, text.strip()))
    return [TitleOut(id=id, title=title) for id, title in found]


@router.post("/databases/{database_id}/records", status_code=201)
def add_record(
    who: Editor, database_id: int, body: ValuesIn, idempotency_key: Annotated[str | None, Header(max_length=200)] = None
) -> Written:
    database = _database(who, database_id)
    values = check_values(who, database, body.values, complete=True)

    def work(t: Transaction) -> dict[str, Any]:
        record_id, seq = write.add(t, who.space.id, database, values, actor_of(who))
        made = records.get(t, database, record_id)
        assert made
        return Written(record=record_out(made), change=seq).model_dump(mode="json")

    answer = once(who, f"records of {database_id}", idempotency_key, body, work)
    who.announce("records")
    return Written.model_validate(answer)


def _version(if_match: str | None) -> int:
    saw = whole((if_match or "").strip().strip('"'))
    if saw is None:
        raise Problem(428, "Say which version of the record you saw.", 'Send it as If-Match: "3".')
    return saw


@router.patch("/databases/{database_id}/records/{record_id}")
def change_record(
    who: Editor, database_id: int, record_id: int, body: ValuesIn, if_match: Annotated[str | None, Header()] = None
) -> Written:
    """`If-Match` names the version that was seen; a record that was changed since answers 412 and shows itself."""
    database = _database(who, database_id)
    values = check_values(who, database, body.values, complete=False)
    saw = _version(if_match)

    def work(t: Transaction) -> tuple[int, Record | None]:
        seq = write.update(t, who.space.id, database, record_id, saw, values, actor_of(who))
        return seq, records.get(t, database, record_id)

    seq, now = who.space.transact(work)
    assert now
    who.announce("records")
    return Written(record=record_out(now), change=seq)


@router.delete("/databases/{database_id}/records/{record_id}")
def delete_record(who: Editor, database_id: int, record_id: int) -> dict[str, int]:
    """Into the trash. Answers with the number under which this can be undone."""
    database = _database(who, database_id)
    seq = who.space.transact(lambda t: write.delete(t, who.space.id, database, record_id, actor_of(who)))
    who.announce("records")
    return {"change": seq}


@router.post("/databases/{database_id}/records/delete")
def delete_records(who: Editor, database_id: int, body: RecordsIn) -> Deleted:
    """Many into the trash, all of them or none."""
    database = _database(who, database_id)

    def work(t: Transaction) -> None:
        for record_id in sorted(set(body.records)):
            write.delete(t, who.space.id, database, record_id, actor_of(who))

    who.space.transact(work)
    who.announce("records")
    return Deleted(entries=who.space.read(lambda t: trash.entries_of(t, who.space.id, "record", body.records, database_id)))


@router.get("/databases/{database_id}/records/{record_id}")
def get_record(who: Reader, database_id: int, record_id: int) -> RecordDetail:
    """Return a record with its history, and where each of its values came from."""
    database = _database(who, database_id)

    def work(t: Transaction) -> tuple[Record | None, list[Change]]:
        return records.get(t, database, record_id), changes.of_record(t, who.space.id, database_id, record_id)

    record, history = who.space.read(work)
    if record is None:
        raise NotFoundError("there is no such record")
    origins = {key: _origin(change, key) for key, change in changes.origins(history).items()}
    first = history[0] if history else None
    item = (
        who.space.read(lambda t: runs.item(t, who.space.id, first.origin["run"])) if first and "run" in first.origin else None
    )
    return RecordDetail(
        record=record_out(record),
        database=database_out(database),
        origins=origins,
        captured=_origin(first, None) if first else None,
        source=_place(who, item),
        source_link=item.get("link") if item else None,
        history=[_change_out(c) for c in reversed(history)],
    )


def _place(who: Caller, item: dict[str, Any] | None) -> str | None:
    """Mail › Enquiries."""
    app = who.engine.apps.get(item.get("app", "")) if item else None
    return f"{app.name} › {item['container']}" if app and item else None


def _by(change: Change) -> str:
    origin = change.origin
    who = origin.get("person") or "a workflow"
    if "undoes" in origin:
        return f"{who}, undoing"
    if "run" in origin:
        return "a workflow"
    if origin.get("capture") and origin.get("token"):
        return f"{who}, by {origin['token']}"
    return f"{who}, in the capture line" if origin.get("capture") else f"{who}, by script" if origin.get("token") else who


def _origin(change: Change, key: str | None) -> OriginOut:
    filled = change.origin.get("filled", {}).get(key) if key else change.origin.get("item")
    return OriginOut(words=filled or _by(change), at=change.at, run=change.origin.get("run"))


def _change_out(c: Change) -> ChangeOut:
    return ChangeOut(
        seq=c.seq,
        kind=c.kind,
        at=c.at,
        by=_by(c),
        run=c.origin.get("run"),
        item=c.origin.get("item"),
        before=c.before,
        after=c.after,
    )


@router.post("/changes/{seq}/undo")
def undo_change(who: Editor, seq: int) -> ChangeUndone:
    """Undo a change of a record. Answers with the number under which this can be undone in turn, and the record."""
    change = who.space.read(lambda t: changes.get(t, who.space.id, seq))
    if change is None:
        raise NotFoundError("there is no such change")
    made = who.space.transact(lambda t: undo.undo(t, who.space.id, seq, actor_of(who, undoes=seq)))
    who.announce("records")
    return ChangeUndone(change=made, record=change.record_id)
