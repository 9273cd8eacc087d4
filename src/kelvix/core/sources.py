"""What starts a workflow in Kelvix itself: what each such event carries, and whether a change of a record is one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core import requests, schedule
from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, coerce, from_wire
from kelvix.core.filling import Held
from kelvix.core.schema import RECORD_DATA, CarriedField, Database, Field
from kelvix.core.values import FieldId, Unfit, Value, Wire, as_text, fold, to_wire
from kelvix.core.workflow import Address, Input, Own, RecordEvent, Schedule, Watch

_UTC = ZoneInfo("UTC")
BUTTONS = ("button", "database_button")
MAX_QUIET = 3600  # seconds
TIME_FIELDS = (
    CarriedField("at", ("Time", "At"), "datetime"),
    CarriedField("day", ("Time", "Day"), "date"),
    CarriedField("before", ("Time", "Previous time"), "datetime"),
    CarriedField("missed", ("Time", "Missed times"), "number"),
)
PRESSED_FIELDS = (
    CarriedField("at", ("Pressed", "At"), "datetime"),
    CarriedField("by", ("Pressed", "By"), "text"),
    CarriedField("link", ("Pressed", "Link to the database"), "link"),
)


@dataclass(frozen=True)
class CanRun:
    """A workflow that others can run: it takes requests, with these values."""

    name: str
    inputs: tuple[Input, ...]


def database_of(own: Own | None, databases: Mapping[int, Database]) -> Database | None:
    """Of whose records an event brings one."""
    brings = isinstance(own, RecordEvent) and own.event != "database_button"
    return databases.get(own.database or 0) if brings and isinstance(own, RecordEvent) else None


def fields_of(own: Own, databases: Mapping[int, Database]) -> tuple[CarriedField, ...]:
    """Return the values that an event carries."""
    if isinstance(own, Schedule):
        return TIME_FIELDS
    if isinstance(own, Address):
        return requests.fields_of(own)
    if own.event == "database_button":
        return PRESSED_FIELDS
    database = databases.get(own.database or 0)
    if database is None:
        return ()
    fields = [f.carried(f"f_{f.id}", ("Record", f.name)) for f in database.fields]
    before = [f.carried(f"was_{f.id}", ("Before", f.name)) for f in database.fields if not TYPES[f.type].is_long]
    link = CarriedField("link", ("Record", "Link"), "link")
    data = [f.carried(f"f_{f.id}", ("Record", f.name)) for f in RECORD_DATA]
    return (*fields, link, *data, *(before if own.event in ("changed", "reached") else ()))


def record_values(
    database: Database,
    record: int,
    values: Mapping[FieldId, Value],
    before: Mapping[FieldId, Value] | None,
    link: str,
    data: Mapping[FieldId, Value],
) -> dict[str, Any]:
    """Return a record as an event keeps it: its values by the names of their choices, and as they are kept. `data`: what it has
    beside its fields."""
    item: dict[str, Any] = {f"f_{f.id}": to_wire(f.named(values.get(f.id))) for f in database.fields}
    item |= {f"f_{key}": to_wire(value) for key, value in data.items()}
    if before is not None:
        known = {f.id: before[f.id] if f.id in before else values.get(f.id) for f in database.fields}
        item |= {f"was_{f.id}": to_wire(f.named(known[f.id])) for f in database.fields if not TYPES[f.type].is_long}
    kept = {"id": record, "values": {str(k): to_wire(v) for k, v in values.items()}}
    return item | {"link": link, "record": kept}


def held_of(own: Own | None, databases: Mapping[int, Database], item: Mapping[str, Any]) -> Held | None:
    """Return the record that an event is about."""
    database = database_of(own, databases)
    if database is None:
        return None
    kept = item.get("record")
    if not isinstance(kept, dict):
        return Held(database.id)
    values: dict[FieldId, Value] = {}
    for field in database.fields:
        try:
            values[field.id] = from_wire(kept["values"].get(str(field.id)), field.type)
        except Unfit:  # its type was changed since
            values[field.id] = None
    return Held(database.id, True, kept["id"], values)


ITEM = "item"  # under which an item of an app that can be written to keeps its identity


def held_item(place: Database, item: Mapping[str, Any], env: Env) -> Held:
    """Return the item of an app that an event is about, as lines can change it."""
    kept = item.get(ITEM)
    if not isinstance(kept, dict):
        return Held(place.id)
    values: dict[FieldId, Value] = {}
    for field in place.fields:
        try:
            values[field.id] = field.take(from_wire(item.get(field.id), field.carried_as), env.zone, env.order)
        except Unfit:  # its type or its choices were changed since
            values[field.id] = None
    return Held(place.id, True, str(kept["id"]), values)


def time_values(at: datetime, before: datetime | None, missed: int, env: Env) -> dict[str, Wire]:
    """Return a time that came round."""
    return {
        "at": to_wire(at),
        "day": to_wire(at.astimezone(env.zone).date()),
        "before": to_wire(before),
        "missed": str(missed),
    }


CHANGED = ("update", "linked")  # a record's own value, or what refers back to it


def matches(
    event: RecordEvent,
    database: Database,
    kind: str,
    before: Mapping[FieldId, Value] | None,
    after: Mapping[FieldId, Value] | None,
) -> bool:
    """Whether a logged change is one that starts the workflow. `before` and `after` have the fields that changed."""
    if event.event == "added":
        return kind == "add"
    if event.event in BUTTONS or kind not in CHANGED or before is None or after is None:
        return False
    if event.event == "changed":
        return not event.fields or any(f in after for f in event.fields)
    field = database.field(event.field or "")
    return field is not None and field.id in after and reaches(event, field, before.get(field.id), after[field.id])


def reaches(event: RecordEvent | Watch, field: Field, before: Value, after: Value) -> bool:
    """Say whether a field became what is waited for, from what it must have been."""
    return _is(field, after, event.becomes) and (not event.was or _is(field, before, event.was))


def _is(field: Field, value: Value, said: str) -> bool:
    """Whether a value is what was typed; nothing typed stands for any that is filled."""
    named = field.named(value)
    if not said:
        return named is not None
    if isinstance(named, tuple):
        return fold(said) in {fold(n) for n in named}
    if isinstance(named, bool):
        return named is (fold(said) in ("yes", "true", "on", "1"))
    if isinstance(named, str):
        return fold(named) == fold(said)
    if isinstance(named, date):
        return named.isoformat() == said.strip() or fold(as_text(named, _UTC)) == fold(said)
    try:
        return named is not None and coerce(said, field.type, _UTC) == named
    except Unfit:
        return False


def ready(event: RecordEvent, values: Mapping[FieldId, Value]) -> bool:
    """Whether all fields that are waited for are filled."""
    return all(values.get(f) is not None for f in event.filled)


def words(own: Own, databases: Mapping[int, Database]) -> str:
    """Return what happens, after "When"."""
    if isinstance(own, Schedule):
        return "a scheduled time arrives"
    if isinstance(own, Address):
        return "a request arrives at its address"
    database = databases.get(own.database or 0)
    name = database.name if database else "…"
    field = database.field(own.field or "") if database else None
    return {
        "added": f"a record is added to {name}",
        "changed": f"a record of {name} changes",
        "reached": f"{field.name if field else 'a field'} in {name} becomes {own.becomes or 'filled'}",
        "button": f"“{own.button or 'a button'}” is pressed on a record of {name}",
        "database_button": f"“{own.button or 'a button'}” is pressed on {name}",
    }[own.event]


def check(line: str, own: Own, databases: Mapping[int, Database], env: Env) -> list[Finding]:
    """Return what must be put right of what starts a workflow, before it can be turned on."""
    if isinstance(own, Schedule):
        said = schedule.check(own, env.zone, env.now)
        return [Finding(line, said, key="schedule")] if said else []
    if isinstance(own, Address):
        return requests.check(line, own)
    database = databases.get(own.database or 0)
    if database is None:
        return [Finding(line, "choose a database")]
    gone = [f for f in (*own.fields, *own.filled, *([own.field] if own.field else [])) if database.field(f) is None]
    if gone:
        return [Finding(line, f"a field that this compares was deleted from {database.name}; choose again")]
    if own.event == "reached" and own.field is None:
        return [Finding(line, "choose a field to watch")]
    if own.event in BUTTONS and not own.button.strip():
        return [Finding(line, "enter a button label")]
    return []
