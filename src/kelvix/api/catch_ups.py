"""Catching up: the past items of a workflow's source, carried for real where that is chosen, and undone as one set."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.api.runs import UndoneOut
from kelvix.api.workflows import kept_workflow
from kelvix.core import recognising
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import FieldId
from kelvix.engine import catching_up
from kelvix.engine.catching_up import MAX_ITEMS, State
from kelvix.store import catch_ups, databases
from kelvix.store.arrivals import Arrival
from kelvix.store.catch_ups import CatchUp

router = APIRouter(prefix="/api/v1", tags=["catching up"])
PAGE = 100
Recognises = dict[str, list[FieldId]]


class PastIn(BaseModel):
    """`recognises`: by which fields each Add line knows what is there, by the line's id."""

    recognises: Recognises = {}
    before: str | None = None


class PastItem(BaseModel):
    """`state`: what carrying it would come to (new, there, passed_by, put_right), or that it was carried or tried already, or
    that its run failed; `run` is that run."""

    id: str
    title: str
    at: datetime
    state: State
    run: int | None


class FieldName(BaseModel):
    id: FieldId
    name: str


class KnownBy(BaseModel):
    """The fields by which an Add line can know what is there, and those that are proposed."""

    line: str
    database: str
    fields: list[FieldName]
    proposed: list[FieldId]


class PastOut(BaseModel):
    items: list[PastItem]
    next: str | None
    known_by: list[KnownBy]


class CatchUpIn(BaseModel):
    items: list[str] = Field(min_length=1, max_length=MAX_ITEMS)
    recognises: Recognises = {}


class CatchUpOut(BaseModel):
    """`there` of those that are done found their records there already."""

    id: int
    state: catch_ups.State
    total: int
    to_come: int
    known: int
    on_the_way: int
    done: int
    there: int
    passed_by: int
    failed: int
    by: str
    started_at: datetime
    ended_at: datetime | None


class MissedOut(BaseModel):
    """What came while the workflow was off."""

    count: int
    since: datetime | None


def _out(who: Caller, one: CatchUp) -> CatchUpOut:
    p = who.space.read(lambda t: catch_ups.progress(t, one))
    return CatchUpOut(
        id=one.id,
        state=one.state,
        total=one.total,
        to_come=p.to_come,
        known=p.known,
        on_the_way=p.on_the_way,
        done=p.done,
        there=p.there,
        passed_by=p.passed_by,
        failed=p.failed,
        by=one.by_person,
        started_at=one.started_at,
        ended_at=one.ended_at,
    )


def _recognises(given: Recognises) -> catch_ups.Recognises:
    return {line: tuple(fields) for line, fields in given.items()}


@router.post("/workflows/{workflow_id}/past")
def list_past(who: Reader, workflow_id: int, body: PastIn) -> PastOut:
    """Return a page of the source's past items, the newest first. Nothing is written by asking."""
    draft = kept_workflow(who, workflow_id).draft
    when = draft.when
    if when.own is not None or when.connection is None or when.container is None:
        raise Problem(409, "There is no source to catch up on.", "Choose an app’s connection and folder in the When line.")
    known = who.space.read(lambda t: databases.load(t, who.space.id))
    choices = recognising.choices(draft, known)
    recognises = _recognises(body.recognises) or {c.line: c.proposed for c in choices}
    items, onward = catching_up.past(who.engine, who.space, workflow_id, draft, recognises, body.before, PAGE)
    return PastOut(
        items=[PastItem(id=i.id, title=i.title, at=i.at, state=i.state, run=i.run) for i in items],
        next=onward,
        known_by=[
            KnownBy(
                line=c.line,
                database=c.database.name,
                fields=[FieldName(id=f.id, name=f.name) for f in c.fields],
                proposed=list(c.proposed),
            )
            for c in choices
        ],
    )


@router.get("/workflows/{workflow_id}/missed")
def get_missed(who: Reader, workflow_id: int) -> MissedOut:
    """Return what came since the workflow was turned off. While one is paused, what arrives is held, and nothing is missed."""
    if kept_workflow(who, workflow_id).state == "paused":
        return MissedOut(count=0, since=None)
    found = catching_up.missed(who.engine, who.space, workflow_id)
    return MissedOut(count=found.count, since=found.since)


@router.get("/workflows/{workflow_id}/catch-up")
def get_catch_up(who: Reader, workflow_id: int) -> CatchUpOut | None:
    """Return the latest catch-up and how far it has come."""
    kept_workflow(who, workflow_id)
    one = who.space.read(lambda t: catch_ups.latest(t, who.space.id, workflow_id))
    return _out(who, one) if one else None


@router.post("/workflows/{workflow_id}/catch-up", status_code=202)
def start_catch_up(who: Editor, workflow_id: int, body: CatchUpIn) -> CatchUpOut:
    """Carry past items for real, the first that is named first. What was carried before is not carried again."""
    kept_workflow(who, workflow_id)
    before = who.space.read(lambda t: catch_ups.latest(t, who.space.id, workflow_id))
    if before and before.state in ("running", "paused"):
        raise Problem(409, "A catch-up is under way.", "Wait until it is done, or undo it first.")
    recognises = _recognises(body.recognises)
    chosen = [Arrival(item) for item in body.items]
    made = catching_up.start(who.engine, who.space, workflow_id, chosen, recognises, who.person.name)
    return _out(who, _one(who, workflow_id, made))


def _one(who: Caller, workflow_id: int, catch_up_id: int) -> CatchUp:
    one = who.space.read(lambda t: catch_ups.get(t, who.space.id, catch_up_id))
    if one is None or one.workflow_id != workflow_id:
        raise NotFoundError("there is no such catch-up")
    return one


@router.post("/workflows/{workflow_id}/catch-up/{catch_up_id}/{what}")
def change_catch_up(who: Editor, workflow_id: int, catch_up_id: int, what: Literal["pause", "resume"]) -> CatchUpOut:
    """Hold it, or let it go on from where it is."""
    one = _one(who, workflow_id, catch_up_id)
    wanted: catch_ups.State = "running" if what == "pause" else "paused"
    state: catch_ups.State = "paused" if what == "pause" else "running"
    if one.state != wanted:
        raise Problem(409, f"This catch-up is {one.state}.", f"Only one that is {wanted} can be {state}.")
    who.space.transact(lambda t: catch_ups.set_state(t, one, state))
    who.announce("ready", f"workflow:{workflow_id}")
    return _out(who, _one(who, workflow_id, catch_up_id))


@router.delete("/workflows/{workflow_id}/catch-up/{catch_up_id}")
def undo_catch_up(who: Editor, workflow_id: int, catch_up_id: int) -> UndoneOut:
    """Undo all that a catch-up wrote, as one set."""
    one = _one(who, workflow_id, catch_up_id)
    if one.state == "undone":
        raise Problem(409, "This catch-up was undone already.", "Start another one.")
    done = catching_up.undo(who.engine, who.space, one, who.person.name)
    return UndoneOut(undone=done.undone, trashed=done.trashed, kept=list(done.kept))
