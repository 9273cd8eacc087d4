"""Following our own records: changes that start workflows, read from the log in the order in which they were made.

The log's numbers become visible in order, and the cursor moves with the events that it led to: none is lost, none comes twice.
"""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from functools import partial
from itertools import groupby
from typing import Any

import structlog

from kelvix.collections.databases import Records
from kelvix.core import sources
from kelvix.core.collection import Change, Item, Row, readable, wire
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value, as_text, to_wire
from kelvix.core.workflow import RecordEvent
from kelvix.engine.engine import Engine
from kelvix.engine.versions import Versions
from kelvix.store import changes, consumers, databases, events, settling
from kelvix.store.changes import Change as Logged
from kelvix.store.consumers import Consumer
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space, Within
from kelvix.store.secrets import digest

BATCH_SIZE = 200  # changes of a workspace that are looked at
log = structlog.stdlib.get_logger(__name__)


def event_of(versions: Versions, space: Space, one: Consumer) -> RecordEvent | None:
    """Return what a workflow waits for."""
    own = versions.get(space, one.version_id).when.own if one.version_id else None
    return own if isinstance(own, RecordEvent) else None


def follow(engine: Engine, versions: Versions, server: DatabaseServer, limit: int = 100) -> int:
    """Read the log for those that are behind, once for all of a workspace that are at the same place: how many events there
    were."""
    new = 0
    behind = server.read(consumers.behind_log)[:limit]
    for (workspace_id, place), several in groupby(behind, lambda one: (one.workspace_id, one.read_to)):
        space = engine.directory.open(workspace_id)
        logged = space.read(partial(changes.after, workspace_id=space.id, seq=place, limit=BATCH_SIZE))
        for one in several:
            new += _read_on(engine, versions, space, one, logged)
    return new


def _read_on(engine: Engine, versions: Versions, space: Space, one: Consumer, logged: list[Logged]) -> int:
    """Let one read on. It holds up no other, whatever befalls it."""
    try:
        event = event_of(versions, space, one)
        found = space.transact(partial(_follow, engine, space, one, event, logged)) if event else 0
    except Exception:
        log.exception("a consumer could not read on", workspace=space.id, consumer=one.id)
        return 0
    if found:
        engine.dispatch.announce(space.id, "ready")
    return found


def _follow(engine: Engine, space: Space, seen: Consumer, event: RecordEvent, logged: list[Logged], t: Transaction) -> int:
    one = consumers.locked(t, seen.id)
    if one is None or one.read_to != seen.read_to or not logged:
        return 0
    database = databases.get(t, space.id, event.database or 0)
    if database is None:  # deleted; there is nothing to listen to any more
        consumers.read_to(t, one, changes.last(t, space.id))
        return 0
    source = engine.records(Within(space, t), database)
    new = 0
    note: dict[str, Any] | None = None
    for change in source.of_log(logged):
        if event.quiet or event.filled:
            settling.stir(t, one.workflow_id, change.id, event.quiet)
        before, after = told(change.before), told(change.after)
        if not sources.matches(event, database, change.told, before, after):
            continue
        run = change.origin.get("run")
        causes = events.causes_of_run(t, space.id, int(run)) if run else []
        if one.workflow_id in causes:
            note = _itself(note or one.note, change)
        elif event.quiet or event.filled:
            kept = json.dumps(wire(change.before)) if change.before else None
            led = json.dumps(causes) if causes else None
            settling.begin(t, space.id, one.workflow_id, change.id, change.revision, kept, led, event.quiet)
        else:
            new += _take_in(t, source, one, change.id, change.revision, before, causes, after)
    consumers.read_to(t, one, logged[-1].seq, note)
    return new


def told(values: Row | None) -> dict[FieldId, Value] | None:
    """Return what a change says of the fields that it touched."""
    return None if values is None else readable(values)


def _itself(note: dict[str, Any], change: Change) -> dict[str, Any]:
    """Note how often a workflow would have been set off by its own runs, and when last."""
    at = change.at.isoformat() if change.at else ""
    return {"itself": note.get("itself", 0) + 1, "record": int(change.id), "at": at}


def item_of(source: Records, item: Item, before: Any = None) -> dict[str, Any]:
    """Return a record as an event, a sample or a run keeps it."""
    data: dict[FieldId, Value] = {
        "number": Decimal(item.id),
        "created": item.created,
        "created_by": item.created_by or None,
        "changed": item.changed,
        "changed_by": item.changed_by or None,
    }
    return {
        "id": item.id,
        "title": item.title or "(unnamed)",
        "link": item.link,
        "app": "kelvix",
        "container": item.place_name,
        "values": sources.record_values(source.database, int(item.id), readable(item.values), before, item.link, data),
    }


def _take_in(
    t: Transaction,
    source: Records,
    one: Consumer,
    record: str,
    seq: int,
    before: dict[FieldId, Value] | None,
    causes: list[int],
    after: dict[FieldId, Value] | None = None,
) -> int:
    """`after`: what the change made of its fields, which may have been changed again since."""
    now = source.get((record,)).get(record)
    if now is None or one.version_id is None:  # put into the trash since
        return 0
    item = item_of(source, as_of(source, now, after), before)
    known = digest("record", source.database.id, int(record), seq)
    made = events.take_in(t, source.space.id, one.workflow_id, one.version_id, known, item, "change", causes)
    return int(made is not None)


def as_of(source: Records, item: Item, after: dict[FieldId, Value] | None) -> Item:
    """Return a record as a change made it, its other fields as they are now."""
    values = {**item.values, **(after or {})}
    title = as_text(readable(values).get(source.database.fields[0].id), source.space.zone)
    return replace(item, values=values, title=title)


def settle(engine: Engine, versions: Versions, server: DatabaseServer, limit: int = 20) -> int:
    """Start workflows for the records that have been quiet, and are filled: how many there were."""
    new = 0
    for row in server.read(lambda t: settling.due(t, limit)):
        space = engine.directory.open(row["workspace_id"])
        one = space.read(partial(consumers.of_workflow, workspace_id=space.id, workflow_id=row["workflow_id"]))
        event = event_of(versions, space, one) if one else None
        found = space.transact(partial(_settle, engine, space, row, event))
        if found:
            engine.dispatch.announce(space.id, "ready")
        new += found
    return new


def _settle(engine: Engine, space: Space, seen: dict[str, Any], own: RecordEvent | None, t: Transaction) -> int:
    row = settling.locked(t, seen["workflow_id"], seen["record_id"])
    one = consumers.of_workflow(t, space.id, seen["workflow_id"])
    if row is None or one is None or one.state != "on":  # turned off since: it is kept until it is on again
        return 0
    database = databases.get(t, space.id, own.database or 0) if own else None
    source = engine.records(Within(space, t), database) if database else None
    record = source.get((str(row["record_id"]),)).get(str(row["record_id"])) if source else None
    if own is None or database is None or source is None or record is None:
        settling.end(t, row, gone=True)
        return 0
    if not sources.ready(own, readable(record.values)):
        settling.end(t, row, gone=False)
        return 0
    before = changes.values(json.loads(row["before_values"]), database) if row["before_values"] else None
    causes = json.loads(row["causes"]) if row["causes"] else []
    settling.end(t, row, gone=True)
    return _take_in(t, source, one, record.id, row["seq"], before, causes)


class NotStarted(Exception):
    """Why a workflow cannot be started by hand; the message is a sentence."""


def pressed_item(engine: Engine, space: Space, database: Database, at: datetime, person: str) -> dict[str, Any]:
    """Return a press of a database's button, as an event, a sample or a run keeps it."""
    link = f"{engine.settings.address}/databases/{database.id}"
    title = f"{database.name}, {as_text(at, space.zone)}"
    values = {"at": to_wire(at), "by": person or None, "link": link}
    return {"id": f"pressed-{at.timestamp():.3f}", "title": title, "link": link, "app": "kelvix", "container": database.name,
            "values": values}  # fmt: skip


def press(
    engine: Engine, versions: Versions, space: Space, workflow_id: int, record_ids: list[int], key: str, person: str = ""
) -> int:
    """Start a workflow for records that a person chose, or by its database's button, which is for none: how many runs there
    will be. Pressed again under the same key, it is the same press. Raises NotStarted."""
    one = space.read(lambda t: consumers.of_workflow(t, space.id, workflow_id))
    event = event_of(versions, space, one) if one else None
    if one is None or one.state != "on" or event is None:
        raise NotStarted("this workflow is off, or doesn’t start from a record")

    def work(t: Transaction) -> int:
        database = databases.get(t, space.id, event.database or 0)
        if database is None or one.version_id is None:
            raise NotStarted("this workflow’s database was deleted")
        made = 0
        if event.event == "database_button":
            item = pressed_item(engine, space, database, datetime.now(UTC), person)
            known = digest("press", key, "database", database.id)
            return int(events.take_in(t, space.id, workflow_id, one.version_id, known, item, "hand") is not None)
        if not record_ids:
            raise NotStarted("this workflow needs records. Select some")
        source = engine.records(Within(space, t), database)
        for record in source.get([str(id) for id in record_ids]).values():
            item = item_of(source, record)
            known = digest("press", key, int(record.id))
            made += events.take_in(t, space.id, workflow_id, one.version_id, known, item, "hand") is not None
        return made

    found = space.transact(work)
    engine.dispatch.announce(space.id, "ready", "runs")
    return found
