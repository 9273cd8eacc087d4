"""Getting real samples: the newest items of the source, or the next one that somebody is about to make."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from kelvix.collections import apps as in_apps
from kelvix.connectors.contract import App
from kelvix.core import schedule, sources, watching
from kelvix.core.collection import Item, wire
from kelvix.core.query import Query
from kelvix.core.schema import Database
from kelvix.core.values import to_wire
from kelvix.core.workflow import Own, RecordEvent, Schedule, When
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import records, schedules
from kelvix.store import changes, databases, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space, Within

NEWEST = 5
MAX_ITEM = 8 << 20  # bytes of an item, as it is kept
MAX_LOOKED_AT = 2_000  # changes of a database, for those that would have started a workflow


def as_kept(app: App, item: Item, place: Database | None = None) -> dict[str, Any]:
    """Return an item as samples and runs keep it, with the names of its choices. `place`: where it lies, as it is known."""
    values: dict[str, Any] = wire(item.values)
    if place is not None:
        values |= {key: to_wire(value) for key, value in in_apps.told(item, place).items()} | {sources.ITEM: {"id": item.id}}
    values |= {key: [wire(row) for row in rows] for key, rows in item.rows.items()}
    if item.problems:
        values["problems"] = item.problems
    return {
        "id": item.id,
        "title": item.title,
        "link": item.link,
        "app": app.code,
        "container": item.place_name,
        "values": values,
    }


def _keep(space: Space, workflow_id: int, app: App, when: When, items: Sequence[Item], place: Database | None) -> None:
    """Keep items as samples. Where a change starts the workflow, it is as if each had been changed into what it is."""
    of = place or Database(0, app.name, app.schema.fields)

    def work(t: Transaction) -> None:
        for item in items:
            kept = as_kept(app, item, place)
            if when.event in watching.TELLS_BEFORE:
                kept["values"] |= watching.carried_before(watching.Seen("same"), kept["values"], of)
            workflows.keep_sample(t, space.id, workflow_id, "fetched", item.id, kept, item.created)

    space.transact(work)


def seen(engine: Engine, space: Space, when: When) -> Database | None:
    """Read what items of a source have, where its app lets them be changed; none of others, of which all have the same."""
    app = engine.app(when.app)
    return engine.see_place(space, when.connection or 0, when.container or "") if app.capabilities.writes else None


def keep_item(engine: Engine, space: Space, workflow_id: int, when: When, item_id: str) -> None:
    """Keep one item as a sample."""
    account = engine.account(space, when.connection)
    place = seen(engine, space, when)
    _keep(space, workflow_id, account.app, when, [account.collection(when.container or "").one(item_id)], place)


def _keep_own(space: Space, workflow_id: int, found: list[tuple[dict[str, Any], datetime]]) -> None:
    def work(t: Transaction) -> None:
        workflows.forget_samples(t, space.id, workflow_id)
        for item, at in found:
            workflows.keep_sample(t, space.id, workflow_id, "fetched", str(item["id"]), item, at)

    space.transact(work)


def fetch_own(engine: Engine, space: Space, workflow_id: int, own: Own, count: int = NEWEST) -> int:
    """Keep samples of what happens in Kelvix itself: the newest records, or the next times; how many there were. Requests
    become samples as they come. Raises Unfit for a schedule that is none."""
    if isinstance(own, Schedule):
        before: datetime | None = None
        times: list[tuple[dict[str, Any], datetime]] = []
        for at in schedule.next_times(own, space.zone, datetime.now(UTC), count):
            times.append((schedules.item_of(space, at, before, 0), at))
            before = at
        _keep_own(space, workflow_id, times)
        return len(times)
    if isinstance(own, RecordEvent):
        database = space.read(lambda t: databases.get(t, space.id, own.database or 0))
        if database is None:
            return 0
        if own.event == "database_button":
            now = datetime.now(UTC)
            _keep_own(space, workflow_id, [(records.pressed_item(engine, space, database, now, ""), now)])
            return 1
        found = _happened(engine, space, database, own, count)
        if not found and own.event != "reached":  # as if it happened to the newest records now
            as_it_is: dict[int, Any] | None = {} if own.event == "changed" else None
            source = engine.records(space, database)
            kept = source.query(Query(limit=count)).items
            found = [(records.item_of(source, r, as_it_is), r.changed or r.created) for r in kept]
        _keep_own(space, workflow_id, found)
        return len(found)
    return 0


def _happened(
    engine: Engine, space: Space, database: Database, own: RecordEvent, count: int
) -> list[tuple[dict[str, Any], datetime]]:
    """Return the records to which this happened last, each as it was then, with its time. What is only ever done by hand
    leaves no change behind."""
    if own.event in sources.BUTTONS:
        return []
    kind = "add" if own.event == "added" else "update"

    def work(t: Transaction) -> list[tuple[dict[str, Any], datetime]]:
        source = engine.records(Within(space, t), database)
        found: dict[int, tuple[dict[str, Any], datetime]] = {}
        for change in changes.newest(t, space.id, database.id, kind, MAX_LOOKED_AT):
            before, after = changes.values(change.before, database), changes.values(change.after, database)
            id = str(change.record_id)
            if change.record_id in found or not sources.matches(own, database, change.kind, before, after):
                continue
            record = source.get((id,)).get(id)
            if record is None:
                continue
            then = records.as_of(source, record, after) if kind == "update" else record
            item = records.item_of(source, then, before if own.event in ("changed", "reached") else None)
            found[change.record_id] = (item, change.at)
            if len(found) == count:
                break
        return list(found.values())

    return space.read(work)


def fetch_newest(engine: Engine, space: Space, workflow_id: int, when: When, count: int = NEWEST) -> int:
    """Replace the fetched samples by the newest items; edited and made-up ones stay. How many there were."""
    account = engine.account(space, when.connection)
    items = account.collection(when.container or "").query(Query(limit=count)).items
    space.transact(lambda t: workflows.forget_samples(t, space.id, workflow_id))
    _keep(space, workflow_id, account.app, when, items, seen(engine, space, when))
    return len(items)


def fetch_next(engine: Engine, space: Space, workflow_id: int, when: When, after: str | None) -> tuple[str, int]:
    """Items that arrived after a cursor, kept as samples: the cursor to go on from, and how many. Without a cursor,
    only where to begin."""
    account = engine.account(space, when.connection)
    source = account.collection(when.container or "")
    if after is None:
        return source.head(), 0
    found = source.changes(after)
    kinds = account.app.event(when.event).kinds
    came = list(dict.fromkeys(c.id for c in found.changes if c.told in kinds))
    items = source.get(came[:NEWEST])
    _keep(space, workflow_id, account.app, when, list(items.values()), seen(engine, space, when))
    return found.cursor, len(items)
