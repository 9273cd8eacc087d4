"""Catching up: the past items of a workflow's source, carried for real where that is chosen, and undone as one set."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.runs import UndoneOut
from kelvix.core.values import FieldId
from kelvix.engine import catching_up
from kelvix.engine.catching_up import MAX_ITEMS, State
from kelvix.workspace import catch_ups, workflows
from kelvix.workspace.catch_ups import CatchUp

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
    p = catch_ups.progress(who.space, one)
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


@router.post("/workflows/{workflow_id}/past")
def list_past(who: Reader, workflow_id: int, body: PastIn) -> PastOut:
    """Return a page of the source's past items, the newest first. Nothing is written by asking."""
    draft = workflows.get(who.space, workflow_id).draft
    found = catch_ups.past(who.engine, who.space, workflow_id, draft, body.recognises, body.before, PAGE)
    return PastOut(
        items=[PastItem(id=i.id, title=i.title, at=i.at, state=i.state, run=i.run) for i in found.items],
        next=found.next,
        known_by=[
            KnownBy(
                line=c.line,
                database=c.database.name,
                fields=[FieldName(id=f.id, name=f.name) for f in c.fields],
                proposed=list(c.proposed),
            )
            for c in found.choices
        ],
    )


@router.get("/workflows/{workflow_id}/missed")
def get_missed(who: Reader, workflow_id: int) -> MissedOut:
    """Return what came since the workflow was turned off. While one is paused, what arrives is held, and nothing is missed."""
    if workflows.get(who.space, workflow_id).state == "paused":
        return MissedOut(count=0, since=None)
    found = catching_up.missed(who.engine, who.space, workflow_id)
    return MissedOut(count=found.count, since=found.since)


@router.get("/workflows/{workflow_id}/catch-up")
def get_catch_up(who: Reader, workflow_id: int) -> CatchUpOut | None:
    """Return the latest catch-up and how far it has come."""
    workflows.get(who.space, workflow_id)
    one = catch_ups.latest(who.space, workflow_id)
    return _out(who, one) if one else None


@router.post("/workflows/{workflow_id}/catch-up", status_code=202)
def start_catch_up(who: Editor, workflow_id: int, body: CatchUpIn) -> CatchUpOut:
    """Carry past items for real, the first that is named first. What was carried before is not carried again."""
    workflows.get(who.space, workflow_id)
    made = catch_ups.start(who.engine, who.space, workflow_id, body.items, body.recognises, who.person)
    return _out(who, made)


@router.post("/workflows/{workflow_id}/catch-up/{catch_up_id}/{what}")
def change_catch_up(who: Editor, workflow_id: int, catch_up_id: int, what: Literal["pause", "resume"]) -> CatchUpOut:
    """Hold it, or let it go on from where it is."""
    changed = catch_ups.change(who.space, catch_ups.get(who.space, workflow_id, catch_up_id), what)
    who.announce("ready", f"workflow:{workflow_id}")
    return _out(who, changed)


@router.delete("/workflows/{workflow_id}/catch-up/{catch_up_id}")
def undo_catch_up(who: Editor, workflow_id: int, catch_up_id: int) -> UndoneOut:
    """Undo all that a catch-up wrote, as one set."""
    one = catch_ups.get(who.space, workflow_id, catch_up_id)
    done = catch_ups.undo(who.engine, who.space, one, who.person)
    return UndoneOut(undone=done.undone, trashed=done.trashed, kept=list(done.kept))
