"""Workflows: their list, drafts, tries, and what is told of them."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from kelvix.core import checking
from kelvix.core.collection import TransientError
from kelvix.core.lines import connections_of, kind_of
from kelvix.core.lines.add import Add
from kelvix.core.naming import remember_names
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.values import shorten
from kelvix.core.workflow import Own, When, Workflow
from kelvix.engine import holding, overview, switch, using
from kelvix.engine.engine import Engine
from kelvix.engine.overview import Overview
from kelvix.store import connections, events, kept_secrets, places, runs, subscriptions, trash, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.workflows import Kept, Sample
from kelvix.workspace import Space, samples
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotNow, NotValid, check_unused

__all__ = ["Kept", "Sample"]


@dataclass(frozen=True)
class Newest:
    """An item of a source, to pick one from."""

    id: str
    title: str
    at: datetime
    link: str


def get(space: Space, workflow_id: int) -> Kept:
    """Return a workflow of this workspace. Raises NotFoundError."""
    found = space.read(lambda t: workflows.get(t, space.id, workflow_id))
    if found is None:
        raise NotFoundError("workflow not found")
    return found


def list_all(space: Space) -> list[Kept]:
    return space.read(lambda t: workflows.list_all(t, space.id))


def list_told(space: Space) -> tuple[list[Kept], Overview]:
    """Return all workflows, with what is told of them."""

    def work(t: Transaction) -> tuple[list[Kept], Overview]:
        kept = workflows.list_all(t, space.id)
        return kept, overview.collect(t, space, kept)

    return space.read(work)


def told(space: Space, kept: Kept) -> Overview:
    """Return what is told of a workflow."""
    return space.read(lambda t: overview.collect(t, space, [kept]))


def using_connection(space: Space, connection_id: int) -> Sequence[Kept]:
    """Return the workflows that read or send by a connection."""
    reached = space.read(lambda t: places.connections(t, space.id))
    return [w for w in list_all(space) if connection_id in connections_of(w.draft, reached)]


@dataclass(frozen=True)
class Starts:
    """What starts a new workflow, as far as that is said."""

    app: str | None = None
    event: str | None = None
    container: str | None = None
    container_name: str = ""
    own: Own | None = None


ANY = Starts()


def create(engine: Engine, space: Space, name: str, connection: int | None, database: int | None, starts: Starts = ANY) -> int:
    """Make a workflow, half built: a When line and an Add line, with the ends that are named."""
    add = Add(id=secrets.token_hex(4), database=database)
    through = space.read(lambda t: connections.get(t, space.id, connection)) if connection else None
    when = When(
        id=secrets.token_hex(4),
        connection=connection,
        container=starts.container,
        container_name=starts.container_name,
        own=starts.own,
    )
    app = engine.apps.get(through.app if through else starts.app or "")
    if app is not None:
        known = {e.code for e in app.all_events}
        when = replace(when, app=app.code, event=starts.event if starts.event in known else app.events[0].code)
    return workflows.create(space, name, Workflow((when, add)))


def duplicate(space: Space, kept: Kept) -> int:
    """Make another workflow with the same draft, named as a copy."""
    taken = {w.name for w in list_all(space)}
    first = f"{kept.name}, copy"
    name = next(n for n in (first, *(f"{first} {x}" for x in range(2, 999))) if n not in taken)
    return workflows.create(space, name[:200], kept.draft)


def first_unfinished(engine: Engine, space: Space, document: Workflow) -> str | None:
    """Return the first line on which something is still to be said or fixed."""
    return checking.first_unfinished(document, engine.context(space, document, "rehearses"))


def save(space: Space, workflow_id: int, saw: int, name: str, document: Workflow) -> None:
    """Save a draft with what its fields are called now. Raises StaleDraft where it was saved since `saw`."""
    before = get(space, workflow_id).draft
    named = remember_names(before, document, space.read(lambda t: places.load_all(t, space.id)))
    space.transact(lambda t: workflows.save(t, space.id, workflow_id, saw, name, named))


def drop_held(space: Space, workflow_id: int) -> None:
    """Drop what arrived and is held. It cannot be undone."""
    space.transact(lambda t: holding.drop(t, space.id, workflow_id))


def why_held(space: Space, kept: Kept, seen: Overview) -> str:
    """Return what has to happen before what is held is carried."""
    if kept.state == "paused":
        return "They will run when the workflow is resumed."
    if kept.state != "on":
        return "They will run when the workflow is turned on."
    if (one := seen.consumers.get(kept.id)) and one.connection_id in seen.refused:
        return "They will run when the connection is reconnected."
    if seen.is_over:
        return f"This workspace has reached its limit of {space.limits.runs_a_day:,} runs in 24 hours."
    return "They are starting."


def delete(engine: Engine, space: Space, kept: Kept, person: Person, anyway: bool) -> list[int]:
    """Put a workflow into the trash, what it holds dropped: the entries that bring it back. Raises NotNow while it is on, InUse
    where another runs it, unless `anyway`."""
    if kept.state == "on":
        raise NotNow("This workflow is on.", "Turn it off first.")
    check_unused(kept.name, using.of_workflow(engine, space, kept.id), anyway)
    if kept.state == "paused":
        switch.turn_off(engine, space, kept.id)
    space.transact(lambda t: workflows.delete(t, space.id, kept, person.name))
    return space.read(lambda t: trash.entries_of(t, space.id, "workflow", [kept.id]))


def keep_secret(engine: Engine, space: Space, workflow_id: int, secret: str) -> int:
    """Keep a secret of a workflow's lines, sealed: the number by which they name it."""
    return space.transact(lambda t: kept_secrets.keep(t, engine.vault, space.id, workflow_id, secret.strip()))


def carry_sample(space: Space, kept: Kept, sample: Sample, only_line: str | None) -> int:
    """Carry a sample through the saved draft for real, all lines or only an acting one: the run. Raises NotValid for a line
    that does not act."""
    only = kept.draft.line(only_line) if only_line is not None else None
    if only_line is not None and (only is None or not kind_of(only).acts):
        raise NotValid("This line writes nothing, so it can’t be tried alone.", "See its cell instead.")
    title = shorten(sample.item["title"], 300)

    def work(t: Transaction) -> int:
        version = workflows.version_of_draft(t, space.id, kept)
        return runs.new_try(t, space.id, kept.id, version, sample.item_id or "", title, sample.item, only_line)

    return space.transact(work)


def check_soon(space: Space, workflow_id: int) -> None:
    """Bring the next check forward to now. Raises NotNow where the workflow is not on."""
    if not space.transact(lambda t: subscriptions.check_soon(t, space.id, workflow_id)):
        raise NotNow("This workflow is off, so there is nothing to check.", "Turn it on first.")


def newest_items(engine: Engine, space: Space, kept: Kept, count: int) -> list[Newest]:
    """Return the newest items of a workflow's source, none while it does not answer; where it starts here, the newest that it
    took in. Raises NotNow where it has no source yet."""
    if kept.draft.when.own is not None:
        taken = space.read(lambda t: events.newest(t, space.id, kept.id, count))
        return [Newest(e["item_id"], e["title"] or e["item_id"], e["at"], "") for e in taken]
    when = samples.source_of(kept.draft)
    try:
        source = engine.account(space, when.connection).collection(when.container or "")
        return [Newest(i.id, i.title, i.created, i.link) for i in source.query(Query(limit=count)).items]
    except TransientError:
        return []
