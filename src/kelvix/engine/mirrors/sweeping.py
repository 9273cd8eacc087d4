"""Sweeps: both sides are read in full from time to time. What differs from what is known is looked at, whatever was told of it;
what is missing is asked for by itself; and parity is proved by comparing each pair's values as they were read."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime, time, timedelta
from functools import partial
from typing import Any

from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.core.mirror.reconciling import Seen
from kelvix.core.query import Query
from kelvix.engine.mirrors import kept as keeping
from kelvix.engine.mirrors.crossing import digest
from kelvix.engine.mirrors.planning import PAGE, Stage
from kelvix.engine.mirrors.running import Running, Stop
from kelvix.store import crossings, mirror_looks, mirrored_items, mirrors, pairs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror

BATCH_SIZE = 500  # pairs that are compared at once
OFTEN = timedelta(hours=1)  # between sweeps, where an app does not tell of deletions
NIGHT = time(0, 5)  # when the nightly sweeps begin: a filter's “today” is another day by then
SPREAD = 20  # minutes in which they begin, one mirror after the other
MANY = 5  # items of which not all can be gone at once without somebody being asked
MAX_NAMED = 200  # pairs that a report names


def seconds_to_next(now: datetime, mirror_id: int, is_told: bool) -> float:
    """Return after how many seconds both sides are read in full again: in the next night, and within the hour where an app does
    not tell of deletions. `now`: with the workspace's zone. Mirrors begin one after the other."""
    minutes = timedelta(minutes=mirror_id % SPREAD)
    begins = (datetime.combine(now.date() + timedelta(days=n), NIGHT, now.tzinfo) + minutes for n in (0, 1))
    night = next((b - now).total_seconds() for b in (one.astimezone(UTC) for one in begins) if b > now)
    return night if is_told else min(night, OFTEN.total_seconds())


def begin(t: Transaction, space: Space, kept: KeptMirror) -> None:
    """Begin a sweep of a mirror that is on. Where some items are known to be gone, it is noted of each that was read."""
    parity = crossings.begin_parity(t, space.id, kept.id)
    notes = pairs.waiting(t, kept.id, ("asked", "missing")) is not None
    stage = {"does": "sweep", "left": 0, "right": 0, "parity": parity, **from_the_top("left", notes)}
    mirrors.set_stage(t, space.id, kept.id, stage)
    mirrors.sweep_in(t, space.id, kept.id, seconds_to_next(datetime.now(space.zone), kept.id, True))


def from_the_top(side: Side, notes: bool = False) -> dict[str, Any]:
    """Return where reading a side begins. `rows`: how many items were read that have a row; `notes`: each is noted, so that it
    is known which were not read."""
    return {"side": side, "after": None, "rows": 0, "notes": notes, "since": datetime.now(UTC).isoformat()}


def sweep(space: Space, kept: KeptMirror, running: Running, stage: Stage, token: str) -> Stage | None:
    """Read a page of a side: the stage after it. Raises Stop where a side is empty that was not.

    If as many items were read as have rows, none is missing. Otherwise the side is read once more, and each item noted."""
    side: Side = stage["side"]
    source = running.sides[side]
    page = source.query(Query(limit=PAGE, after=stage["after"]))
    here = {item.id: item for item in page.items if source.has(item)}
    inside = {id for id, item in here.items() if running.is_inside(side, item)}
    count, notes = stage[side] + len(here), stage.get("notes", True)
    after: dict[str, Any] = {**stage, "after": page.after, side: count}
    if page.after is None:
        check_not_empty(space, kept, side, count)

    def work(t: Transaction) -> dict[str, Any] | None:
        known = pairs.swept(t, kept.id, kept.collection(side), side, list(here))
        states = {id: state for id, (_, state) in known.items()}
        same = {id for id, item in here.items() if known[id][0] == digest(item)}
        pairs.touch(t, kept.collection(side), [id for id in here if notes or states[id] == "closed"])
        stirred = [id for id in here if is_looked_at(states[id], id in inside, id in same)]
        mirror_looks.stir(t, space.id, kept.id, side, stirred)
        rows = sum(state not in (None, "closed") for state in states.values())
        now = {**after, "notes": notes, "rows": stage.get("rows", 0) + rows}
        if page.after is None:
            now |= _at_the_end(t, space, kept, side, now, page.exhaustive)
        return now if mirrors.set_stage(t, space.id, kept.id, now, token) else None

    return space.transact(work)


def _at_the_end(
    t: Transaction, space: Space, kept: KeptMirror, side: Side, stage: Stage, is_exhaustive: bool
) -> dict[str, Any]:
    """Let what is missing of a side that was read be looked at; or read it once more, where it isn't known what is."""
    if is_exhaustive and stage["notes"]:
        since = datetime.fromisoformat(stage["since"])
        missing = pairs.not_seen_since(t, kept.id, kept.collection(side), side, since, 100_000)
        mirror_looks.stir(t, space.id, kept.id, side, missing, 1.0, "deleted")
    elif is_exhaustive and stage["rows"] < pairs.items_of(t, kept.id, side):
        return {side: 0, **from_the_top(side, True)}
    return from_the_top("right", stage["notes"]) if side == "left" else {"does": "parity", "after": 0, "report": _empty()}


def is_looked_at(state: str | None, is_inside: bool, is_same: bool) -> bool:
    """Say whether an item that was read is to be looked at: it is other than it is known to be, or came inside or out, if only
    by the clock. `state`: of its row; None where it has none."""
    if state is None or state == "closed":
        return is_inside and (state is None or not is_same)
    return not is_same or is_inside is (state == "outside")


def check_not_empty(space: Space, kept: KeptMirror, side: Side, count: int) -> None:
    """See that a side of which all was read still has items, if it had. Raises Stop."""
    if not count and space.read(lambda t: pairs.items_of(t, kept.id, side)) >= MANY:
        raise Stop(
            "One side came back empty. Nothing was deleted on the other. See whether its items were moved, then turn "
            "the mirror on again."
        )


def _empty() -> dict[str, Any]:
    return {"pairs": 0, "same": 0, "open": 0, "waiting": 0, "differ": [], "different": 0}


def compare(space: Space, kept: KeptMirror, running: Running, stage: Stage, token: str) -> Stage | None:
    """Compare some pairs, by their values as they were read: the stage after that; none at the end, when the report is kept."""
    rows = space.read(partial(pairs.page, mirror_id=kept.id, states=(), after=stage["after"], limit=BATCH_SIZE))
    report = dict(stage["report"])
    open_pairs = [keeping.as_pair(row) for row in rows if row.linked == "open"]
    known = {
        side: space.read(
            partial(mirrored_items.of, collection_id=kept.collection(side), items=[p.item(side) for p in open_pairs])
        )
        for side in SIDES
    }
    astray: list[str] = []
    for pair in open_pairs:
        report["pairs"] += 1
        left, right = known["left"].get(pair.left), known["right"].get(pair.right)
        if left is None or right is None:
            report["waiting"] += 1
            continue
        differs = _differing(running, left.fields, right.fields)
        if not differs:
            report["same"] += 1
        elif differs <= {*pair.open, *(field for field, _ in pair.refused), *pair.held}:
            report["open"] += 1  # it is known, and shown as what it is
        elif pair.state == "behind":
            report["waiting"] += 1
        else:
            report["different"] += 1
            astray.append(pair.left)
            report["differ"] = [*report["differ"], pair.id][:MAX_NAMED]
    after: Stage | None = {**stage, "after": rows[-1].n, "report": report} if rows else None

    def work(t: Transaction) -> bool:
        if not mirrors.set_stage(t, space.id, kept.id, after, token):
            return False
        mirror_looks.stir(t, space.id, kept.id, "left", astray)
        if after is None:
            total = {**report, "left": stage["left"], "right": stage["right"]}
            crossings.end_parity(t, stage["parity"], total)
            told = all("deleted" in running.sides[side].capabilities.told for side in SIDES)
            mirrors.sweep_in(t, space.id, kept.id, seconds_to_next(datetime.now(space.zone), kept.id, told))
        return True

    return after if space.transact(work) else None


def _differing(running: Running, left: Mapping[str, Any], right: Mapping[str, Any]) -> set[str]:
    """Return the matched fields whose values differ, as the two sides were read."""
    ours, theirs = (Seen({f: s.raw for f, s in of.items()}, of) for of in (left, right))
    return {one.pair.id for one in running.fields if ours.sight("left", one).value != theirs.sight("right", one).value}
