"""Runs: the list, one with every line's input and output, undoing, and running again."""

from __future__ import annotations

from dataclasses import asdict
from datetime import date, datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from kelvix.api.access import Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core.workflow import Workflow
from kelvix.engine import again, undoing
from kelvix.workspace import runs
from kelvix.workspace.runs import Lines, Run, RunLine

router = APIRouter(prefix="/api/v1", tags=["runs"])


class RunLineOut(BaseModel):
    """`place` has the numbers of the rounds in which a line within a repeated one was carried out, as 3 or 3.1."""

    line: str
    place: str
    outcome: str
    input: Any
    output: Any
    at: datetime


class RunOut(BaseModel):
    id: int
    workflow_id: int
    workflow: str
    number: int
    kind: str
    only_line: str | None
    state: str
    item_id: str
    title: str | None
    problem: str | None
    problem_line: str | None
    attempts: int
    created_at: datetime
    finished_at: datetime | None
    undone_at: datetime | None
    again_of: int | None
    pruned: bool
    left_at: datetime | None
    lines: list[RunLineOut]


class RunsOut(BaseModel):
    runs: list[RunOut]
    next: int | None


class AttemptOut(BaseModel):
    """An attempt that failed; `again_in` how many seconds later the next one was to be, none for the last."""

    number: int
    at: datetime
    sentence: str
    again_in: float | None


class RunDetail(BaseModel):
    """`document` is the version that ran; `field_names` names the fields by their id."""

    run: RunOut
    document: Workflow
    item: dict[str, Any] | None
    attempts: list[AttemptOut]
    field_names: dict[str, str]


class UndoneOut(BaseModel):
    undone: int
    trashed: int = Field(description="how many of these put a record into the trash")
    kept: list[str]


class AgainIn(BaseModel):
    """From the line that failed, or from the start; then what the run wrote can be undone first."""

    start: Literal["failed", "start"] = "failed"
    undo: bool = False


class AgainOut(BaseModel):
    """The run that goes on, and as which version, where it goes on from where it failed; what was undone first, and not."""

    run: int
    version: int | None
    undone: int
    kept: list[str]


def _line_out(line: RunLine) -> RunLineOut:
    done = line.outcome
    return RunLineOut(line=line.line, place=line.place, outcome=done.code, input=line.input, output=done.shown(), at=line.at)


def _out(r: Run, lines: Lines) -> RunOut:
    problem = r.problem or {}
    return RunOut(
        id=r.id,
        workflow_id=r.workflow_id,
        workflow=r.workflow,
        number=r.number,
        kind=r.kind,
        only_line=r.only_line,
        state=r.state,
        item_id=r.item_id,
        title=r.title,
        problem=problem.get("sentence"),
        problem_line=problem.get("line"),
        attempts=r.attempts,
        created_at=r.created_at,
        finished_at=r.finished_at,
        undone_at=r.undone_at,
        again_of=r.again_of,
        pruned=bool(r.pruned),
        left_at=r.left_at,
        lines=[_line_out(ln) for ln in lines.values()],
    )


@router.get("/runs")
def list_runs(
    who: Reader,
    workflow: int | None = None,
    state: str | None = None,
    since: date | None = None,
    until: date | None = None,
    words: Annotated[str, Query(max_length=200)] = "",
    before: int | None = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> RunsOut:
    """Return the newest first. `next` is the cursor of the following page. `since` and `until` are days of the workspace.
    `words` are looked for in what the runs carried, some thousands of runs at a time: a page may be empty and still have a
    next."""

    found, onward = runs.page(who.space, workflow, state, since, until, words, before, limit)
    return RunsOut(runs=[_out(r, lines) for r, lines in found], next=onward)


@router.get("/runs/{run_id}")
def get_run(who: Reader, run_id: int) -> RunDetail:
    found = runs.get(who.space, run_id)
    return RunDetail(
        run=_out(found.run, found.lines),
        document=found.document,
        item=found.item,
        attempts=[AttemptOut(**asdict(a)) for a in found.attempts],
        field_names=found.field_names,
    )


@router.post("/runs/{run_id}/undo")
def undo_run(who: Editor, run_id: int) -> UndoneOut:
    """Take back what a run wrote: what is new goes into the trash. A record that was edited since stays, and is said."""
    done = undoing.undo_run(who.engine, who.space, run_id, who.person.name)
    return UndoneOut(undone=done.undone, trashed=done.trashed, kept=list(done.kept))


@router.post("/runs/{run_id}/again", status_code=202)
def run_again(who: Editor, run_id: int, body: AgainIn | None = None) -> AgainOut:
    """Take a failed run up after its last finished line; or run its item again from the start, as the version that is live."""
    asked = body or AgainIn()
    try:
        if asked.start == "failed":
            version = again.from_failed(who.space, run_id)
            made, undone = run_id, None
        else:
            made, undone = again.from_start(who.engine, who.space, run_id, asked.undo, who.person.name)
            version = None
    except again.CannotRepeat as why:
        raise Problem(409, "This run can’t be run again like this.", f"{str(why)[0].upper()}{str(why)[1:]}.") from None
    who.announce("ready", "runs")
    kept = list(undone.kept) if undone else []
    return AgainOut(run=made, version=version, undone=undone.undone if undone else 0, kept=kept)


@router.post("/runs/{run_id}/leave")
def leave_run(who: Editor, run_id: int) -> dict[str, int]:
    """Leave a failed run as it is: it needs nobody any more."""
    left = runs.leave(who.space, run_id)
    who.announce("runs", "needs")
    return {"left": left}


@router.post("/workflows/{workflow_id}/again-failed", status_code=202)
def again_failed(who: Editor, workflow_id: int) -> dict[str, int]:
    """Take all failed runs of a workflow up again, each after its last finished line."""
    taken = runs.take_up_failed(who.space, workflow_id)
    who.announce("ready", "runs", "needs")
    return {"taken": taken}


@router.post("/workflows/{workflow_id}/leave-failed")
def leave_failed(who: Editor, workflow_id: int) -> dict[str, int]:
    """Leave all failed runs of a workflow as they are."""
    left = runs.leave_failed(who.space, workflow_id)
    who.announce("runs", "needs")
    return {"left": left}
