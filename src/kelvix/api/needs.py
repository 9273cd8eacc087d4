"""What needs a person: the questions of runs, and their answers."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Editor, Reader
from kelvix.core.values import RecordId
from kelvix.workspace import needs
from kelvix.workspace.needs import Question

router = APIRouter(prefix="/api/v1", tags=["needs you"])


class ShownValue(BaseModel):
    """A value that is shown with a question; one with a key can be edited."""

    key: str | None = None
    name: str
    type: str | None = None
    text: str


class Candidate(BaseModel):
    record: RecordId
    title: str
    said: str
    link: str | None = Field(None, description="opens it")


class NeedOut(BaseModel):
    """A question that a run asks. An approval is answered with yes or no; `which` with one of the candidates, with all of
    them or with a new record; `doubt`, whether something that was sent arrived, with arrived, again or stop."""

    id: int
    kind: Literal["approval", "which", "doubt"]
    workflow_id: int
    workflow: str
    run_id: int
    title: str | None
    link: str | None
    asked_at: datetime
    question: str
    values: list[ShownValue]
    no: str | None = Field(description="what a no does: pass_by or go_on")
    database: int | None
    candidates: list[Candidate]
    matching: int


class AnswerIn(BaseModel):
    """`values` are those that were edited, as they are typed, by key. `record`: the one that is meant."""

    answer: Literal["yes", "no", "record", "all", "new", "arrived", "again", "stop"]
    record: RecordId | None = None
    values: dict[str, str] = {}


def _out(q: Question) -> NeedOut:
    return NeedOut(
        id=q.id,
        kind=q.kind,
        workflow_id=q.workflow_id,
        workflow=q.workflow,
        run_id=q.run_id,
        title=q.title,
        link=(q.item or {}).get("link"),
        asked_at=q.asked_at,
        question=q.asked["question"],
        values=[ShownValue(**{k: v.get(k) for k in ("key", "name", "type", "text")}) for v in q.asked["values"]],
        no=q.asked.get("no"),
        database=q.asked.get("database"),
        candidates=[Candidate(**c) for c in q.asked.get("candidates", [])],
        matching=len(q.asked.get("all", [])),
    )


@router.get("/needs")
def list_needs(who: Reader) -> list[NeedOut]:
    """Return what waits for a person, the oldest first."""
    return [_out(q) for q in needs.open_ones(who.space)]


@router.post("/needs/{question_id}")
def answer_need(who: Editor, question_id: int, body: AnswerIn) -> dict[str, str]:
    """Answer a question; its run goes on."""
    needs.answer(who.space, question_id, who.person, body.answer, body.record, body.values)
    who.announce("ready", "needs", "runs")
    return {"state": "answered"}
