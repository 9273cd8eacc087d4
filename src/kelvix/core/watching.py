"""What happened to an item of an app, told by comparing it with what it was when it was looked at last; and whether that
starts a workflow. An app need tell no more than that something changed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from hashlib import sha256
from typing import Any, Literal

from kelvix.core import sources
from kelvix.core.cells import Finding
from kelvix.core.collection import Item, wire
from kelvix.core.fields import TYPES, from_wire
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import FieldId, Unfit, Value, Wire
from kelvix.core.workflow import Awaited

Happened = Literal["added", "came", "changed", "left", "removed", "same"]
WATCHED: Mapping[str, Happened] = {
    "changed": "changed",
    "reached": "changed",
    "came": "came",
    "left": "left",
    "removed": "removed",
}  # the events that any app has, by what must have happened
ARRIVES: frozenset[Happened] = frozenset(("added", "came"))
TELLS_BEFORE = ("changed", "reached")  # the events that carry what was before
WAS = "was_"  # before the key of a value as it was before


@dataclass(frozen=True)
class Mark:
    """What an item was when it was looked at last: its values as JSON keeps them, long texts by their digests."""

    version: str | None
    title: str
    link: str
    values: Mapping[FieldId, Wire] = field(default_factory=dict)


@dataclass(frozen=True)
class Seen:
    """What happened to an item. `before` and `after` have the fields that are other than they were; `since`: its version
    then; `version`: the one that it has now."""

    happened: Happened
    before: Mapping[FieldId, Wire] = field(default_factory=dict)
    after: Mapping[FieldId, Wire] = field(default_factory=dict)
    since: str | None = None
    version: str | None = None


def looks(awaited: Awaited) -> bool:
    """Say whether a workflow starts by what an item was before, or waits until it is left alone or filled."""
    return awaited.event in WATCHED or awaited.waits


def mark_of(item: Item, fields: Iterable[Field]) -> Mark:
    """Return what is kept of an item, for the next time that it is looked at."""
    known = {f.id: f for f in fields if f.counts}
    kept = {key: _short(value, known[key]) for key, value in wire(item.values).items() if key in known}
    return Mark(item.version, item.title, item.link, kept)


def _short(value: Wire, of: Field) -> Wire:
    return sha256(str(value).encode()).hexdigest() if value is not None and TYPES[of.type].is_long else value


def compare(
    mark: Mark | None, item: Item | None, is_here: bool, fields: tuple[Field, ...], is_new: bool = True, is_hidden: bool = False
) -> Seen:
    """Return what happened to an item since its mark was made; none of either where it was not known, or is gone.
    `is_here`: it is in the place that the workflow reads. `is_new`: one that was not known was made just now; else it came from
    elsewhere. `is_hidden`: one that is not there is in a place that is not shared."""
    if item is None or not is_here:
        gone: Happened = "left" if item is not None or is_hidden else "removed"
        return Seen(gone, mark.values, {}, mark.version) if mark else Seen("same")
    now = mark_of(item, fields)
    if mark is None:
        filled = {k: v for k, v in now.values.items() if v is not None}
        return Seen("added" if is_new else "came", {}, filled, None, now.version)
    other = [key for key, value in now.values.items() if value != mark.values.get(key)]
    if not other:
        return Seen("same", {}, {}, mark.version, now.version)
    before, after = {k: mark.values.get(k) for k in other}, {k: now.values[k] for k in other}
    return Seen("changed", before, after, mark.version, now.version)


def less(seen: Seen, own: Mapping[FieldId, Wire], place: Database) -> Seen:
    """Return the same without what the workflow itself wrote meanwhile."""
    wrote = {f.id: _short(own[f.id], f) for f in place.fields if f.id in own}
    left = {key: value for key, value in seen.after.items() if key not in wrote or wrote[key] != value}
    if seen.happened != "changed" or len(left) == len(seen.after):
        return seen
    return replace(seen, happened="changed" if left else "same", before={k: seen.before.get(k) for k in left}, after=left)


def starts(awaited: Awaited, place: Database, seen: Seen) -> bool:
    """Say whether what happened to an item is what a workflow waits for. An item that is added with the value that is waited
    for has reached it, since nobody saw what it was before."""
    if awaited.event not in WATCHED:
        return seen.happened in ARRIVES or (seen.happened == "changed" and awaited.event != "arrives")
    if awaited.event == "reached":
        known = place.field(awaited.watch.field or "")
        if known is None or known.id not in seen.after or seen.happened not in ("changed", "added"):
            return False
        after, before = _value(seen.after, known), _value(seen.before, known)
        return sources.reaches(awaited.watch, known, before, after)
    if seen.happened != WATCHED[awaited.event]:
        return False
    return awaited.event != "changed" or not awaited.watch.fields or any(f in seen.after for f in awaited.watch.fields)


def _value(values: Mapping[FieldId, Wire], of: Field) -> Value:
    try:
        return from_wire(values.get(of.id), of.type)
    except Unfit:  # its type was changed since
        return None


def is_filled(awaited: Awaited, values: Mapping[FieldId, Any]) -> bool:
    """Say whether all fields that are waited for are filled."""
    return all(values.get(f) is not None for f in awaited.watch.filled)


def before_fields(awaited: Awaited, carried: Iterable[CarriedField], fields: Iterable[Field]) -> tuple[CarriedField, ...]:
    """Return the values as they were before, which a change carries beside those that the item has now."""
    if awaited.event not in TELLS_BEFORE:
        return ()
    known = {f.id for f in fields if f.counts and not TYPES[f.type].is_long}
    return tuple(CarriedField(f"{WAS}{c.key}", ("Before", *c.name[1:]), c.type, c.choices) for c in carried if c.key in known)


def carried_before(seen: Seen, now: Mapping[str, Any], place: Database) -> dict[str, Any]:
    """Return the values of an item as they were before, by the keys of lines, with the names of their choices. `now`: its
    values, which those that are no other had before too."""
    found: dict[str, Any] = {}
    for f in place.fields:
        if f.counts and not TYPES[f.type].is_long and f.id in now:
            found[f"{WAS}{f.id}"] = _named(seen.before[f.id], f) if f.id in seen.before else now[f.id]
    return found


def as_carried(mark: Mark, place: Database) -> dict[str, Any]:
    """Return an item's values as they were, with the names of their choices; of long texts nothing is kept."""
    short = (f for f in place.fields if f.id in mark.values and not TYPES[f.type].is_long)
    return {f.id: _named(mark.values[f.id], f) for f in short}


def _named(value: Wire, of: Field) -> Any:
    if not TYPES[of.type].has_choices or value is None:
        return value
    if isinstance(value, list):
        return [of.choice_name(one) or str(one) for one in value]
    return of.choice_name(value) or str(value)


def check(line: str, awaited: Awaited, place: Database | None) -> list[Finding]:
    """Return what must be put right before turning on."""
    watch = awaited.watch
    if awaited.event == "reached" and watch.field is None:
        return [Finding(line, "choose a field to watch")]
    named = {*watch.filled, *(watch.fields if awaited.event == "changed" else ())}
    named |= {watch.field} if awaited.event == "reached" and watch.field else set()
    known = {f: place.field(f) for f in named} if place is not None else {}
    if place is not None and None in known.values():
        return [Finding(line, f"a field that this compares is no longer in {place.name}. Choose again")]
    idle = next((f for f in known.values() if f is not None and not f.counts and f.id not in watch.filled), None)
    return [Finding(line, f"changes of “{idle.name}” are not told. Choose another field")] if idle else []
