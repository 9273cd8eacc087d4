"""Backcasts: what a draft would have done with all past events of its source."""

from __future__ import annotations

from datetime import datetime

from fastapi import APIRouter
from pydantic import BaseModel

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.workflows import SampleOut, SamplesIn, list_samples
from kelvix.core.backcast import Kind
from kelvix.core.naming import without_names
from kelvix.engine import sampling
from kelvix.workspace import backcasts, workflows

router = APIRouter(prefix="/api/v1", tags=["backcasts"])


class ExampleOut(BaseModel):
    id: str
    title: str


class OutcomeOut(BaseModel):
    """One way in which past events would have ended; `line` is where."""

    kind: Kind
    line: str
    sentence: str
    count: int
    examples: list[ExampleOut]


class BackcastOut(BaseModel):
    """`state` is running, done, cancelled, failed or lost. `a_month` is how many events there were a month, on average; `same`
    says whether it was of the draft as it is now."""

    state: str
    seen: int
    outcomes: list[OutcomeOut]
    oldest: datetime | None
    newest: datetime | None
    a_month: int | None
    reach: str
    problem: str | None
    started_at: datetime
    same: bool


class ItemIn(BaseModel):
    item: str


def _latest(who: Caller, workflow_id: int) -> BackcastOut | None:
    draft = workflows.get(who.space, workflow_id).draft
    found = backcasts.latest(who.space, workflow_id)
    if found is None:
        return None
    return BackcastOut(
        state=found.state,
        seen=found.seen,
        outcomes=[
            OutcomeOut(
                kind=o.kind,
                line=o.line,
                sentence=o.sentence,
                count=o.count,
                examples=[ExampleOut(id=i, title=title) for i, title in o.examples],
            )
            for o in found.outcomes
        ],
        oldest=found.oldest,
        newest=found.newest,
        a_month=backcasts.a_month(found),
        reach=found.reach,
        problem=found.problem,
        started_at=found.started_at,
        same=without_names(found.document) == without_names(draft),
    )


@router.get("/workflows/{workflow_id}/backcast")
def get_backcast(who: Reader, workflow_id: int) -> BackcastOut | None:
    """Return the latest backcast and its progress, or null before the first one."""
    return _latest(who, workflow_id)


@router.post("/workflows/{workflow_id}/backcast", status_code=202)
def start_backcast(who: Editor, workflow_id: int, body: SamplesIn) -> BackcastOut | None:
    """Rehearse the document with every past event of its source. Nothing is written."""
    workflows.get(who.space, workflow_id)
    backcasts.start(who.engine, who.space, workflow_id, body.document)
    return _latest(who, workflow_id)


@router.post("/workflows/{workflow_id}/backcast/cancel")
def cancel_backcast(who: Editor, workflow_id: int) -> BackcastOut | None:
    """Stop it where it is; what was counted so far is kept."""
    workflows.get(who.space, workflow_id)
    backcasts.cancel(who.space, workflow_id)
    who.announce(f"backcast:{workflow_id}")
    return _latest(who, workflow_id)


@router.post("/workflows/{workflow_id}/samples/keep", status_code=201)
def keep_as_sample(who: Editor, workflow_id: int, body: ItemIn) -> list[SampleOut]:
    """Make a past item one of the samples."""
    draft = workflows.get(who.space, workflow_id).draft
    sampling.keep_item(who.engine, who.space, workflow_id, draft.when, body.item)
    return list_samples(who, workflow_id)
