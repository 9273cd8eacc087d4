"""Catching up: past items carried for real, a few at a time beside what arrives, and undone as one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Literal

from kelvix.core import recognising, sources
from kelvix.core.checking import check
from kelvix.core.collection import Item, PermanentError
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.workflow import RecordEvent, Workflow
from kelvix.engine import switch, undoing
from kelvix.engine.engine import Engine
from kelvix.engine.sampling import as_kept
from kelvix.engine.subscriptions import subscribing
from kelvix.engine.subscriptions.records import told
from kelvix.engine.switch import NotReady
from kelvix.engine.undoing import Undone
from kelvix.store import arrivals, catch_ups, consumers, databases, journal, subscriptions, workflows
from kelvix.store.arrivals import Arrival
from kelvix.store.catch_ups import CatchUp, Recognises
from kelvix.store.consumers import Consumer
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space, Within
from kelvix.store.subscriptions import Subscription

MAX_UNDER_WAY = 8  # items of one catch-up that are on their way at a time
MAX_ITEMS = 5_000  # items of one catch-up
MAX_MISSED = 1_000  # that are counted

State = Literal["new", "there", "passed_by", "put_right", "carried", "failed", "tried"]


@dataclass(frozen=True)
class Past:
    """A past item, and what carrying it would come to, or that it was carried already, or failed, by which run."""

    id: str
    title: str
    at: datetime
    state: State
    run: int | None = None


def past(
    engine: Engine, space: Space, workflow_id: int, document: Workflow, recognises: Recognises, before: str | None, limit: int
) -> tuple[list[Past], str | None]:
    """Return a page of the past items of a source, the newest first, and what to ask with for the next. Raises TransientError,
    PermanentError."""
    when = document.when
    account = engine.account(space, when.connection)
    with engine.pacer.calls(space, when.connection or 0):
        page = account.collection(when.container or "").query(Query(limit=limit, after=before))
    known = space.read(lambda t: catch_ups.known_items(t, space.id, workflow_id, [i.id for i in page.items]))
    context = engine.context(space, document)

    def one(item: Item) -> Past:
        found, run = known.get(item.id, (None, None))
        if found in ("carried", "failed"):
            return Past(item.id, item.title, item.created, found, run)
        comes: State = recognising.expected(document, as_kept(account.app, item, context.place)["values"], context, recognises)
        return Past(item.id, item.title, item.created, "tried" if found == "tried" and comes == "new" else comes, run)

    return [one(i) for i in page.items], page.after


def start(engine: Engine, space: Space, workflow_id: int, items: Sequence[Arrival], recognises: Recognises, person: str) -> int:
    """Carry past items, or changes of them, in this order, through the draft as it is. Raises NotFoundError, NotReady,
    PermanentError."""
    kept = space.read(lambda t: workflows.get(t, space.id, workflow_id))
    if kept is None:
        raise NotFoundError("workflow not found")
    findings = check(kept.draft, engine.context(space, kept.draft))
    if findings:
        raise NotReady(findings)
    if kept.draft.when.own is not None:
        raise PermanentError("only items of an app can be processed afterwards", "call")

    subscribing.know_first_account(engine, space, workflow_id)
    account = engine.account(space, kept.draft.when.connection).collection(kept.draft.when.container or "").ref.account

    def work(t: Transaction) -> int:
        version = workflows.version_of_draft(t, space.id, kept)
        scope = consumers.know(t, space.id, workflow_id, account).scope(account)
        container = kept.draft.when.container or ""
        return catch_ups.start(t, space.id, workflow_id, version, scope, container, recognises, items[:MAX_ITEMS], person)

    made = space.transact(work)
    engine.dispatch.announce(space.id, "ready", f"workflow:{workflow_id}")
    return made


def feed(engine: Engine, server: DatabaseServer) -> int:
    """Bring the next items of each catch-up on their way: how many."""
    new = 0
    for one in server.read(catch_ups.running):
        space = engine.directory.open(one.workspace_id)
        fed = space.transact(partial(_feed, seen=one))
        if fed:
            engine.dispatch.announce(space.id, "ready", f"workflow:{one.workflow_id}")
        new += max(fed, 0)
    return new


def _feed(t: Transaction, seen: CatchUp) -> int:
    one = catch_ups.get(t, seen.workspace_id, seen.id, lock=True)
    if one is None or one.state != "running":
        return 0
    now = catch_ups.progress(t, one)
    if now.to_come == 0 and now.on_the_way == 0:
        catch_ups.set_state(t, one, "done")
        return -1
    room = MAX_UNDER_WAY - now.on_the_way
    return catch_ups.feed(t, one, room) if room > 0 and now.to_come else 0


def undo(engine: Engine, space: Space, one: CatchUp, person: str) -> Undone:
    """Undo all that a catch-up wrote, the last first; what is still to come does not come any more. What was changed since
    stays, and is said."""
    space.transact(lambda t: catch_ups.set_state(t, one, "paused"))
    undone = trashed = 0
    kept: list[str] = []
    for run in space.read(lambda t: catch_ups.runs_of(t, one)):
        done = undoing.undo_run(engine, space, run, person)
        undone, trashed, kept = undone + done.undone, trashed + done.trashed, [*kept, *done.kept]
    left = space.read(lambda t: catch_ups.progress(t, one)).on_the_way
    if left:
        kept.append(f"{left} were still running. Undo again when they have ended.")
    else:
        space.transact(lambda t: catch_ups.set_state(t, one, "undone"))
    engine.dispatch.announce(space.id, f"workflow:{one.workflow_id}", "runs")
    return Undone(undone, trashed, tuple(kept))


@dataclass(frozen=True)
class Missed:
    """What came while a workflow was off: how many, the items of an app or changes of them, and since when."""

    count: int
    items: tuple[Arrival, ...]
    since: datetime | None


def missed(engine: Engine, space: Space, workflow_id: int) -> Missed:
    """Return what came since the workflow was turned off, for the same source as then. Raises NotFoundError, TransientError,
    PermanentError."""
    kept = space.read(lambda t: workflows.get(t, space.id, workflow_id))
    if kept is None:
        raise NotFoundError("workflow not found")
    nothing = Missed(0, (), kept.turned_off_at)
    if kept.state != "off" or kept.turned_off_at is None:
        return nothing
    own = kept.draft.when.own
    if isinstance(own, RecordEvent):
        number = space.read(lambda t: _missed_records(engine, t, space, workflow_id, own))
        return Missed(number, (), kept.turned_off_at)
    one, of = _listened(space, workflow_id)
    when = kept.draft.when
    if own is not None or one is None or of is None or (one.connection_id, of.place) != (when.connection, when.container):
        return nothing
    fresh = _came_since(engine, space, one, of)
    return Missed(len(fresh), fresh, kept.turned_off_at)


def _listened(space: Space, workflow_id: int) -> tuple[Consumer | None, Subscription | None]:
    """Return what a workflow listened to last, and how far it had read."""
    return (
        space.read(lambda t: consumers.of_workflow(t, space.id, workflow_id)),
        space.read(lambda t: subscriptions.of_workflow(t, space.id, workflow_id)),
    )


def _came_since(engine: Engine, space: Space, one: Consumer, of: Subscription) -> tuple[Arrival, ...]:
    """Return what started the workflow after its place in the journal, and after where the journal ends, and was not taken in;
    of each item once, since it is carried as it is then, however often it changed."""
    source = engine.account(space, one.connection_id).collection(of.place)
    kinds = one.kinds.split(",")
    told = [(c.item, c.told, c.revision) for c in space.read(lambda t: journal.after(t, of.id, one.read_to, MAX_MISSED))]
    cursor, more = of.cursor_at, True
    while more and len(told) < MAX_MISSED:
        came = source.changes(cursor)
        cursor, more = came.cursor, came.more
        told += [(c.id, c.told, c.revision) for c in came.changes]
    found = [arrival for item, word, revision in told if (arrival := Arrival.of(item, word, revision, kinds))]
    known = space.read(lambda t: arrivals.known(t, space.id, one.workflow_id, one.scope(of.account), of.place, found))
    by_item: dict[str, Arrival] = {}
    for arrival in found:
        if arrival not in known:
            by_item.setdefault(arrival.item, arrival)
    return tuple(by_item.values())


def turn_on(engine: Engine, space: Space, workflow_id: int, person: str) -> None:
    """Turn a workflow on and carry what came while it was off. An app is asked after it was turned on, so that nothing falls
    between; what arrives meanwhile is the same event by either way. Raises as switch.turn_on."""
    before = missed(engine, space, workflow_id)
    one, of = _listened(space, workflow_id)
    switch.turn_on(engine, space, workflow_id, from_where_it_was=True)
    if before.items and one and of:
        start(engine, space, workflow_id, _came_since(engine, space, one, of) or before.items, {}, person)


def _missed_records(engine: Engine, t: Transaction, space: Space, workflow_id: int, own: RecordEvent) -> int:
    one = consumers.of_workflow(t, space.id, workflow_id)
    database = databases.get(t, space.id, own.database or 0)
    if one is None or database is None or one.database_id != database.id:
        return 0
    source = engine.records(Within(space, t), database)
    number, looked, cursor, more = 0, 0, str(one.read_to), True
    while more and looked < MAX_MISSED:
        found = source.changes(cursor)
        looked, cursor, more = looked + max(1, len(found.changes)), found.cursor, found.more
        for change in found.changes:
            itself = str(change.origin.get("workflow")) == str(workflow_id)
            before, after = told(change.before), told(change.after)
            number += not itself and sources.matches(own, database, change.told, before, after)
    return number
