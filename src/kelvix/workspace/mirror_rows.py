"""What a mirror shows of its items: both sides aligned, row by row; and what a person says of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from secrets import token_hex
from typing import Any, Literal

from kelvix.core.mirror import forms
from kelvix.core.mirror.lens import Canonical, NoCounterpartError, Side
from kelvix.core.mirror.merge import SIDES, Unmatched, Wrote
from kelvix.core.mirror.reconciling import Answer, Seen
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import File, Unfit, Value, Wire, to_wire
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import kept as keeping
from kelvix.engine.mirrors import looking, undoing
from kelvix.engine.mirrors.crossing import Crossing
from kelvix.engine.mirrors.keeping import Decision
from kelvix.engine.mirrors.running import Later, Running, Stop
from kelvix.engine.mirrors.undoing import Undone
from kelvix.store import crossings, mirror_intents, mirror_looks, mirrored_items, mirrors, pairs
from kelvix.store.crossings import Crossing as Crossed
from kelvix.store.database_server import Transaction
from kelvix.store.mirrored_items import KnownItem
from kelvix.store.mirrors import KeptMirror
from kelvix.store.pairs import KeptPair
from kelvix.workspace import Space
from kelvix.workspace.mirrors import get
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotNow, NotValid

__all__ = ["Crossed", "Undone"]
MAX_PAGE = 500
MAX_UNDONE = 500  # writes that are undone at once


@dataclass(frozen=True)
class RowItem:
    """An item of a side, as it was read last. `waits_since`: when a change of it was told of that was not looked at yet."""

    id: str
    title: str
    link: str
    values: Mapping[str, Wire]
    changed_at: datetime | None
    changed_by: str
    waits_since: datetime | None


@dataclass(frozen=True)
class OpenField:
    """A matched field of which something is open: its state, and what both sides hold, and held when they last agreed, as they
    are compared. `key` tells a conflict from later ones."""

    field: str
    state: str
    key: str | None
    left: Wire
    right: Wire
    was: Wire


@dataclass(frozen=True)
class Row:
    """A pair, or an item in none. `differs`: matched fields whose values are not the same; `refused`: those that a side would
    not take."""

    kept: KeptPair
    left: RowItem | None
    right: RowItem | None
    open: tuple[OpenField, ...]
    differs: tuple[str, ...]
    refused: tuple[str, ...]
    candidates: tuple[tuple[str, str], ...]


def page(
    engine: Engine,
    space: Space,
    mirror_id: int,
    states: Sequence[str],
    plan: str | None,
    side: Side | None,
    skip: int,
    limit: int,
) -> list[Row]:
    """Return rows after so many others, those in some states, or of a kind of plan. Raises NotFoundError."""
    kept = get(space, mirror_id)
    found = space.read(lambda t: pairs.shown(t, kept.id, states, skip, min(limit, MAX_PAGE), plan, side))
    return _rows(engine, space, kept, found)


def find(engine: Engine, space: Space, mirror_id: int, text: str) -> list[Row]:
    """Return the rows of items that are called so, ended pairs too. Raises NotFoundError."""
    kept = get(space, mirror_id)
    if kept.left_collection is None:
        return []
    collections = (kept.collection("left"), kept.collection("right"))
    found = space.read(lambda t: pairs.find(t, kept.id, collections, text.strip(), 20))
    return _rows(engine, space, kept, found)


def one(engine: Engine, space: Space, mirror_id: int, pair_id: str) -> Row:
    """Return one row. Raises NotFoundError."""
    kept = get(space, mirror_id)
    found = space.read(lambda t: pairs.get(t, kept.id, pair_id))
    if found is None:
        raise NotFoundError("pair not found")
    return _rows(engine, space, kept, [found])[0]


def _rows(engine: Engine, space: Space, kept: KeptMirror, found: Sequence[KeptPair]) -> list[Row]:
    if not found:
        return []
    known: dict[Side, dict[str, KnownItem]] = {}
    waits: dict[Side, dict[str, datetime]] = {}
    for side in SIDES:
        ids = [id for row in found if (id := row.item(side)) is not None]
        other: Side = "right" if side == "left" else "left"
        ids += [id for row in found if row.item(other) is not None for id in row.body.get("found", ())]
        collection = kept.collection(side)
        several = list(dict.fromkeys(ids))
        known[side] = space.read(partial(mirrored_items.of, collection_id=collection, items=several))
        waits[side] = space.read(partial(mirror_looks.since, mirror_id=kept.id, side=side, items=several))
    running = _running(engine, space, kept)
    return [_row(kept, running, row, known, waits) for row in found]


def _running(engine: Engine, space: Space, kept: KeptMirror) -> Running | None:
    """Return a mirror opened, to compare values; none where a side can't be reached now."""
    try:
        return looking.opening_of(engine).get(space, kept)
    except Exception:  # what is shown does not wait for an app
        return None


def _row(
    kept: KeptMirror,
    running: Running | None,
    row: KeptPair,
    known: Mapping[Side, Mapping[str, KnownItem]],
    waits: Mapping[Side, Mapping[str, datetime]],
) -> Row:
    items = {side: _item(kept, side, row, known[side], waits[side]) for side in SIDES}
    open_ = tuple(_open(field, outcome) for field, outcome in row.body.get("open", {}).items())
    refused = tuple(dict.fromkeys(field for field, _, _ in row.body.get("refused", ())))
    differs: tuple[str, ...] = ()
    left, right = (known[side].get(row.item(side) or "") for side in SIDES)
    if running is not None and left is not None and right is not None:
        differs = _differing(running, left, right)
    alone: Side = "right" if row.left_item is None else "left"
    other: Side = "left" if alone == "right" else "right"
    candidates = tuple(
        (id, known[other][id].title if id in known[other] else id) for id in row.body.get("found", ()) if row.linked == "only"
    )
    return Row(row, items["left"], items["right"], open_, differs, refused, candidates)


def _differing(running: Running, left: KnownItem, right: KnownItem) -> tuple[str, ...]:
    ours, theirs = (Seen({f: s.raw for f, s in of.fields.items()}, of.fields) for of in (left, right))
    return tuple(m.pair.id for m in running.fields if ours.sight("left", m).value != theirs.sight("right", m).value)


def _item(
    kept: KeptMirror, side: Side, row: KeptPair, known: Mapping[str, KnownItem], waits: Mapping[str, datetime]
) -> RowItem | None:
    id = row.item(side)
    if id is None:
        return None
    found = known.get(id)
    if found is None:
        return RowItem(id, id, "", {}, None, "", waits.get(id))
    values = {f: to_wire(s.raw) for f, s in found.fields.items()}
    return RowItem(id, found.title, found.link, values, found.changed_at, found.changed_by, waits.get(id))


def _open(field: str, kept: Mapping[str, Any]) -> OpenField:
    c = kept.get("conflict") or {}
    was = forms.value_of(c["was"][0]) if c.get("was") else None
    sides = [shown(forms.value_of(c.get(side))) for side in SIDES]
    return OpenField(field, kept["state"], c.get("key"), sides[0], sides[1], shown(was))


def shown(value: Canonical) -> Wire:
    """Return what both sides are compared in as JSON shows it."""
    if isinstance(value, frozenset):
        return sorted(str(shown(one)) for one in value)
    if isinstance(value, Unmatched):
        return value.name
    if isinstance(value, File):
        return str(value)
    wire = forms.value_json(value)
    if isinstance(wire, list):
        return str(wire[1])
    assert wire is None or isinstance(wire, str | bool)
    return wire


# What a person says


def settle(
    engine: Engine,
    space: Space,
    mirror_id: int,
    pair_id: str,
    field: str,
    key: str,
    take: Side | None,
    value: Wire,
    always: bool,
) -> Row:
    """Settle a conflict: take a side's value, or another one, which is given as the left side's field has it. Raises
    NotFoundError, NotNow, NotValid, TransientError, PermanentError."""
    kept = get(space, mirror_id)
    pair_field = next((f for f in kept.mirror.fields if f.id == field), None)
    if pair_field is None:
        raise NotFoundError("field not found")

    def work(crossing: Crossing, row: KeptPair) -> None:
        taking = take or _typed(space, crossing.running, field, value)
        crossing.settle(keeping.as_pair(row), {field: Answer(key, taking)})

    _with(engine, space, kept, pair_id, work)
    if always and take is not None:
        fields = tuple(replace(f, policy=take) if f.id == field else f for f in kept.mirror.fields)
        mirror = replace(kept.mirror, fields=fields)
        space.transact(lambda t: mirrors.save(t, space.id, mirror_id, kept.version, kept.name, mirror))
        stirred = space.read(lambda t: pairs.page(t, kept.id, ("conflict",), 0, 100_000))
        ids = [row.left_item for row in stirred if row.left_item is not None]
        space.transact(lambda t: mirror_looks.stir(t, space.id, kept.id, "left", ids))
    return one(engine, space, mirror_id, pair_id)


def _typed(space: Space, running: Running, field: str, value: Wire) -> Wrote:
    """Return what is typed as both sides are compared. Raises NotValid."""
    matched = next(m for m in running.fields if m.pair.id == field)
    of = next(f for f in running.sides["left"].schema().fields if f.id == matched.pair.left)
    try:
        typed: Value = of.take(value if isinstance(value, str | bool) else None, space.zone, space.order)
        return Wrote(matched.domain.left.get(typed))
    except (Unfit, NoCounterpartError) as wrong:
        raise NotValid("This value can’t be used.", str(wrong)) from None


def decide(engine: Engine, space: Space, mirror_id: int, pair_id: str, does: Decision) -> None:
    """Say what becomes of a pair of which one item is gone. Raises NotFoundError, NotNow, TransientError, PermanentError."""
    kept = get(space, mirror_id)
    _with(engine, space, kept, pair_id, lambda crossing, row: crossing.decide(keeping.as_pair(row), does))


def decide_all(engine: Engine, space: Space, mirror_id: int, does: Decision) -> int:
    """Say the same of all pairs that wait since so much was deleted or changed: how many there were. Each is carried out when
    it is looked at, and what crossed before counts to the limits no more."""
    kept = get(space, mirror_id)
    asks = "too_many_changes" if does == "cross" else "too_many"

    def work(t: Transaction) -> int:
        found = pairs.decide_asked(t, kept.id, asks, does, MAX_PAGE)
        mirror_looks.stir(t, space.id, kept.id, "left", found)
        crossings.count_anew(t, kept.id)
        return len(found)

    total = 0
    while some := space.transact(work):
        total += some
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")
    return total


def hold(engine: Engine, space: Space, mirror_id: int, pair_id: str, held: bool) -> None:
    """Hold a pair, so that nothing of it crosses, or let it go on, with the fields that were held. Raises NotFoundError,
    NotNow."""
    kept = get(space, mirror_id)

    def work(crossing: Crossing, row: KeptPair) -> None:
        pair = keeping.as_pair(row)
        changed = replace(pair, state="held" if held else "behind", held=frozenset())

        def commit(t: Transaction) -> None:
            keeping.put_pair(t, space, kept, changed)
            if not held:
                mirror_looks.stir(t, space.id, kept.id, "left", [pair.left])

        space.transact(commit)

    _with(engine, space, kept, pair_id, work)


def unpair(engine: Engine, space: Space, mirror_id: int, pair_id: str) -> None:
    """Separate two items: each is alone from then on, and they are not matched again by themselves. Raises NotFoundError,
    NotNow."""
    kept = get(space, mirror_id)

    def work(crossing: Crossing, row: KeptPair) -> None:
        pair = replace(keeping.as_pair(row), linked="closed", state="closed", asks=None)

        def commit(t: Transaction) -> None:
            keeping.put_pair(t, space, kept, pair)
            mirror_looks.stir(t, space.id, kept.id, "left", [pair.left])
            mirror_looks.stir(t, space.id, kept.id, "right", [pair.right])

        space.transact(commit)

    _with(engine, space, kept, pair_id, work)


def unplan(engine: Engine, space: Space, mirror_id: int, pair_id: str) -> None:
    """Separate two items that a plan would pair: each is planned by itself. Raises NotFoundError, NotNow."""
    kept = get(space, mirror_id)
    row = space.read(lambda t: pairs.get(t, kept.id, pair_id))
    if row is None or row.plan != "pair":
        raise NotFoundError("pair not found in the plan")

    def work(t: Transaction) -> None:
        pairs.delete(t, kept.id, pair_id)
        collections = (kept.collection("left"), kept.collection("right"))
        for side in SIDES:
            item = row.item(side) or ""
            state: Any = f"only_{side}"
            id = keeping.only_id(kept, side, item)
            keys = [None] * len(kept.mirror.match.keys)
            alone = pairs.Only(id, item, state, keys, None, {}, "leave")
            pairs.put_only(t, space.id, kept.id, collections, side, [alone])

    space.transact(work)


def pair_by_hand(engine: Engine, space: Space, mirror_id: int, left: str, right: str) -> None:
    """Pair two items that are alone. Raises NotFoundError, NotNow."""
    kept = get(space, mirror_id)

    def work(t: Transaction) -> None:
        rows = [pairs.of_item(t, kept.id, "left", left), pairs.of_item(t, kept.id, "right", right)]
        if any(row is None or row.linked != "only" for row in rows):
            raise NotNow("One of these items is paired by now.", "Reload the list.")
        planned = kept.state in ("planned", "planning")
        pairs.put_planned(t, space.id, kept.id, (kept.collection("left"), kept.collection("right")), [
            (token_hex(12), left, right, {"why": {"by_hand": True}})])  # fmt: skip
        row = pairs.of_item(t, kept.id, "left", left)
        assert row is not None
        if not planned:
            keeping.put_pair(t, space, kept, replace(keeping.as_pair(row), state="behind"))
            mirror_looks.stir(t, space.id, kept.id, "left", [left])

    space.transact(work)
    engine.dispatch.announce(space.id, f"mirror:{mirror_id}")


def plan_item(
    engine: Engine, space: Space, mirror_id: int, pair_ids: Sequence[str], plan: Literal["create", "make", "leave"]
) -> None:
    """Say what becomes of items that are alone: create their counterparts, whatever is there (make), or leave them alone.
    Raises NotFoundError."""
    kept = get(space, mirror_id)

    def work(t: Transaction) -> None:
        for id in pair_ids:
            row = pairs.get(t, kept.id, id)
            if row is None or row.linked != "only":
                raise NotFoundError("item not found among those that are alone")
            side: Side = "left" if row.left_item is not None else "right"
            state = "left_out" if plan == "leave" else f"only_{side}"
            planned = kept.state in ("planned", "planning")
            pairs.set_plan(t, kept.id, id, plan if planned or plan == "make" else None, state)
            if not planned:
                mirror_looks.stir(t, space.id, kept.id, side, [row.item(side) or ""])

    space.transact(work)
    engine.dispatch.announce(space.id, f"mirror:{mirror_id}")


def _with(engine: Engine, space: Space, kept: KeptMirror, pair_id: str, work: Callable[[Crossing, KeptPair], object]) -> None:
    try:
        looking.with_pair(engine, space, kept, pair_id, work)
    except Later:
        raise NotNow("This pair is being worked on.", "Try again in a moment.") from None
    except Stop as stop:
        raise NotNow("This mirror can’t write now.", str(stop)) from None
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")


def try_some(engine: Engine, space: Space, mirror_id: int, pair_ids: Sequence[str]) -> None:
    """Carry out chosen rows of a plan, before the rest. Raises NotFoundError, NotNow, TransientError, PermanentError."""
    kept = get(space, mirror_id)
    for id in pair_ids:

        def work(crossing: Crossing, row: KeptPair) -> None:
            side: Side = "left" if row.left_item is not None else "right"
            crossing.look_at(side, row.item(side) or "")

        _with(engine, space, kept, id, work)


# Doubt


@dataclass(frozen=True)
class InDoubt:
    """A create of which nobody knows whether it was carried out."""

    key: str
    side: Side
    title: str
    began: datetime


def in_doubt(space: Space, mirror_id: int) -> list[InDoubt]:
    """Return what may have been created, and was not answered. Raises NotFoundError."""
    kept = get(space, mirror_id)
    rows = space.read(lambda t: mirror_intents.in_doubt(t, space.id, kept.id))
    return [InDoubt(r["key"], r["side"], str(next(iter(r["values"].values()), "")), r["began"]) for r in rows]


def confirm(engine: Engine, space: Space, mirror_id: int, key: str, made: str | None) -> None:
    """Say what became of a create that was not answered: which item it made, or that it made none. Raises NotFoundError,
    NotNow, TransientError, PermanentError."""
    kept = get(space, mirror_id)
    found = space.read(lambda t: mirror_intents.get(t, space.id, kept.id, key))
    if found is None:
        raise NotFoundError("this was answered by now")
    intent = keeping.as_intent(found)
    source: Side = "right" if intent.side == "left" else "left"

    def work(crossing: Crossing) -> None:
        item = crossing.sides[intent.side].get((made,)).get(made) if made is not None else None
        if made is not None and item is None:
            raise NotNow("This item is not there any more.", "Choose another, or say that none was created.")
        crossing.answer(intent, item)

    try:
        looking.with_item(engine, space, kept, source, intent.source, work)
    except Later:
        raise NotNow("This item is being worked on.", "Try again in a moment.") from None
    except Stop as stop:
        raise NotNow("This mirror can’t write now.", str(stop)) from None
    space.transact(lambda t: mirror_looks.stir(t, space.id, kept.id, source, [intent.source]))
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")


# History


def history(space: Space, mirror_id: int, before: int | None, limit: int, pair_id: str | None) -> list[Crossed]:
    """Return what crossed, the newest first. Raises NotFoundError."""
    kept = get(space, mirror_id)
    return space.read(lambda t: crossings.page(t, kept.id, before, min(limit, MAX_PAGE), pair_id))


def before_and_after(one: Crossed) -> tuple[dict[str, Wire], dict[str, Wire]]:
    """Return what was there and what was written, by field; or what was kept from crossing, under no name."""
    before, after = (
        {key: shown(forms.value_of(value)) for key, value in one.body.get(which, {}).items()} for which in ("before", "after")
    )
    return before, after or ({"": shown(forms.value_of(one.body["value"]))} if "value" in one.body else {})


def volume(space: Space, mirror_id: int, days: int) -> list[dict[str, Any]]:
    """Return what crossed by day. Raises NotFoundError."""
    kept = get(space, mirror_id)
    return space.read(lambda t: crossings.by_day(t, kept.id, days))


def parities(space: Space, mirror_id: int) -> list[dict[str, Any]]:
    """Return the reports of parity checks, the newest first. Raises NotFoundError."""
    kept = get(space, mirror_id)
    return space.read(lambda t: crossings.parities(t, kept.id))


def undo(engine: Engine, space: Space, mirror_id: int, n: int, person: Person) -> Undone:
    """Undo one write. Raises NotFoundError, NotNow, TransientError, PermanentError."""
    kept = get(space, mirror_id)
    found = space.read(lambda t: crossings.get(t, kept.id, n))
    if found is None:
        raise NotFoundError("crossing not found")
    return _undo(engine, space, kept, [found], person)


def undo_since(engine: Engine, space: Space, mirror_id: int, since: datetime, person: Person) -> Undone:
    """Undo all that was written since a moment, the newest first, so many at once. Raises NotFoundError, NotNow where the
    mirror is on."""
    kept = get(space, mirror_id)
    if kept.state == "on":
        raise NotNow("This mirror is on.", "Turn it off first, so that nothing crosses meanwhile.")
    found = space.read(lambda t: crossings.to_undo(t, kept.id, since, MAX_UNDONE))
    return _undo(engine, space, kept, found, person)


def _undo(engine: Engine, space: Space, kept: KeptMirror, found: list[Crossed], person: Person) -> Undone:
    try:
        return undoing.undo_many(engine, space, kept, found, person.name)
    except Stop as stop:
        raise NotNow("This can’t be undone now.", str(stop)) from None
