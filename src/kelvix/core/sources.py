"""What starts a workflow in Kelvix itself: what each such event carries, and whether a change of a record is one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core import schedule
from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, coerce, from_wire, seeming
from kelvix.core.filling import Held
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import FieldId, Unfit, Value, Wire, as_text, fold, to_wire
from kelvix.core.workflow import Address, BadDocument, Input, Own, RecordEvent, Schedule

_UTC = ZoneInfo("UTC")
BUTTONS = ("button", "database_button")
MAX_INPUTS = 100
MAX_QUIET = 3600  # seconds
TIME_FIELDS = (
    CarriedField("at", ("Time", "At"), "datetime"),
    CarriedField("day", ("Time", "Day"), "date"),
    CarriedField("before", ("Time", "The time before"), "datetime"),
    CarriedField("missed", ("Time", "Times missed"), "number"),
)
PRESSED_FIELDS = (
    CarriedField("at", ("Pressed", "At"), "datetime"),
    CarriedField("by", ("Pressed", "By"), "text"),
    CarriedField("link", ("Pressed", "Link to the database"), "link"),
)
REQUEST_FIELDS = (CarriedField("received", ("Request", "Received"), "datetime"),)


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
        return (*(CarriedField(i.key, ("Request", *i.key.split(".")), i.type) for i in own.inputs), *REQUEST_FIELDS)
    if own.event == "database_button":
        return PRESSED_FIELDS
    database = databases.get(own.database or 0)
    if database is None:
        return ()
    fields = [_field(f, f"f_{f.id}", ("Record", f.name)) for f in database.fields]
    before = [_field(f, f"was_{f.id}", ("Before", f.name)) for f in database.fields if not TYPES[f.type].is_long]
    link = CarriedField("link", ("Record", "Link"), "link")
    return (*fields, link, *(before if own.event in ("changed", "reached") else ()))


def _field(field: Field, key: str, name: tuple[str, ...]) -> CarriedField:
    return CarriedField(key, name, field.carried_as)


def record_values(
    database: Database, record: int, values: Mapping[FieldId, Value], before: Mapping[FieldId, Value] | None, link: str
) -> dict[str, Any]:
    """Return a record as an event keeps it: its values by the names of their choices, and as they are kept."""
    item: dict[str, Any] = {f"f_{f.id}": to_wire(f.named(values.get(f.id))) for f in database.fields}
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
    if field is None or field.id not in after:
        return False
    return _is(field, after[field.id], event.becomes) and (not event.was or _is(field, before.get(field.id), event.was))


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
        return "a request comes to its address"
    database = databases.get(own.database or 0)
    name = database.name if database else "…"
    field = database.field(own.field or "") if database else None
    return {
        "added": f"a record is added to {name}",
        "changed": f"a record of {name} changes",
        "reached": f"{field.name if field else '…'} in {name} becomes {own.becomes or 'filled'}",
        "button": f"“{own.button or 'a button'}” is pressed on a record of {name}",
        "database_button": f"“{own.button or 'a button'}” is pressed on {name}",
    }[own.event]


def check(line: str, own: Own, databases: Mapping[int, Database], env: Env) -> list[Finding]:
    """Return what must be put right of what starts a workflow, before it can be turned on."""
    if isinstance(own, Schedule):
        said = schedule.check(own, env.zone, env.now)
        return [Finding(line, said, key="schedule")] if said else []
    if isinstance(own, Address):
        return _check_inputs(line, own)
    database = databases.get(own.database or 0)
    if database is None:
        return [Finding(line, "choose the database whose records start this workflow")]
    gone = [f for f in (*own.fields, *own.filled, *([own.field] if own.field else [])) if database.field(f) is None]
    if gone:
        return [Finding(line, f"a field that this looks at was deleted from {database.name}; choose again")]
    if own.event == "reached" and own.field is None:
        return [Finding(line, "choose the field that reaches a value")]
    if own.event in BUTTONS and not own.button.strip():
        return [Finding(line, "say what stands on the button")]
    return []


def _check_inputs(line: str, own: Address) -> list[Finding]:
    keys = [i.key.strip() for i in own.inputs]
    if not all(keys) or len(set(keys)) != len(keys):
        return [Finding(line, "each value that a request brings needs a name of its own", key="inputs")]
    if any(i.type not in TYPES or not TYPES[i.type].in_requests for i in own.inputs):
        return [Finding(line, "a request cannot bring a value of this type", key="inputs")]
    return []


class BadRequest(ValueError):
    """A request whose body is not what was declared. `fields` says what is wrong, by key."""

    def __init__(self, sentence: str, fields: Mapping[str, str]):
        super().__init__(sentence)
        self.fields = dict(fields)


def request_values(own: Address, body: Mapping[str, Any], received: datetime, env: Env) -> dict[str, Wire]:
    """Return the declared values of a request's body. Raises BadRequest, which names what is missing and what does not fit."""
    values: dict[str, Wire] = {"received": to_wire(received)}
    missing: list[str] = []
    wrong: dict[str, str] = {}
    for one in own.inputs:
        raw = dig(body, one.key)
        if raw is None or raw == "":
            if one.required:
                missing.append(one.key)
            values[one.key] = None
            continue
        try:
            values[one.key] = to_wire(value_of(raw, one, env))
        except Unfit as unfit:
            wrong[one.key] = str(unfit)
    if missing:
        wrong |= dict.fromkeys(missing, "is missing")
    if wrong:
        said = [f"the key “{k}” is missing" if s == "is missing" else f"“{k}”: {s}" for k, s in wrong.items()]
        raise BadRequest("; ".join(said), wrong)
    return values


def value_of(raw: Any, one: Input, env: Env) -> Value:
    """Return a value as its type is. Raises Unfit."""
    if isinstance(raw, (dict, list)) and not (TYPES[one.type].has_many and isinstance(raw, list)):
        raise Unfit("is nested; declare the values within it, with dots between their names")
    given: Value = tuple(str(r) for r in raw) if isinstance(raw, list) else raw if isinstance(raw, (bool, str)) else str(raw)
    return coerce(given, one.type, env.zone, (), env.order, grows=True)


def dig(body: Any, key: str) -> Any:
    """Return the value at a dotted path, in which numbers index lists. None if the path leads nowhere."""
    if isinstance(body, Mapping) and key in body:
        return body[key]
    at = body
    for part in key.split("."):
        if isinstance(at, Mapping):
            at = at.get(part)
        elif isinstance(at, list) and part.isdigit() and int(part) < len(at):
            at = at[int(part)]
        else:
            return None
    return at


def learned(body: Any, above: str = "") -> tuple[Input, ...]:
    """Return the values that a request's body has, with the types that they seem to be of."""
    found: list[Input] = []
    items = body.items() if isinstance(body, Mapping) else enumerate(body) if isinstance(body, list) else ()
    for name, value in items:
        key = f"{above}.{name}" if above else str(name)
        if isinstance(value, dict) or (isinstance(value, list) and not all(isinstance(v, str) for v in value)):
            found += learned(value, key)
        else:
            found.append(Input(key, seeming(value)))
    return tuple(found[:MAX_INPUTS])


def check_types(inputs: tuple[Input, ...]) -> None:
    """Raise BadDocument where a value is of no type that there is."""
    unknown = next((one for one in inputs if one.type not in TYPES), None)
    if unknown:
        raise BadDocument(f"“{unknown.type}” is no type of value; use one of {', '.join(TYPES)}")
