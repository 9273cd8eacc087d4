"""What needs a person: the questions of runs, and their answers."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core.lines import ask
from kelvix.core.lines.ask import Ask
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import Wire, to_wire
from kelvix.store import questions, workflows
from kelvix.store.questions import Question

router = APIRouter(prefix="/api/v1", tags=["needs you"])


class ShownValue(BaseModel):
    """A value that is shown with a question; one with a key can be edited."""

    key: str | None = None
    name: str
    type: str | None = None
    text: str


class Candidate(BaseModel):
    record: int
    title: str
    said: str


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
    record: int | None = None
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
    return [_out(q) for q in who.space.read(lambda t: questions.open_ones(t, who.space.id))]


@router.post("/needs/{question_id}")
def answer_need(who: Editor, question_id: int, body: AnswerIn) -> dict[str, str]:
    """Answer a question; its run goes on."""
    asked = who.space.read(lambda t: questions.get(t, who.space.id, question_id))
    if asked is None:
        raise NotFoundError("there is no such question")
    match asked.kind:
        case "approval":
            said = _approval(who, asked, body)
        case "which":
            said = _which(asked, body)
        case "doubt":
            said = _doubt(body)
    if not who.space.transact(lambda t: questions.answer(t, who.space.id, asked, said, who.person.name)):
        raise Problem(409, "This was answered already.", f"{asked.answered_by or 'Somebody'} was faster; the run has gone on.")
    who.announce("ready", "needs", "runs")
    return {"state": "answered"}


def _approval(who: Caller, asked: Question, body: AnswerIn) -> dict[str, Any]:
    if body.answer not in ("yes", "no"):
        raise Problem(422, "This is answered with yes or no.", "Say one of them.")
    _, document = who.space.read(lambda t: workflows.version(t, who.space.id, asked.version_id))
    line = document.line(asked.line)
    values: dict[str, Wire] = {v["key"]: v["value"] for v in asked.asked["values"]}
    if isinstance(line, Ask):
        types = {v["key"]: v["type"] for v in asked.asked["values"]}
        edited, wrong = ask.edited(line, body.values, types, who.space.env(asked.asked_at))
        if wrong:
            raise Problem(422, "Some values do not fit.", "; ".join(wrong.values()), fields=wrong)
        values |= {key: to_wire(value) for key, value in edited.items()}
    return {"approved": body.answer == "yes", "values": values}


def _doubt(body: AnswerIn) -> dict[str, Any]:
    if body.answer not in ("arrived", "again", "stop"):
        raise Problem(422, "Say whether it arrived.", "It arrived, it is to be sent again, or the run stops here.")
    return {"said": body.answer}


def _which(asked: Question, body: AnswerIn) -> dict[str, Any]:
    match body.answer:
        case "new":
            return {"records": []}
        case "all":
            return {"records": asked.asked["all"]}
        case "record" if body.record in asked.asked["all"]:
            return {"records": [body.record]}
    raise Problem(422, "Say which record is meant.", "Choose one of those that match, all of them, or a new one.")
