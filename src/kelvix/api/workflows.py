"""Workflows: drafts, samples, trying, turning on and off, and where an item is."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header
from pydantic import BaseModel, BeforeValidator, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.problems import Problem
from kelvix.api.trash import Deleted, UseOut, ask_first, uses_out
from kelvix.core import telling
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.fields import TYPES, coerce
from kelvix.core.lines import kind_of
from kelvix.core.lines.add import Add
from kelvix.core.naming import remember_names
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.steps import carried_from_item
from kelvix.core.upgrading import upgraded
from kelvix.core.values import Rows, Unfit, Wire, shorten, to_wire, whole
from kelvix.core.workflow import When, Workflow
from kelvix.engine import catching_up, expecting, holding, overview, sampling, switch, using, whereabouts
from kelvix.engine.overview import Overview
from kelvix.store import connections, databases, events, inbox, runs, subscriptions, trash, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.workflows import Kept, Sample

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
    held: HeldOut | None = Field(None, description="what arrived and has not been carried yet")
    recent: list[str] = Field([], description="the states of the last runs, the newest first")


class WorkflowDetail(WorkflowOut):
    document: Workflow


class WorkflowIn(BaseModel):
    name: str = Field(min_length=1, max_length=200, examples=["Enquiries from the post"])
    connection: int | None = None
    database: int | None = None


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


def kept_workflow(who: Caller, workflow_id: int) -> Kept:
    """Return a workflow of this workspace. Raises NotFoundError."""
    found = who.space.read(lambda t: workflows.get(t, who.space.id, workflow_id))
    if found is None:
        raise NotFoundError("there is no such workflow")
    return found


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
        )
        if of and reads
        else None,
        "listens": ListensOut(kind="record", next_at=None, itself=reads.note.get("itself", 0))
        if reads and of is None
        else ListensOut(kind=own.kind, next_at=own.next_at, itself=0)
        if own and own.state == "on"
        else None,
        "sentence": telling.sentence(kept.draft, _event_words(who, kept.draft), seen.names),
        "held": _held(who, kept, held, seen) if held else None,
        "recent": seen.recent.get(kept.id, []),
        "a_month": a_month,
        "a_month_from": told_from,
        "silent": kept.silence["said"] if kept.silence and kept.state == "on" else None,
    }


def _held(who: Caller, kept: Kept, held: inbox.Held, seen: Overview) -> HeldOut:
    if kept.state == "paused":
        why = "They will run when the workflow is resumed."
    elif kept.state != "on":
        why = "They will run when the workflow is turned on."
    elif (one := seen.consumers.get(kept.id)) and one.connection_id in seen.refused:
        why = "They will run when the connection has been renewed."
    elif seen.is_over:
        why = f"This workspace has reached its limit of {who.space.limits.runs_a_day:,} runs in 24 hours."
    else:
        why = "They are being started."
    return HeldOut(count=held.count, since=held.since, why=why)


@router.get("/workflows")
def list_workflows(who: Reader) -> list[WorkflowOut]:
    def work(t: Transaction) -> list[WorkflowOut]:
        kept = workflows.list_all(t, who.space.id)
        seen = overview.collect(t, who.space, kept)
        return [WorkflowOut(**_out(who, k, seen)) for k in kept]

    return who.space.read(work)


@router.post("/workflows", status_code=201)
def create_workflow(who: Editor, body: WorkflowIn) -> WorkflowDetail:
    """Naming the two ends gives a half-built workflow: a When line and an Add line."""
    through = who.space.read(lambda t: connections.get(t, who.space.id, body.connection or 0)) if body.connection else None
    when = When(id=secrets.token_hex(4), connection=body.connection)
    if through and through.app in who.engine.apps:
        when = replace(when, app=through.app, event=who.engine.apps[through.app].events[0].code)
    add = Add(id=secrets.token_hex(4), database=body.database)
    made = workflows.create(who.space, body.name, Workflow((when, add)))
    who.announce("workflows")
    return get_workflow(who, made)


@router.get("/workflows/{workflow_id}")
def get_workflow(who: Reader, workflow_id: int) -> WorkflowDetail:
    kept = kept_workflow(who, workflow_id)

    def work(t: Transaction) -> WorkflowDetail:
        return WorkflowDetail(**_out(who, kept, overview.collect(t, who.space, [kept])), document=kept.draft)

    return who.space.read(work)


@router.put("/workflows/{workflow_id}")
def save_draft(
    who: Editor, workflow_id: int, body: DraftIn, if_match: Annotated[str | None, Header()] = None
) -> WorkflowDetail:
    """`If-Match` names the draft that was edited; one that was saved since answers 412."""
    saw = whole((if_match or "").strip().strip('"'))
    if saw is None:
        raise Problem(428, "Say which draft you edited.", 'Send it as If-Match: "3".')
    before = kept_workflow(who, workflow_id).draft
    document = remember_names(before, body.document, who.space.read(lambda t: databases.load(t, who.space.id)))
    who.space.transact(lambda t: workflows.save(t, who.space.id, workflow_id, saw, body.name, document))
    who.announce("workflows", f"workflow:{workflow_id}")
    return get_workflow(who, workflow_id)


@router.delete("/workflows/{workflow_id}/held", status_code=204)
def drop_held(who: Editor, workflow_id: int) -> None:
    """Drop what arrived and is held. It cannot be undone."""
    kept_workflow(who, workflow_id)
    who.space.transact(lambda t: holding.drop(t, who.space.id, workflow_id))
    who.announce("workflows", f"workflow:{workflow_id}")


@router.get("/workflows/{workflow_id}/uses")
def list_uses(who: Reader, workflow_id: int) -> list[UseOut]:
    """Return the workflows that are on or paused and run this one."""
    return uses_out(using.of_workflow(who.engine, who.space, kept_workflow(who, workflow_id).id))


@router.delete("/workflows/{workflow_id}")
def delete_workflow(who: Editor, workflow_id: int, anyway: bool = False) -> Deleted:
    """Into the trash; what it holds is dropped. One that another runs answers 409 unless it is deleted anyway."""
    kept = kept_workflow(who, workflow_id)
    if kept.state == "on":
        raise Problem(409, "This workflow is on.", "Turn it off first.")
    ask_first(kept.name, using.of_workflow(who.engine, who.space, workflow_id), anyway)
    if kept.state == "paused":
        switch.turn_off(who.engine, who.space, workflow_id)
    who.space.transact(lambda t: workflows.delete(t, who.space.id, kept, who.person.name))
    who.announce("workflows", f"workflow:{workflow_id}", "trash")
    return Deleted(entries=who.space.read(lambda t: trash.entries_of(t, who.space.id, "workflow", [workflow_id])))


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
    kept_workflow(who, workflow_id)
    return [_sample_out(s) for s in who.space.read(lambda t: workflows.samples(t, who.space.id, workflow_id))]


def _source(document: Workflow) -> When:
    if document.when.own is not None:
        raise Problem(409, "What happens here cannot be waited for.", "Fetch what there is, or make one up.")
    if document.when.connection is None or document.when.container is None:
        raise Problem(409, "There is no source yet.", "Choose the connection and the folder in the When line first.")
    return document.when


def _with_source(who: Caller, when: When, work: Any) -> Any:
    try:
        return work()
    except PermanentError as failure:
        who.engine.note_failure(who.space, when.connection, failure)
        raise


@router.post("/workflows/{workflow_id}/samples/fetch")
def fetch_samples(who: Editor, workflow_id: int, body: NewestIn) -> list[SampleOut]:
    """Fetch the newest items of the source, in place of those fetched before."""
    kept_workflow(who, workflow_id)
    if body.document.when.own is not None:
        try:
            sampling.fetch_own(who.engine, who.space, workflow_id, body.document.when.own, body.count)
        except Unfit as unfit:
            raise Problem(422, "This schedule cannot be kept to.", f"{unfit}.") from None
        return list_samples(who, workflow_id)
    when = _source(body.document)
    _with_source(who, when, lambda: sampling.fetch_newest(who.engine, who.space, workflow_id, when, body.count))
    return list_samples(who, workflow_id)


@router.post("/workflows/{workflow_id}/samples/next")
def fetch_next(who: Editor, workflow_id: int, body: NextIn) -> NextOut:
    """Wait for the next item: the first call gives a cursor, later ones what arrived after it."""
    kept_workflow(who, workflow_id)
    when = _source(body.document)
    cursor, arrived = _with_source(who, when, lambda: sampling.fetch_next(who.engine, who.space, workflow_id, when, body.after))
    return NextOut(cursor=cursor, arrived=arrived)


def _is_rows(value: object) -> bool:
    """Whether a kept value is a list's rows, rather than labels."""
    return isinstance(value, list) and all(isinstance(row, dict) for row in value)


def _checked(who: Caller, document: Workflow, body: SampleValues, before: dict[str, Any]) -> dict[str, Any]:
    """Take a sample's values as typed by a person: what does not fit its type is refused, what is not known is dropped."""
    context = who.engine.context(who.space, document)
    kept = {k: v for k, v in before.items() if isinstance(v, dict)}  # the record that an event is about
    result: dict[str, Any] = kept | {one.key: body.lists.get(one.key, before.get(one.key, [])) for one in context.lists}
    wrong: dict[str, str] = {}
    for field in context.source:
        raw = body.values.get(field.key)
        given = tuple(map(str, raw)) if isinstance(raw, list) else raw
        try:
            result[field.key] = to_wire(coerce(given, field.type, who.space.zone, (), who.space.order, grows=True))
        except Unfit as unfit:
            wrong[field.key] = str(unfit)
    read = carried_from_item(document, context, result)
    wrong |= {ref.value: said for ref, said in read.unreadable.items()}
    if wrong:
        raise Problem(422, "Some values do not fit.", "; ".join(wrong.values()), fields=wrong)
    return result


def _title_and_time(who: Caller, document: Workflow, values: Mapping[str, Any]) -> tuple[str, datetime]:
    """Return what an item with these values is called by its app, and its time: the first that it carries, else now."""
    app = who.engine.apps.get(document.when.app)
    title = str(values.get(app.display.heading) or "") if app and document.when.own is None else ""
    source = who.engine.context(who.space, document).source
    at = next((values[f.key] for f in source if TYPES[f.type].has_clock and values.get(f.key)), None)
    return title, datetime.fromisoformat(str(at)) if at else datetime.now(UTC)


@router.post("/workflows/{workflow_id}/samples", status_code=201)
def make_sample(who: Editor, workflow_id: int, body: SampleValues) -> list[SampleOut]:
    """Add a made-up sample."""
    kept = kept_workflow(who, workflow_id)
    values = _checked(who, kept.draft, body, {})
    title, at = _title_and_time(who, kept.draft, values)
    item = {"id": None, "title": title or "made up", "link": None, "container": "", "values": values}
    who.space.transact(lambda t: workflows.keep_sample(t, who.space.id, workflow_id, "made_up", None, item, at))
    return list_samples(who, workflow_id)


@router.put("/workflows/{workflow_id}/samples/{sample_id}")
def edit_sample(who: Editor, workflow_id: int, sample_id: int, body: SampleValues) -> list[SampleOut]:
    kept = kept_workflow(who, workflow_id)
    found = next(
        (s for s in who.space.read(lambda t: workflows.samples(t, who.space.id, workflow_id)) if s.id == sample_id), None
    )
    if found is None:
        raise NotFoundError("there is no such sample")
    values = _checked(who, kept.draft, body, found.item["values"])
    title, _ = _title_and_time(who, kept.draft, values)
    item = found.item | {"values": values, "title": title or found.item["title"]}
    who.space.transact(lambda t: workflows.change_sample(t, who.space.id, workflow_id, sample_id, item))
    return list_samples(who, workflow_id)


@router.delete("/workflows/{workflow_id}/samples/{sample_id}")
def forget_sample(who: Editor, workflow_id: int, sample_id: int) -> list[SampleOut]:
    if not who.space.transact(lambda t: workflows.forget_samples(t, who.space.id, workflow_id, sample_id)):
        raise NotFoundError("there is no such sample")
    return list_samples(who, workflow_id)


# Trying


@router.post("/workflows/{workflow_id}/try", status_code=202)
def carry_sample(who: Editor, workflow_id: int, body: TryIn) -> TryOut:
    """Carry a sample through the saved draft for real: all lines, or only the acting line that is named. What it did here
    can be undone."""
    kept = kept_workflow(who, workflow_id)
    sample = next(
        (s for s in who.space.read(lambda t: workflows.samples(t, who.space.id, workflow_id)) if s.id == body.sample), None
    )
    if sample is None:
        raise NotFoundError("there is no such sample")
    only = kept.draft.line(body.only_line) if body.only_line is not None else None
    if body.only_line is not None and (only is None or not kind_of(only).acts):
        raise Problem(422, "This line does nothing that lasts, so it cannot be tried by itself.", "Look at its cell instead.")

    def work(t: Transaction) -> int:
        version = workflows.version_of_draft(t, who.space.id, kept)
        return runs.new_try(
            t,
            who.space.id,
            workflow_id,
            version,
            sample.item_id or "",
            shorten(sample.item["title"], 300),
            sample.item,
            body.only_line,
        )

    run = who.space.transact(work)
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
    if not who.space.transact(lambda t: subscriptions.check_soon(t, who.space.id, workflow_id)):
        raise Problem(409, "This workflow is not on, so there is nothing to check.", "Turn it on first.")
    return {"state": "asked"}


@router.post("/workflows/{workflow_id}/where")
def where_is_my_item(who: Reader, workflow_id: int, body: WhereIn) -> WhereOut:
    return WhereOut(**whereabouts.where_is(who.engine, who.space, workflow_id, body.item.strip()).__dict__)


@router.get("/workflows/{workflow_id}/items")
def list_items(who: Reader, workflow_id: int) -> list[ItemOut]:
    """Return the newest items of the source, to pick one from; where it starts here, the newest that it took in."""
    if kept_workflow(who, workflow_id).draft.when.own is not None:
        return [
            ItemOut(id=e["item_id"], title=e["title"] or e["item_id"], at=e["at"], link="")
            for e in who.space.read(lambda t: events.newest(t, who.space.id, workflow_id, 20))
        ]
    when = _source(Workflow((kept_workflow(who, workflow_id).draft.when,)))
    try:
        source = who.engine.account(who.space, when.connection).collection(when.container or "")
        items = source.query(Query(limit=20)).items
    except TransientError:
        items = ()
    return [ItemOut(id=i.id, title=i.title, at=i.created, link=i.link) for i in items]
