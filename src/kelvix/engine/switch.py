"""Turning a workflow on and off."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, datetime

import structlog

from kelvix.connectors.contract import TOLD
from kelvix.core import schedule
from kelvix.core import watching as watches
from kelvix.core.cells import Finding
from kelvix.core.checking import check
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.lines import kind_of
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.schema import Database, is_outside
from kelvix.core.workflow import Own, RecordEvent, Schedule, Workflow, Writes
from kelvix.engine import sampling
from kelvix.engine.effects import effect_of
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import pushes, subscribing, watching
from kelvix.store import changes, consumers, finding, listening, settling, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

log = structlog.stdlib.get_logger(__name__)


class NotReady(Exception):
    """What must be put right first."""

    def __init__(self, findings: list[Finding]):
        super().__init__("; ".join(f.sentence for f in findings))
        self.findings = findings


def turn_on(engine: Engine, space: Space, workflow_id: int, from_where_it_was: bool = False) -> None:
    """Make the draft the version that runs, from now on; where it listens to records, `from_where_it_was` takes in too what
    changed while it was off. Where the workflow is on already and listens to the same place, nothing that arrives meanwhile is
    lost. Raises NotFoundError, NotReady, TransientError, PermanentError."""
    kept = space.read(lambda t: workflows.get(t, space.id, workflow_id))
    if kept is None:
        raise NotFoundError("workflow not found")
    when = kept.draft.when
    if when.connection and when.container and engine.kept_place(space, when.connection, when.container) is None:
        with suppress(TransientError, PermanentError):  # what stands against it is found below
            sampling.seen(engine, space, when)
    context = engine.context(space, kept.draft)
    findings = check(kept.draft, context)
    if findings:
        raise NotReady(findings)
    findings = _may(engine, space, kept.draft)
    if findings:
        raise NotReady(findings)
    for line in kept.draft.lines:
        database, fields = kind_of(line).compares(line)
        if database is not None and not is_outside(database):
            finding.prepare(space.server, context.databases[database], fields)
    if when.own is not None:
        return _listen(engine, space, kept, when.own, from_where_it_was)
    account = engine.account(space, when.connection)
    source = account.collection(when.container or "")
    try:
        source.query(Query(limit=1))
    except PermanentError as failure:
        engine.note_failure(space, when.connection, failure)
        raise
    place = sampling.seen(engine, space, when)
    looks = watches.looks(when.awaited)
    kinds = TOLD if looks else account.app.event(when.event).kinds
    before, is_same = subscribing.present(engine, space, source, when.connection or 0, workflow_id, kinds)
    of = None
    if not is_same:
        if before is not None and before.looks and before.state != "off":
            watching.catch_up_with(engine, space, before)
        of = subscribing.reach(engine, space, source, when.connection or 0, workflow_id, from_where_it_was)
        if looks and not of.keeps_marks:
            watching.begin(engine, space, of, source, watching.place_of(engine, space, account, of.place, of.connection_id))

    def work(t: Transaction) -> bool:
        version = workflows.version_of_draft(t, space.id, kept)
        workflows.set_state(t, space.id, workflow_id, "on", version, order=when.order)
        listening.end(t, space.id, workflow_id)
        settling.forget(t, space.id, workflow_id)
        is_first = False
        if of is None and before is not None:
            consumers.resume(t, before, version, when.every)
        else:
            assert of is not None
            connection = when.connection or 0
            is_first = subscribing.join(
                t, space, of, workflow_id, source.ref.account, version, connection, kinds, looks, when.every
            )
        consumers.note_writing(t, space.id, workflow_id, _writes_in_apps(kept.draft, place))
        return is_first

    is_first = space.transact(work)
    if of is not None and (is_first or of.push_id is None):
        pushes.ask(engine, space, of, account)
    subscribing.end_unused(engine, space)
    engine.dispatch.announce(space.id, "workflows", f"workflow:{workflow_id}")


def _writes_in_apps(workflow: Workflow, place: Database | None) -> bool:
    """Say whether lines may change items of apps, so that what the source tells of may be their doing. `place`: the source's,
    if its items can be changed."""
    if any(is_outside(kind_of(line).works_on(line)) for line in workflow.lines):
        return True
    return place is not None and any(isinstance(line, Writes) for line in workflow.lines)


def _listen(engine: Engine, space: Space, kept: workflows.Kept, own: Own, from_where_it_was: bool) -> None:
    """Listen to what happens in Kelvix itself, from now on, or from where it was turned off."""
    now = datetime.now(UTC)
    coming = schedule.next_times(own, space.zone, now, 1) if isinstance(own, Schedule) else []

    def work(t: Transaction) -> None:
        version = workflows.version_of_draft(t, space.id, kept)
        workflows.set_state(t, space.id, kept.id, "on", version, order=kept.draft.when.order)
        was = consumers.of_workflow(t, space.id, kept.id)
        subscribing.leave(t, space, was)
        if isinstance(own, RecordEvent):
            listening.end(t, space.id, kept.id)
            goes_on = was and from_where_it_was and was.subscription_id is None and was.database_id == own.database
            place = was.read_to if was and goes_on else changes.last(t, space.id)
            consumers.listen_to_database(t, space.id, kept.id, version, own.database, place)
        else:
            consumers.end(t, space.id, kept.id)
            settling.forget(t, space.id, kept.id)
            listening.start(t, space.id, kept.id, version, own.kind, now, coming[0] if coming else None)

    space.transact(work)
    subscribing.end_unused(engine, space)
    engine.dispatch.announce(space.id, "workflows", f"workflow:{kept.id}")


def _may(engine: Engine, space: Space, workflow: Workflow) -> list[Finding]:
    """Return what stands against lines outside. Raises TransientError, PermanentError."""
    return [found for line in workflow.lines if (effect := effect_of(line)) for found in effect.may(engine, space, line)]


def pause(engine: Engine, space: Space, workflow_id: int, reason: str) -> None:
    """Carry nothing until somebody looked at it: a workflow that fails each time does no good by going on. What arrives is
    held."""
    turn_off(engine, space, workflow_id, reason, "paused")


def turn_off(engine: Engine, space: Space, workflow_id: int, reason: str | None = None, state: str = "off") -> None:
    """Listen no more, or hold what arrives where it is paused. Runs that were begun go on to their end.

    Raises NotFoundError.
    """

    def work(t: Transaction) -> None:
        kept = workflows.get(t, space.id, workflow_id, lock=True)
        if kept is None:
            raise NotFoundError("workflow not found")
        if state == "paused" and kept.state != "on":
            return
        if state == "paused":
            consumers.pause(t, space.id, workflow_id)
            listening.pause(t, space.id, workflow_id)
        else:
            consumers.end(t, space.id, workflow_id)
            listening.end(t, space.id, workflow_id)
        workflows.set_state(t, space.id, workflow_id, state, kept.live, reason)

    space.transact(work)
    subscribing.end_unused(engine, space)
    engine.dispatch.announce(space.id, "workflows", f"workflow:{workflow_id}")
