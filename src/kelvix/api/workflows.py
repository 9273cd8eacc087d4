"""Workflows: drafts, samples, trying, turning on and off, and where an item is."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header
from pydantic import BaseModel, BeforeValidator, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.api.trash import Deleted, UseOut, uses_out
from kelvix.core import telling
from kelvix.core.collection import PermanentError
from kelvix.core.upgrading import upgraded
from kelvix.core.values import Rows, Unfit, Wire, whole
from kelvix.core.workflow import OFTEN, Own, When, Workflow
from kelvix.engine import catching_up, expecting, sampling, switch, using, whereabouts
from kelvix.engine.overview import Overview
from kelvix.engine.subscriptions.polling import lasting
from kelvix.workspace import samples, workflows
from kelvix.workspace.workflows import Kept, Sample

router = APIRouter(prefix="/api/v1", tags=["workflows"])


class ListensOut(BaseModel):
    """What a workflow that is on listens to in Kelvix itself; `itself`: how often its own runs would have set it off again."""

    kind: str
    next_at: datetime | None
    itself: int


class SubscriptionOut(BaseModel):
    """How a workflow that is on listens. `pushed` says whether the app tells at once."""

    pushed: bool
    next_check_at: datetime
    last_check_at: datetime | None
    problem: str | None
    every: int = Field(description="seconds between checks, as the most impatient of those who listen to it wishes")
    delay: float | None = Field(description="seconds that it took lately until a change was read, where that is known")


class HeldOut(BaseModel):
    """What arrived and is held, since the workflow is paused or the workspace is at a limit."""

    count: int
    since: datetime
    why: str


class WorkflowOut(BaseModel):
    id: int
    name: str
    state: str
    reason: str | None
    draft_version: int
    live_version: int | None
    changed_since_on: bool
    tried_never_on: bool
    turned_on_at: datetime | None
    subscription: SubscriptionOut | None
    listens: ListensOut | None
    sentence: str
    a_month: int | None = Field(description="how many runs a month are expected")
    a_month_from: str = Field(description="what that is told from")
    silent: str | None = Field(description="where its source has fallen silent: since when, and the likely cause")
    held: HeldOut | None = Field(None, description="what arrived and has not been processed yet")
    recent: list[str] = Field([], description="the states of the last runs, the newest first")


class WorkflowDetail(WorkflowOut):
    """`unfinished`: the first line on which something is still to be said or fixed."""

    document: Workflow
    unfinished: str | None


class WorkflowIn(BaseModel):
    name: str = Field(min_length=1, max_length=200, examples=["Enquiries from the post"])
    connection: int | None = None
    database: int | None = None
    app: str | None = Field(None, max_length=40, description="where no connection says it")
    event: str | None = Field(None, max_length=40, description="what starts it; else the first event of the app")
    container: str | None = Field(None, max_length=200, description="where in the app")
    container_name: str = Field("", max_length=200)
    own: Own | None = Field(None, description="what starts it here: a record, the time, a request")


class DraftIn(BaseModel):
    """`document` may be one of earlier times, as a script may have kept it."""

    name: str = Field(min_length=1, max_length=200)
    document: Annotated[Workflow, BeforeValidator(upgraded)]


class SampleOut(BaseModel):
    id: int
    kind: str
    item_id: str | None
    title: str
    link: str | None
    at: datetime
    values: dict[str, Wire]
    lists: dict[str, Rows]


class TurnOnIn(BaseModel):
    """`carry_missed`: what came while the workflow was off is carried too."""

    carry_missed: bool = False


class SamplesIn(BaseModel):
    document: Workflow


class NewestIn(SamplesIn):
    count: int = Field(5, ge=1, le=50)


class NextIn(SamplesIn):
    after: str | None = Field(None, max_length=500, description="the cursor that was given before")


class NextOut(BaseModel):
    cursor: str
    arrived: int


class SampleValues(BaseModel):
    """`lists` that are not given stay as they are."""

    values: dict[str, Wire]
    lists: dict[str, Rows] = {}


class TryIn(BaseModel):
    sample: int
    only_line: str | None = None


class TryOut(BaseModel):
    run: int


class WhereIn(BaseModel):
    item: str = Field(min_length=1, max_length=2000, description="a link to the item, or its id")


class WhereOut(BaseModel):
    fate: whereabouts.Fate
    sentence: str
    advice: str
    title: str
    run: int | None
    link: str | None
    at: datetime | None


class ItemOut(BaseModel):
    id: str
    title: str
    at: datetime
    link: str


def _event_words(who: Caller, document: Workflow) -> str:
    app = who.engine.apps.get(document.when.app)
    return app.event(document.when.event).words if app else "something happens"


def _out(who: Caller, kept: Kept, seen: Overview) -> dict[str, Any]:
    one, of, own = seen.consumers.get(kept.id), seen.subscriptions.get(kept.id), seen.listens.get(kept.id)
    reads = one if one is not None and one.state == "on" else None
    a_month, told_from = expecting.a_month(who.space, kept, seen.past, datetime.now(UTC))
    held = seen.held.get(kept.id)
    return {
        "id": kept.id,
        "name": kept.name,
        "state": kept.state,
        "reason": kept.reason,
        "draft_version": kept.draft_version,
        "live_version": kept.running_number,
        "changed_since_on": kept.running is not None and kept.state == "on" and kept.running != kept.draft,
        "tried_never_on": kept.tried_ok_at is not None and kept.turned_on_at is None,
        "turned_on_at": kept.turned_on_at,
        "subscription": SubscriptionOut(
            pushed=of.push_id is not None,
            next_check_at=of.next_check_at,
            last_check_at=of.last_check_at,
            problem=of.problem,
            every=round(lasting(seen.every.get(of.id, OFTEN), of)),
            delay=seen.delay,
        )
        if of and reads
        else None,
        "listens": ListensOut(kind="record", next_at=None, itself=reads.note.get("itself", 0))
        if reads and of is None
        else ListensOut(kind=own.kind, next_at=own.next_at, itself=0)
        if own and own.state == "on"
        else None,
        "sentence": telling.sentence(kept.draft, _event_words(who, kept.draft), seen.names),
        "held": HeldOut(count=held.count, since=held.since, why=workflows.why_held(who.space, kept, seen)) if held else None,
        "recent": seen.recent.get(kept.id, []),
        "a_month": a_month,
        "a_month_from": told_from,
        "silent": kept.silence["said"] if kept.silence and kept.state == "on" else None,
    }


@router.get("/workflows")
def list_workflows(who: Reader) -> list[WorkflowOut]:
    kept, seen = workflows.list_told(who.space)
    return [WorkflowOut(**_out(who, k, seen)) for k in kept]


@router.post("/workflows", status_code=201)
def create_workflow(who: Editor, body: WorkflowIn) -> WorkflowDetail:
    """Naming the two ends gives a half-built workflow: a When line and an Add line."""
    made = workflows.create(
        who.engine,
        who.space,
        body.name,
        body.connection,
        body.database,
        workflows.Starts(body.app, body.event, body.container, body.container_name, body.own),
    )
    who.announce("workflows")
    return get_workflow(who, made)


@router.post("/workflows/{workflow_id}/duplicate", status_code=201)
def duplicate_workflow(who: Editor, workflow_id: int) -> WorkflowDetail:
    """Make another workflow, off, with the same draft."""
    made = workflows.duplicate(who.space, workflows.get(who.space, workflow_id))
    who.announce("workflows")
    return get_workflow(who, made)


@router.get("/workflows/{workflow_id}")
def get_workflow(who: Reader, workflow_id: int) -> WorkflowDetail:
    kept = workflows.get(who.space, workflow_id)
    unfinished = workflows.first_unfinished(who.engine, who.space, kept.draft)
    return WorkflowDetail(**_out(who, kept, workflows.told(who.space, kept)), document=kept.draft, unfinished=unfinished)


@router.put("/workflows/{workflow_id}")
def save_draft(
    who: Editor, workflow_id: int, body: DraftIn, if_match: Annotated[str | None, Header()] = None
) -> WorkflowDetail:
    """`If-Match` names the draft that was edited; one that was saved since answers 412."""
    saw = whole((if_match or "").strip().strip('"'))
    if saw is None:
        raise Problem(428, "The draft version is missing.", 'Send it as If-Match: "3".')
    workflows.save(who.space, workflow_id, saw, body.name, body.document)
    who.announce("workflows", f"workflow:{workflow_id}")
    return get_workflow(who, workflow_id)


@router.delete("/workflows/{workflow_id}/held", status_code=204)
def drop_held(who: Editor, workflow_id: int) -> None:
    """Drop what arrived and is held. It cannot be undone."""
    workflows.get(who.space, workflow_id)
    workflows.drop_held(who.space, workflow_id)
    who.announce("workflows", f"workflow:{workflow_id}")


@router.get("/workflows/{workflow_id}/uses")
def list_uses(who: Reader, workflow_id: int) -> list[UseOut]:
    """Return the workflows that are on or paused and run this one."""
    return uses_out(using.of_workflow(who.engine, who.space, workflows.get(who.space, workflow_id).id))


@router.delete("/workflows/{workflow_id}")
def delete_workflow(who: Editor, workflow_id: int, anyway: bool = False) -> Deleted:
    """Into the trash; what it holds is dropped. One that another runs answers 409 unless it is deleted anyway."""
    kept = workflows.get(who.space, workflow_id)
    entries = workflows.delete(who.engine, who.space, kept, who.person, anyway)
    who.announce("workflows", f"workflow:{workflow_id}", "trash")
    return Deleted(entries=entries)


# Samples


def _sample_out(s: Sample) -> SampleOut:
    return SampleOut(
        id=s.id,
        kind=s.kind,
        item_id=s.item_id,
        title=s.item["title"],
        link=s.item.get("link"),
        at=s.item_at,
        values={k: v for k, v in s.item["values"].items() if not (_is_rows(v) or isinstance(v, dict))},
        lists={k: v for k, v in s.item["values"].items() if _is_rows(v)},
    )


@router.get("/workflows/{workflow_id}/samples")
def list_samples(who: Reader, workflow_id: int) -> list[SampleOut]:
    kept = workflows.get(who.space, workflow_id)
    return [_sample_out(s) for s in samples.list_all(who.space, workflow_id, kept.draft.when)]


def _with_source(who: Caller, when: When, work: Any) -> Any:
    try:
        return work()
    except PermanentError as failure:
        who.engine.note_failure(who.space, when.connection, failure)
        raise


@router.post("/workflows/{workflow_id}/samples/fetch")
def fetch_samples(who: Editor, workflow_id: int, body: NewestIn) -> list[SampleOut]:
    """Fetch the newest items of the source, in place of those fetched before."""
    workflows.get(who.space, workflow_id)
    if body.document.when.own is not None:
        try:
            sampling.fetch_own(who.engine, who.space, workflow_id, body.document.when.own, body.count)
        except Unfit as unfit:
            raise Problem(422, "This schedule is not valid.", f"{unfit}.") from None
        return list_samples(who, workflow_id)
    when = samples.source_of(body.document)
    _with_source(who, when, lambda: sampling.fetch_newest(who.engine, who.space, workflow_id, when, body.count))
    who.announce("places")  # what its items have was read with them
    return list_samples(who, workflow_id)


@router.post("/workflows/{workflow_id}/samples/next")
def fetch_next(who: Editor, workflow_id: int, body: NextIn) -> NextOut:
    """Wait for the next item: the first call gives a cursor, later ones what arrived after it."""
    workflows.get(who.space, workflow_id)
    when = samples.source_of(body.document)
    cursor, arrived = _with_source(who, when, lambda: sampling.fetch_next(who.engine, who.space, workflow_id, when, body.after))
    return NextOut(cursor=cursor, arrived=arrived)


def _is_rows(value: object) -> bool:
    """Whether a kept value is a list's rows, rather than labels."""
    return isinstance(value, list) and all(isinstance(row, dict) for row in value)


@router.post("/workflows/{workflow_id}/samples", status_code=201)
def make_sample(who: Editor, workflow_id: int, body: SampleValues) -> list[SampleOut]:
    """Add a made-up sample."""
    kept = workflows.get(who.space, workflow_id)
    samples.make(who.engine, who.space, kept, body.values, body.lists)
    return list_samples(who, workflow_id)


@router.put("/workflows/{workflow_id}/samples/{sample_id}")
def edit_sample(who: Editor, workflow_id: int, sample_id: int, body: SampleValues) -> list[SampleOut]:
    kept = workflows.get(who.space, workflow_id)
    sample = samples.get(who.space, workflow_id, sample_id)
    samples.edit(who.engine, who.space, kept, sample, body.values, body.lists)
    return list_samples(who, workflow_id)


@router.delete("/workflows/{workflow_id}/samples/{sample_id}")
def forget_sample(who: Editor, workflow_id: int, sample_id: int) -> list[SampleOut]:
    samples.forget(who.space, workflow_id, sample_id)
    return list_samples(who, workflow_id)


# Trying


@router.post("/workflows/{workflow_id}/try", status_code=202)
def carry_sample(who: Editor, workflow_id: int, body: TryIn) -> TryOut:
    """Carry a sample through the saved draft for real: all lines, or only the acting line that is named. What it did here
    can be undone."""
    kept = workflows.get(who.space, workflow_id)
    sample = samples.get(who.space, workflow_id, body.sample)
    run = workflows.carry_sample(who.space, kept, sample, body.only_line)
    who.announce("ready", "runs")
    return TryOut(run=run)


# On, off, and where an item is


@router.post("/workflows/{workflow_id}/on")
def turn_on(who: Editor, workflow_id: int, body: TurnOnIn | None = None) -> WorkflowDetail:
    """Make the draft the version that runs. Where something came while it was off, that can be carried too."""
    if body and body.carry_missed:
        catching_up.turn_on(who.engine, who.space, workflow_id, who.person.name)
    else:
        switch.turn_on(who.engine, who.space, workflow_id)
    return get_workflow(who, workflow_id)


@router.post("/workflows/{workflow_id}/off")
def turn_off(who: Editor, workflow_id: int) -> WorkflowDetail:
    switch.turn_off(who.engine, who.space, workflow_id)
    return get_workflow(who, workflow_id)


@router.post("/workflows/{workflow_id}/check-now", status_code=202)
def check_now(who: Editor, workflow_id: int) -> dict[str, str]:
    """Bring the next check forward to now."""
    workflows.check_soon(who.space, workflow_id)
    return {"state": "asked"}


@router.post("/workflows/{workflow_id}/where")
def where_is_my_item(who: Reader, workflow_id: int, body: WhereIn) -> WhereOut:
    return WhereOut(**whereabouts.where_is(who.engine, who.space, workflow_id, body.item.strip()).__dict__)


@router.get("/workflows/{workflow_id}/items")
def list_items(who: Reader, workflow_id: int) -> list[ItemOut]:
    """Return the newest items of the source, to pick one from; where it starts here, the newest that it took in."""
    found = workflows.newest_items(who.engine, who.space, workflows.get(who.space, workflow_id), 20)
    return [ItemOut(id=i.id, title=i.title, at=i.at, link=i.link) for i in found]
