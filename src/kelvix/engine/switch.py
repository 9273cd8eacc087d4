"""Turning a workflow on and off."""

from __future__ import annotations

from datetime import UTC, datetime

import structlog

from kelvix.core import schedule
from kelvix.core.cells import Finding
from kelvix.core.checking import check
from kelvix.core.collection import PermanentError
from kelvix.core.lines import kind_of
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.workflow import Own, RecordEvent, Schedule, Workflow
from kelvix.engine.effects import effect_of
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import pushes, subscribing
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
        raise NotFoundError("no such workflow")
    context = engine.context(space, kept.draft)
    findings = check(kept.draft, context)
    if findings:
        raise NotReady(findings)
    findings = _may(engine, space, kept.draft)
    if findings:
        raise NotReady(findings)
    for line in kept.draft.lines:
        database, fields = kind_of(line).compares(line)
        if database is not None:
            finding.prepare(space.server, context.databases[database], fields)
    when = kept.draft.when
    if when.own is not None:
        return _listen(engine, space, kept, when.own, from_where_it_was)
    account = engine.account(space, when.connection)
    source = account.collection(when.container or "")
    try:
        source.query(Query(limit=1))
    except PermanentError as failure:
        engine.note_failure(space, when.connection, failure)
        raise
    kinds = account.app.event(when.event).kinds
    before, is_same = subscribing.present(engine, space, source, when.connection or 0, workflow_id, kinds)
    of = None
    if not is_same:
        of = subscribing.reach(engine, space, source, when.connection or 0, workflow_id, from_where_it_was)

    def work(t: Transaction) -> bool:
        version = workflows.version_of_draft(t, space.id, kept)
        workflows.set_state(t, space.id, workflow_id, "on", version, order=when.order)
        listening.end(t, space.id, workflow_id)
        settling.forget(t, space.id, workflow_id)
        if of is None and before is not None:
            consumers.resume(t, before, version)
            return False
        assert of is not None
        return subscribing.join(t, space, of, workflow_id, source.ref.account, version, when.connection or 0, kinds)

    is_first = space.transact(work)
    if of is not None and (is_first or of.push_id is None):
        pushes.ask(engine, space, of, account)
    subscribing.end_unused(engine, space)
    engine.dispatch.announce(space.id, "workflows", f"workflow:{workflow_id}")


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
            raise NotFoundError("no such workflow")
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
