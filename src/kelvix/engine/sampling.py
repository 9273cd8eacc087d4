"""Getting real samples: the newest items of the source, or the next one that somebody is about to make."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from kelvix.connectors.contract import App, Item
from kelvix.core import schedule, sources
from kelvix.core.fields import TYPES
from kelvix.core.schema import Database
from kelvix.core.values import File
from kelvix.core.workflow import Own, RecordEvent, Schedule, When
from kelvix.engine import following, timing
from kelvix.engine.engine import Engine
from kelvix.store import changes, databases, records, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

NEWEST = 5
MOST_LOOKED_AT = 2_000  # changes of a database, for those that would have started a workflow


def as_kept(app: App, item: Item, account: str) -> dict[str, Any]:
    """An item as samples and runs keep it: its files say in which account they lie."""
    files = [f.key for f in app.fields if TYPES[f.type].family == "file"]
    lists = {one.key: [f.key for f in one.fields if TYPES[f.type].family == "file"] for one in app.lists}
    values: dict[str, Any] = dict(item.values)
    values |= {key: _placed(values[key], account) for key in files if key in values}
    for key, columns in lists.items():
        rows = values.get(key)
        if columns and isinstance(rows, list):
            values[key] = [row | {c: _placed(row[c], account) for c in columns if c in row} for row in rows]
    return {
        "id": item.id,
        "title": item.title,
        "link": item.link,
        "app": app.code,
        "container": item.container_name,
        "values": values,
    }


def _placed(wire: Any, account: str) -> Any:
    return File.of(wire).within(account).wire() if wire else wire


def _keep(space: Space, workflow_id: int, app: App, account: str, items: list[Item]) -> None:
    def work(t: Transaction) -> None:
        for item in items:
            workflows.keep_sample(t, space.id, workflow_id, "fetched", item.id, as_kept(app, item, account), item.at)

    space.transact(work)


def keep_item(engine: Engine, space: Space, workflow_id: int, when: When, item_id: str) -> None:
    """Keep one item as a sample."""
    app, token, account = engine.access(space, when.connection)
    _keep(space, workflow_id, app, account, [app.item(token, item_id)])


def _keep_own(space: Space, workflow_id: int, found: list[tuple[dict[str, Any], datetime]]) -> None:
    def work(t: Transaction) -> None:
        workflows.forget_samples(t, space.id, workflow_id)
        for item, at in found:
            workflows.keep_sample(t, space.id, workflow_id, "fetched", str(item["id"]), item, at)

    space.transact(work)


def fetch_own(engine: Engine, space: Space, workflow_id: int, own: Own, count: int = NEWEST) -> int:
    """Samples of what happens in Kelvix itself: the newest records, or the next times; how many there were. Requests become
    samples as they come. Raises Unfit for a schedule that is none."""
    if isinstance(own, Schedule):
        before: datetime | None = None
        times: list[tuple[dict[str, Any], datetime]] = []
        for at in schedule.next_times(own, space.zone, datetime.now(UTC), count):
            times.append((timing.item_of(space, at, before, 0), at))
            before = at
        _keep_own(space, workflow_id, times)
        return len(times)
    if isinstance(own, RecordEvent):
        database = space.read(lambda t: databases.get(t, space.id, own.database or 0))
        if database is None:
            return 0
        if own.event == "database_button":
            now = datetime.now(UTC)
            _keep_own(space, workflow_id, [(following.pressed_item(engine, space, database, now, ""), now)])
            return 1
        found = _happened(engine, space, database, own, count)
        if not found and own.event != "reached":  # as if it happened to the newest records now
            as_it_is: dict[int, Any] | None = {} if own.event == "changed" else None
            kept = space.read(lambda t: records.newest(t, database, count))
            found = [(following.item_of(engine, space, database, r, as_it_is), r.changed_at) for r in kept]
        _keep_own(space, workflow_id, found)
        return len(found)
    return 0


def _happened(
    engine: Engine, space: Space, database: Database, own: RecordEvent, count: int
) -> list[tuple[dict[str, Any], datetime]]:
    """The records to which this happened last, each as it was then, with its time. What is only ever done by hand leaves no
    change behind."""
    if own.event in sources.BUTTONS:
        return []
    kind = "add" if own.event == "added" else "update"

    def work(t: Transaction) -> list[tuple[dict[str, Any], datetime]]:
        found: dict[int, tuple[dict[str, Any], datetime]] = {}
        for change in changes.newest(t, space.id, database.id, kind, MOST_LOOKED_AT):
            before, after = changes.values(change.before, database), changes.values(change.after, database)
            if change.record_id in found or not sources.matches(own, database, change.kind, before, after):
                continue
            record = records.get(t, database, change.record_id)
            if record is None:
                continue
            then = replace(record, values=dict(record.values) | (after or {}) if kind == "update" else record.values)
            item = following.item_of(engine, space, database, then, before if own.event in ("changed", "reached") else None)
            found[change.record_id] = (item, change.at)
            if len(found) == count:
                break
        return list(found.values())

    return space.read(work)


def fetch_newest(engine: Engine, space: Space, workflow_id: int, when: When, count: int = NEWEST) -> int:
    """Replace the fetched samples by the newest items; edited and made-up ones stay. How many there were."""
    app, token, account = engine.access(space, when.connection)
    items = app.newest(token, when.container or "", count)
    space.transact(lambda t: workflows.forget_samples(t, space.id, workflow_id))
    _keep(space, workflow_id, app, account, items)
    return len(items)


def fetch_next(engine: Engine, space: Space, workflow_id: int, when: When, after: int | None) -> tuple[int, int]:
    """Items that arrived after a cursor, kept as samples: the cursor to go on from, and how many. Without a cursor,
    only where to begin."""
    app, token, account = engine.access(space, when.connection)
    if after is None:
        return app.head(token), 0
    changes, cursor, _ = app.changes(token, after)
    kinds = app.event(when.event).kinds
    came = dict.fromkeys(c.item for c in changes if c.container == when.container and c.kind in kinds)
    items = [app.item(token, item) for item in list(came)[:NEWEST]]
    _keep(space, workflow_id, app, account, items)
    return cursor, len(items)
