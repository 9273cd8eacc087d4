"""Telling what changed, where an app says no more than that something did: the item is read, and compared with what it was
when it was looked at last (core/watching.py). That is noted in the journal once, for all who listen; each of them starts its
workflow by what it waits for."""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import partial
from typing import Any

import structlog

from kelvix.collections import apps as in_apps
from kelvix.connectors.contract import Account
from kelvix.core import sources, watching
from kelvix.core.collection import Change, Collection, Item, PermanentError, TransientError
from kelvix.core.query import Query
from kelvix.core.schema import Database
from kelvix.core.values import whole
from kelvix.core.watching import Mark, Seen
from kelvix.core.workflow import Awaited
from kelvix.engine.engine import Engine
from kelvix.engine.pacing import Paced
from kelvix.engine.sampling import MAX_ITEM, as_kept
from kelvix.engine.versions import Versions
from kelvix.store import consumers, events, journal, marks, own_writes, settling, subscriptions
from kelvix.store.arrivals import Arrival
from kelvix.store.consumers import Consumer, Reader
from kelvix.store.database_server import DatabaseServer, Row, Transaction
from kelvix.store.directory import Space
from kelvix.store.journal import SeenChange, SourceChange
from kelvix.store.secrets import digest
from kelvix.store.subscriptions import Subscription

BATCH_SIZE = 50  # changes that are looked at together
PAGE = 100
MAX_MARKS = 100_000  # items of a place of which it is known what they were
LEASE = 60.0  # seconds
AGAIN = 20.0  # seconds, after the app failed
SWEEP = 600.0  # seconds between looks for what was removed, where an app does not tell of that
log = structlog.stdlib.get_logger(__name__)


def place_of(engine: Engine, space: Space, account: Account, place: str, connection: int) -> Database:
    """Return what items of a place have: as it was read last, or as all of the app's have it."""
    kept = engine.kept_place(space, connection, place)
    return kept or Database(0, account.app.name, account.app.schema.fields)


# Looking


def begin(engine: Engine, space: Space, one: Subscription, source: Collection, place: Database) -> None:
    """Keep what all items of a place are now. Raises TransientError, PermanentError."""
    after: str | None = None
    known = 0
    while True:
        with engine.pacer.calls(space, one.connection_id, True):
            page = source.query(Query(limit=PAGE, after=after))
        found = {item.id: watching.mark_of(item, place.fields) for item in page.items if source.has(item)}
        space.transact(partial(marks.begin, subscription_id=one.id, known=found))
        known, after = known + len(found), page.after
        if after is None or known >= MAX_MARKS:
            break
    space.transact(lambda t: subscriptions.keep_marks(t, one))


def look_at(engine: Engine, space: Space, one: Subscription) -> int:
    """Look at all that a subscription's app told of, and note what it was: how many changes there were. What goes wrong puts it
    off."""
    total = 0
    try:
        while number := _look(engine, space, one):
            total += number
            one = space.read(partial(subscriptions.get, workspace_id=space.id, subscription_id=one.id)) or one
        space.transact(lambda t: subscriptions.look_again(t, one, 0))
    except Paced as paced:
        wait = paced.after
        space.transact(lambda t: subscriptions.look_again(t, one, wait))
    except TransientError as failure:
        wait = failure.after or AGAIN
        space.transact(lambda t: subscriptions.look_again(t, one, wait))
    except PermanentError as failure:
        engine.note_failure(space, one.connection_id, failure)
        space.transact(lambda t: subscriptions.look_again(t, one, AGAIN))
    return total


def _look(engine: Engine, space: Space, one: Subscription) -> int:
    """Look at what comes next. Of several changes of one item the last is looked at: what it was in between is not known."""
    rows = space.read(lambda t: journal.after(t, one.id, one.looked_to, BATCH_SIZE))
    if not rows:
        return 0
    account = engine.account(space, one.connection_id)
    source, last = account.collection(one.place), {row.item: row for row in rows}
    known = space.read(lambda t: marks.of(t, one.id, list(last)))
    with engine.pacer.calls(space, one.connection_id):
        now, hidden = _now(source, list(last))
    place = place_of(engine, space, account, one.place, one.connection_id)
    if place.outside and any(not in_apps.knows(place, item) for item in now.values()):  # choices came since it was read
        place = engine.see_place(space, one.connection_id, one.place)

    def work(t: Transaction) -> int:
        held = subscriptions.get(t, space.id, one.id, lock=True)
        if held is None or not held.keeps_marks or held.looked_to != one.looked_to or marks.of(t, one.id, list(last)) != known:
            return 0  # another looked meanwhile
        subscriptions.looked(t, one, rows[-1].n)
        for item_id, row in last.items():
            item, came = now.get(item_id), any(r.item == item_id and r.told == "new" and r.revision > 1 for r in rows)
            there = item is not None and source.has(item)
            seen = watching.compare(known.get(item_id), item, there, place.fields, not came, item_id in hidden)
            journal.note_seen(t, one.id, row.n, seen, _kept(account, item, known.get(item_id), seen, place, row))
            marks.put(t, one.id, item_id, watching.mark_of(item, place.fields) if item and there else None)
        return len(rows)

    return space.transact(work)


def _now(source: Collection, ids: Sequence[str]) -> tuple[dict[str, Item], set[str]]:
    """Return items as they are now, and those that lie where they can't be seen."""
    try:
        return source.get(ids), set()
    except PermanentError as failure:
        if failure.about not in ("container", "item"):
            raise
    found: dict[str, Item] = {}
    hidden: set[str] = set()
    for id in ids:
        try:
            found |= source.get((id,))
        except PermanentError as failure:
            if failure.about not in ("container", "item"):
                raise
            hidden.add(id)
    return found, hidden


def _kept(
    account: Account, item: Item | None, mark: Mark | None, seen: Seen, place: Database, row: SourceChange
) -> dict[str, Any] | None:
    """Return the item as a run keeps it, with what it was before: as it is now, or as it was where it is gone."""
    if seen.happened == "same":
        return None
    if item is None:
        assert mark
        return _as_it_was(account, row.item, mark, place)
    kept = as_kept(account.app, item, place if place.outside else None)
    kept["values"] |= watching.carried_before(seen, kept["values"], place)
    return kept if len(json.dumps(kept, ensure_ascii=False).encode()) <= MAX_ITEM else None


def _as_it_was(account: Account, id: str, mark: Mark, place: Database) -> dict[str, Any]:
    values = watching.as_carried(mark, place)
    return {
        "id": id,
        "title": mark.title,
        "link": mark.link,
        "app": account.app.code,
        "container": place.name,
        "values": values | ({sources.ITEM: {"id": id}} if place.outside else {}),
    }


def sweep(engine: Engine, space: Space, one: Subscription) -> int:
    """Look for items that were removed, where an app does not tell of that: how many. One that is missing among all that are
    there is asked for by itself, since it may only have moved."""
    source = engine.account(space, one.connection_id).collection(one.place)
    if "deleted" in source.capabilities.told:
        return 0
    there: set[str] = set()
    after: str | None = None
    while True:
        with engine.pacer.calls(space, one.connection_id):
            page = source.query(Query(limit=PAGE, after=after))
        there |= {item.id for item in page.items}
        after = page.after
        if after is None:
            break
    if not page.exhaustive:
        return 0
    missing = space.read(lambda t: marks.not_among(t, one.id, there))
    with engine.pacer.calls(space, one.connection_id):
        now, hidden = _now(source, list(missing))
    gone = [Change(id, "deleted", "gone", (whole(version or "") or 0) + 1) for id, version in missing.items()
            if id not in hidden and (id not in now or not source.has(now[id]))]  # fmt: skip
    return space.transact(lambda t: journal.append(t, one, gone, "sweep"))


# Starting workflows


def follow(engine: Engine, versions: Versions, server: DatabaseServer, limit: int = 50) -> int:
    """Let those read on to whom it is told what changed: how many changes they read."""
    total = 0
    for workspace_id, consumer_id in server.read(lambda t: consumers.behind_looks(t, limit)):
        space = engine.directory.open(workspace_id)
        try:
            for one in space.read(partial(consumers.readers, where="c.id", number=consumer_id, looks=True)):
                total += read_on(engine, versions, space, one)
        except Exception:
            log.exception("a consumer could not read on", workspace=workspace_id, consumer=consumer_id)
    return total


def read_on(engine: Engine, versions: Versions, space: Space, one: Reader) -> int:
    """Let one read on: how many changes there were."""
    when = versions.get(space, one.to.version).when
    account = engine.account(space, when.connection)
    place = place_of(engine, space, account, one.to.place, when.connection or 0)
    number, started = space.transact(partial(_read_on, when.awaited, place, one))
    if started:
        engine.dispatch.announce(space.id, "ready")
    return number


def catch_up_with(engine: Engine, space: Space, one: Consumer) -> None:
    """Let one read all that its app told of until now, since it listens to something else from now on."""
    of = space.read(lambda t: subscriptions.get(t, space.id, one.subscription_id or 0))
    if of is None:
        return
    look_at(engine, space, of)
    for reader in space.read(lambda t: consumers.readers(t, "c.id", one.id, True)):
        while read_on(engine, Versions(), space, reader):
            continue


def _read_on(awaited: Awaited, place: Database, one: Reader, t: Transaction) -> tuple[int, int]:
    held = consumers.locked(t, one.consumer)
    of = subscriptions.get(t, one.to.workspace, one.subscription)
    if held is None or of is None or held.subscription_id != of.id or held.version_id != one.to.version:
        return 0, 0
    if one.writes_in_apps and own_writes.is_writing(t, one.to):
        return 0, 0  # what was seen may be its own doing: that is known once the app has answered
    found = journal.seen_after(t, of.id, held.read_to, of.looked_to, BATCH_SIZE)
    started = 0
    for change in found:
        seen = _not_its_own(t, one, change, place)
        if seen.happened == "same":
            continue
        if awaited.waits:
            settling.stir(t, one.to.workflow, change.of.item, awaited.watch.quiet)
        if not watching.starts(awaited, place, seen):
            continue
        if awaited.waits and seen.happened in ("added", "came", "changed"):
            before = {k: v for k, v in (change.item or {}).get("values", {}).items() if k.startswith(watching.WAS)}
            settling.begin(
                t, one.to.workspace, one.to.workflow, change.of.item, change.of.n, json.dumps(before), None, awaited.watch.quiet
            )
        else:
            started += _enter(t, one, change.of, seen, change.item)
    if found:
        consumers.read_to(t, held, found[-1].of.n)
    return len(found), started


def _not_its_own(t: Transaction, one: Reader, change: SeenChange, place: Database) -> Seen:
    """Return what others changed."""
    if not one.writes_in_apps:
        return change.seen
    if change.seen.happened != "changed":
        arrival = Arrival(change.of.item, change.of.revision)
        return Seen("same") if own_writes.of(t, one.to, [arrival]) else change.seen
    since, until = whole(change.seen.since or ""), whole(change.seen.version or "")
    if since is None or until is None:
        return change.seen
    return watching.less(change.seen, own_writes.wrote(t, one.to, change.of.item, since, until), place)


def _enter(t: Transaction, one: Reader, change: SourceChange, seen: Seen, item: dict[str, Any] | None) -> bool:
    """Make an event: whether it is new."""
    to = one.to
    if seen.happened == "added":
        known = Arrival(change.item).digest(to.scope, to.place)
    else:
        known = digest("watched", to.scope, to.place, change.item, change.revision, seen.happened)
    kept, title = (json.dumps(item, ensure_ascii=False), item["title"][:300]) if item else (None, None)
    made = events.enter(t, to.workspace, to.workflow, to.version, known, change.item, change.came_by, title, kept, at=change.at)
    return made is not None


# Waiting until an item is left alone, and filled


def settle(engine: Engine, versions: Versions, space: Space, row: Row) -> bool:
    """Start a workflow for an item that has been quiet, and is filled: whether it did. One that was changed meanwhile is waited
    for anew. What goes wrong puts it off."""
    one = space.read(partial(consumers.of_workflow, workspace_id=space.id, workflow_id=row["workflow_id"]))
    reader = next(iter(space.read(lambda t: consumers.readers(t, "c.id", one.id if one else 0, True))), None)
    if reader is None:
        return False
    when, item_id = versions.get(space, reader.to.version).when, str(row["record_id"])
    try:
        account = engine.account(space, when.connection)
        source = account.collection(reader.to.place)
        with engine.pacer.calls(space, when.connection or 0):
            item = source.get((item_id,)).get(item_id)
            item = item if item is not None and source.has(item) else None
    except (TransientError, PermanentError) as failure:
        wait = failure.after or AGAIN if isinstance(failure, TransientError) else AGAIN
        space.transact(lambda t: settling.stir(t, reader.to.workflow, item_id, wait))
        return False
    place = place_of(engine, space, account, reader.to.place, when.connection or 0)
    made = space.transact(partial(_settled, account, reader, when.awaited, place, item_id, item))
    if made:
        engine.dispatch.announce(space.id, "ready")
    return made


def _settled(
    account: Account, one: Reader, awaited: Awaited, place: Database, item_id: str, item: Item | None, t: Transaction
) -> bool:
    row = settling.locked(t, one.to.workflow, item_id)
    if row is None:
        return False
    mark = marks.of(t, one.subscription, [item_id]).get(item_id)
    if item is None:
        settling.end(t, row, gone=True)
        return False
    if mark is None or watching.mark_of(item, place.fields).values != mark.values:  # that is still to be told of
        settling.stir(t, one.to.workflow, item_id, max(awaited.watch.quiet, 1))
        subscriptions.check_soon(t, one.to.workspace, one.to.workflow)
        return False
    if not watching.is_filled(awaited, item.values):
        settling.end(t, row, gone=False)
        return False
    settling.end(t, row, gone=True)
    kept = as_kept(account.app, item, place if place.outside else None)
    kept["values"] |= json.loads(row["before_values"] or "{}")
    change = journal.at(t, one.subscription, row["seq"])
    happened = change.seen.happened if change else "changed"
    told = change.of if change else SourceChange(row["seq"], item_id, "changed", int(row["seq"]), "change", item.created)
    return _enter(t, one, told, Seen(happened), kept)
