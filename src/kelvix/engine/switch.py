"""Turning a workflow on and off."""

from __future__ import annotations

from datetime import UTC, datetime

import structlog

from kelvix.connectors import guarded_http
from kelvix.connectors.contract import Account
from kelvix.core import schedule
from kelvix.core.cells import Finding
from kelvix.core.checking import check
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.finding import compared
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.values import fold
from kelvix.core.workflow import AddOrUpdate, Find, Own, RecordEvent, SaveFile, Schedule, SendMail, WebRequest, Workflow
from kelvix.engine import polling
from kelvix.engine.engine import Engine
from kelvix.store import changes, finding, listening, watches, workflows
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
    findings = _may_send(engine, space, kept.draft) + _may_reach(engine, kept.draft)
    if findings:
        raise NotReady(findings)
    for line in kept.draft.lines:
        if isinstance(line, Find | AddOrUpdate) and line.database is not None:
            finding.prepare(space.server, context.databases[line.database], compared(line))
    when = kept.draft.when
    if when.own is not None:
        return _listen(engine, space, kept, when.own, from_where_it_was)
    account = engine.account(space, when.connection)
    source = account.collection(when.container or "")
    try:
        cursor = source.head()
        source.query(Query(limit=1))
    except PermanentError as failure:
        engine.note_failure(space, when.connection, failure)
        raise
    before = space.read(lambda t: watches.of_workflow(t, space.id, workflow_id))
    kinds = account.app.event(when.event).kinds
    same = (
        before is not None
        and before.state in ("on", "paused")
        and before.connection_id == when.connection
        and before.container == when.container
        and before.kinds == ",".join(kinds)
    )

    def work(t: Transaction) -> int:
        version = workflows.version_of_draft(t, space.id, kept)
        workflows.set_state(t, space.id, workflow_id, "on", version, order=when.order)
        listening.end(t, space.id, workflow_id)
        listening.forget(t, space.id, workflow_id)
        if same and before:
            watches.resume(t, space.id, before.id, version)
            return before.id
        return watches.start(
            t, space.id, workflow_id, when.connection or 0, when.container or "", version, cursor, polling.EVERY, kinds
        )

    watch_id = space.transact(work)
    if not same:
        if before and before.state != "off":
            end_pushes(engine, space, before)
        _push(engine, space, watch_id, account, when.container or "")
    engine.dispatch.announce(space.id, "workflows", f"workflow:{workflow_id}")


def _listen(engine: Engine, space: Space, kept: workflows.Kept, own: Own, from_where_it_was: bool) -> None:
    """Listen to what happens in Kelvix itself, from now on, or from where it was turned off."""
    before = space.read(lambda t: watches.of_workflow(t, space.id, kept.id))
    now = datetime.now(UTC)
    coming = schedule.next_times(own, space.zone, now, 1) if isinstance(own, Schedule) else []
    database = own.database if isinstance(own, RecordEvent) else None

    def work(t: Transaction) -> None:
        version = workflows.version_of_draft(t, space.id, kept)
        workflows.set_state(t, space.id, kept.id, "on", version, order=kept.draft.when.order)
        watches.end(t, space.id, kept.id)
        cursor = changes.last(t, space.id)
        was = listening.of_workflow(t, space.id, kept.id)
        if was and (from_where_it_was or was.state == "paused") and was.kind == "record" and was.database_id == database:
            cursor = was.cursor_at
        next_at = coming[0] if coming else None
        listening.start(t, space.id, kept.id, version, own.kind, database, cursor, now, next_at)

    space.transact(work)
    if before and before.state != "off":
        end_pushes(engine, space, before)
    engine.dispatch.announce(space.id, "workflows", f"workflow:{kept.id}")


def _may_send(engine: Engine, space: Space, workflow: Workflow) -> list[Finding]:
    """Lines that send by a connection which may not. Raises TransientError, PermanentError."""
    found: list[Finding] = []
    for line in workflow.lines:
        if isinstance(line, SendMail):
            account = engine.account(space, line.connection)
            if not account.app.sends or not account.check().may_write:
                said = "this connection may not send mail; widen it, and tick that it may send"
                found.append(Finding(line.id, said, key="connection"))
        if isinstance(line, SaveFile):
            found += _may_save(engine, space, line)
    return found


def _may_save(engine: Engine, space: Space, line: SaveFile) -> list[Finding]:
    """Return what stands against saving files, as far as it is known before. Raises TransientError, PermanentError."""
    account = engine.account(space, line.connection)
    app, health = account.app, account.check()
    if not app.saves or not health.may_write:
        said = f"this connection may not add files; widen it, and tick that it may add {app.items_word}"
        return [Finding(line.id, said, key="connection")]
    named = " ".join(p.text or "" for p in line.folder).strip() if all(p.text is not None for p in line.folder) else ""
    there = {fold(c.name) for c in health.places}
    if line.container is not None and line.container not in {c.id for c in health.places}:
        said = f"the {app.container_word} “{line.container_name}” is not shared with this connection any more; choose another"
        return [Finding(line.id, said, key="folder")]
    if line.container is None and named and fold(named) not in there and not line.makes:
        said = f"there is no {app.container_word} “{named}” among those shared: make it now, or let this line make it"
        return [Finding(line.id, said, key="folder")]
    return []


def _may_reach(engine: Engine, workflow: Workflow) -> list[Finding]:
    """Web requests whose address is known before the run, and may not be gone to."""
    found: list[Finding] = []
    for line in workflow.lines:
        if isinstance(line, WebRequest) and len(line.address) == 1 and line.address[0].text:
            try:
                guarded_http.resolve(line.address[0].text.strip(), engine.settings.may_reach)
            except PermanentError as failure:
                found.append(Finding(line.id, str(failure), key="address"))
            except TransientError:
                log.info("the address of a web request cannot be looked up now; its runs will", line=line.id)
    return found


def ask_for_pushes(engine: Engine, space: Space, watch: watches.Watch) -> None:
    """Ask anew to be told of what happens, as after access was renewed: what was agreed before ended with that."""
    try:
        account = engine.account(space, watch.connection_id)
    except PermanentError:
        return
    _push(engine, space, watch.id, account, watch.container)


def _push(engine: Engine, space: Space, watch_id: int, account: Account, container: str) -> None:
    """Where the app will not push, its feed is read more often instead."""
    try:
        push_id, secret = account.subscribe(container, f"{engine.settings.address}/hooks/{space.id}/{watch_id}")
    except (TransientError, PermanentError) as failure:
        log.warning("no pushes", watch=watch_id, why=str(failure))
        return
    space.transact(lambda t: watches.set_push(t, engine.vault, space.id, watch_id, push_id, secret))


def end_pushes(engine: Engine, space: Space, watch: watches.Watch) -> None:
    if watch.push_id:
        try:
            engine.account(space, watch.connection_id).unsubscribe(watch.push_id)
        except (TransientError, PermanentError) as failure:
            log.info("pushes could not be ended; they will be answered with 410", watch=watch.id, why=str(failure))


def pause(engine: Engine, space: Space, workflow_id: int, reason: str) -> None:
    """Carry nothing until somebody looked at it: a workflow that fails each time does no good by going on. What arrives is
    held."""
    turn_off(engine, space, workflow_id, reason, "paused")


def turn_off(engine: Engine, space: Space, workflow_id: int, reason: str | None = None, state: str = "off") -> None:
    """Listen no more, or hold what arrives where it is paused. Runs that were begun go on to their end.

    Raises NotFoundError.
    """
    watch = space.read(lambda t: watches.of_workflow(t, space.id, workflow_id))

    def work(t: Transaction) -> None:
        kept = workflows.get(t, space.id, workflow_id, lock=True)
        if kept is None:
            raise NotFoundError("no such workflow")
        if state == "paused" and kept.state != "on":
            return
        if state == "paused":
            watches.pause(t, space.id, workflow_id)
            listening.pause(t, space.id, workflow_id)
        else:
            watches.end(t, space.id, workflow_id)
            listening.end(t, space.id, workflow_id)
        workflows.set_state(t, space.id, workflow_id, state, kept.live, reason)

    space.transact(work)
    if watch and watch.state != "off" and state == "off":
        end_pushes(engine, space, watch)
    engine.dispatch.announce(space.id, "workflows", f"workflow:{workflow_id}")
