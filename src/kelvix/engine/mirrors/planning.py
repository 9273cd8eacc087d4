"""Plans: both sides are read by pages, what is the same is recognised, and the rest is planned; nothing is written before a
person has seen it. Carried out, a plan lets each item be looked at, those of people's edits first.

Reading goes on from the last page, and carrying out from the last row, whoever did them before.
"""

from __future__ import annotations

import secrets as random
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from typing import Any

from kelvix.core.collection import Item
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.matching import Keyed, Recognised, match
from kelvix.core.mirror.merge import SIDES
from kelvix.core.mirror.reconciling import Seen, observed, reconcile
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import kept as keeping
from kelvix.engine.mirrors import listening
from kelvix.engine.mirrors import sides as opening
from kelvix.engine.mirrors.keeping import Known, Only, Said
from kelvix.engine.mirrors.looking import open_mirror
from kelvix.engine.mirrors.running import Running
from kelvix.store import mirror_consumers, mirror_looks, mirrored_items, mirrors, pairs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror
from kelvix.store.pairs import KeptPair

PAGE = 200
BATCH_SIZE = 200  # rows in one transaction
MAX_ALIKE = 20  # items that are named where several may be the same
FIRST = b"\0" * 32
Stage = Mapping[str, Any]


def begin(engine: Engine, space: Space, mirror_id: int) -> None:
    """Begin to read the plan of a mirror that is not on. Raises NotFoundError, Stop, TransientError, PermanentError."""
    kept = _get(space, mirror_id)
    opened = opening.open_sides(engine, space, kept)
    refs = [opened[side].collection.ref for side in SIDES]
    found = space.transact(lambda t: [mirrors.collection(t, space.id, r.account, r.place) for r in refs])
    opening.check_accounts(space, kept, opened, (found[0], found[1]))
    space.transact(lambda t: mirrors.set_collections(t, space.id, kept.id, found[0], found[1]))
    kept = _get(space, mirror_id)
    open_mirror(engine, space, kept)
    for side in SIDES:
        listening.begin(engine, space, kept, side, opened[side])

    def work(t: Transaction) -> None:
        pairs.forget_plan(t, kept.id)
        mirrors.set_state(t, space.id, kept.id, "planning")
        mirrors.set_stage(t, space.id, kept.id, {"does": "read", "side": "left", "after": None, "left": 0, "right": 0})

    space.transact(work)
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")


def _get(space: Space, mirror_id: int) -> KeptMirror:
    found = space.read(lambda t: mirrors.get(t, space.id, mirror_id))
    if found is None:
        raise NotFoundError("mirror not found")
    return found


# Reading


def read(space: Space, kept: KeptMirror, running: Running, stage: Stage, token: str) -> Stage | None:
    """Read a page, and keep what is there: the stage after it; none where somebody else reads by now."""
    side: Side = stage["side"]
    source = running.sides[side]
    page = source.query(Query(limit=PAGE, after=stage["after"]))
    items = [item for item in page.items if source.has(item) and running.is_inside(side, item)]
    count = stage[side] + len(items)
    after: dict[str, Any] = {**stage, "after": page.after, side: count}
    if page.after is None:
        after |= {"side": OTHER[side], "whole": stage.get("whole", True) and page.exhaustive}
        if side == "right":
            after |= {"does": "match", "after": None}

    def work(t: Transaction) -> bool:
        if not mirrors.set_stage(t, space.id, kept.id, after, token):
            return False
        keep(t, space, kept, running, side, items)
        return True

    return after if space.transact(work) else None


def keep(t: Transaction, space: Space, kept: KeptMirror, running: Running, side: Side, items: Sequence[Item]) -> None:
    """Keep what items of a side are, and those in no pair as alone."""
    collection = kept.collection(side)
    fields = [one.pair.field(side) for one in running.fields]
    was = mirrored_items.of(t, collection, [item.id for item in items])
    new = {}
    for item in items:
        known = was[item.id].fields if item.id in was else {}
        by_person = running.is_person(side, item.changed_by)
        now = observed(fields, known, item.values, _fresh, item.changed, by_person)
        new[item.id] = keeping.known_item(Known(now, item))
    mirrored_items.put(t, space.id, collection, new)
    collections = (kept.collection("left"), kept.collection("right"))
    state: Any = f"only_{side}"
    alone = [keeping.only(kept, Only(side, item, state)) for item in items]
    pairs.put_only(t, space.id, kept.id, collections, side, alone, anew=False)


def _fresh() -> str:
    return random.token_hex(12)


# Recognising


def recognise(space: Space, kept: KeptMirror, stage: Stage, token: str) -> Stage | None:
    """Recognise pairs among what was read, and plan the rest: the stage after that, which is the end."""
    for side in SIDES:
        space.transact(partial(pairs.leave_ended, mirror_id=kept.id, side=side))
    _connected(space, kept)
    if any(key.by == "near" for key in kept.mirror.match.keys):
        _near(space, kept)
    elif kept.mirror.match.keys:
        _firm(space, kept)

    def work(t: Transaction) -> bool:
        if not mirrors.set_stage(t, space.id, kept.id, None, token):
            return False
        for side in SIDES:
            pairs.plan_rest(t, kept.id, side, "create" if kept.mirror.creates_on(OTHER[side]) else "leave")
        mirrors.set_state(t, space.id, kept.id, "planned")
        return True

    space.transact(work)
    return None


def _collections(kept: KeptMirror) -> tuple[int, int]:
    return kept.collection("left"), kept.collection("right")


def _connected(space: Space, kept: KeptMirror) -> None:
    """Pair, before any rule, what is connected by pairs of other mirrors."""
    collections = _collections(kept)
    if not space.read(lambda t: pairs.is_shared(t, kept.id, collections)):
        return

    def work(rows: Sequence[tuple[int, str, Sequence[str | None]]], t: Transaction) -> None:
        found = []
        for _, item, _ in rows:
            there = [id for of, id in pairs.connected(t, [(collections[0], item)]) if of == collections[1]]
            alone = [id for id in there if (row := pairs.of_item(t, kept.id, "right", id)) and row.linked == "only"]
            if len(alone) == 1:
                found.append((_fresh(), item, alone[0], {"why": {"connected": True}}))
        pairs.put_planned(t, space.id, kept.id, collections, found)

    after = 0
    while rows := space.read(partial(pairs.alone, mirror_id=kept.id, side="left", after=after, limit=BATCH_SIZE)):
        space.transact(partial(work, rows))
        after = rows[-1][0]


def _firm(space: Space, kept: KeptMirror) -> None:
    """Recognise by keys that must be the same: the database compares them."""
    after = FIRST
    said = ["same"] * len(kept.mirror.match.keys)
    while rows := space.read(partial(pairs.match_firm, mirror_id=kept.id, after=after, limit=BATCH_SIZE * 5)):

        def work(t: Transaction, rows: Sequence[Mapping[str, Any]] = rows) -> None:
            several = [r for r in rows if r["lefts"] > 1 or r["rights"] > 1]
            found = [
                (_fresh(), r["left_item"], r["right_item"], {"why": {"chance": 1.0, "keys": said}})
                for r in rows
                if r["lefts"] == r["rights"] == 1
            ]
            pairs.put_planned(t, space.id, kept.id, _collections(kept), found)
            for r in several:
                both = pairs.with_firm(t, kept.id, r["firm"], 2 * MAX_ALIKE)
                lefts, rights = [one for one, _ in both if one], [one for _, one in both if one]
                pairs.put_doubts(t, kept.id, "left", dict.fromkeys(lefts, rights[:MAX_ALIKE]))
                pairs.put_doubts(t, kept.id, "right", dict.fromkeys(rights, lefts[:MAX_ALIKE]))

        space.transact(work)
        after = rows[-1]["firm"]


def _near(space: Space, kept: KeptMirror) -> None:
    """Recognise by likeness, of all that is alone."""
    lefts, rights = (_all_alone(space, kept, side) for side in SIDES)
    made = match(kept.mirror.match, lefts, rights)
    for at in range(0, len(made.pairs), BATCH_SIZE):
        some = made.pairs[at : at + BATCH_SIZE]
        found = [
            (_fresh(), one.left, one.right, {"why": {"chance": round(one.chance, 4), "keys": list(one.why)}}) for one in some
        ]
        space.transact(partial(_put_planned, space, kept, found))
    doubts: dict[Side, dict[str, list[str]]] = {"left": {}, "right": {}}
    for one in (pair for doubt in made.doubts for pair in doubt.pairs):
        _note_doubt(doubts, one)
    for side in SIDES:
        space.transact(partial(pairs.put_doubts, mirror_id=kept.id, side=side, found=doubts[side]))


def _put_planned(
    space: Space, kept: KeptMirror, found: Sequence[tuple[str, str, str, Mapping[str, Any]]], t: Transaction
) -> None:
    pairs.put_planned(t, space.id, kept.id, _collections(kept), found)


def _note_doubt(doubts: Mapping[Side, dict[str, list[str]]], one: Recognised) -> None:
    for side, item, other in (("left", one.left, one.right), ("right", one.right, one.left)):
        there = doubts["left" if side == "left" else "right"].setdefault(item, [])
        if other not in there and len(there) < MAX_ALIKE:
            there.append(other)


def _all_alone(space: Space, kept: KeptMirror, side: Side) -> list[Keyed]:
    found: list[Keyed] = []
    after = 0
    while rows := space.read(partial(pairs.alone, mirror_id=kept.id, side=side, after=after)):
        found += [Keyed(item, tuple(keys)) for _, item, keys in rows]
        after = rows[-1][0]
    return found


# Carrying out


def carry_out(engine: Engine, space: Space, mirror_id: int) -> None:
    """Turn a mirror on whose plan was seen, and begin to carry that out. Raises NotFoundError."""

    def work(t: Transaction) -> None:
        kept = mirrors.get(t, space.id, mirror_id, lock=True)
        if kept is None or kept.state != "planned":
            raise NotFoundError("this mirror has no plan to carry out. Create its plan first")
        mirrors.set_state(t, space.id, mirror_id, "on")
        mirrors.set_stage(t, space.id, mirror_id, {"does": "carry", "after": 0, "done": 0})
        mirror_consumers.set_state(t, space.id, mirror_id, "on")

    space.transact(work)
    engine.dispatch.announce(space.id, f"mirror:{mirror_id}", "mirrors")


def carry(space: Space, kept: KeptMirror, running: Running, stage: Stage, token: str) -> Stage | None:
    """Carry out some rows of a plan: what is the same on both sides is agreed on at once, all else is looked at by itself."""
    rows = space.read(partial(pairs.planned, mirror_id=kept.id, after=stage["after"], limit=BATCH_SIZE))
    after: Stage | None = {**stage, "after": rows[-1].n, "done": stage["done"] + len(rows)} if rows else None

    def work(t: Transaction) -> bool:
        if not mirrors.set_stage(t, space.id, kept.id, after, token):
            return False
        _carry_pairs(t, space, kept, running, [row for row in rows if row.plan == "pair"])
        for row in rows:
            if row.plan in ("create", "make"):
                side: Side = "left" if row.left_item is not None else "right"
                if row.plan == "create":
                    pairs.set_plan(t, kept.id, row.id, None)
                mirror_looks.stir(t, space.id, kept.id, side, [row.item(side) or ""], turn=mirror_looks.BACKFILL)
            elif row.plan in ("leave", "doubt"):
                pairs.set_plan(t, kept.id, row.id, None, "left_out" if row.plan == "leave" else None)
        if after is None:
            mirrors.sweep_in(t, space.id, kept.id, 0)
        return True

    return after if space.transact(work) else None


def _carry_pairs(t: Transaction, space: Space, kept: KeptMirror, running: Running, rows: Sequence[KeptPair]) -> None:
    known = {
        side: mirrored_items.of(t, kept.collection(side), [item for row in rows if (item := row.item(side)) is not None])
        for side in SIDES
    }
    for row in rows:
        pair = replace(keeping.as_pair(row), said=Said(since=datetime.now(UTC)))
        here = {side: known[side].get(pair.item(side)) for side in SIDES}
        left, right = here["left"], here["right"]
        if left is None or right is None:
            mirror_looks.stir(t, space.id, kept.id, "left", [pair.left], turn=mirror_looks.BACKFILL)
            continue
        seen = [Seen({f: s.raw for f, s in one.fields.items()}, one.fields) for one in (left, right)]
        made = reconcile(running.fields, pair.agreed, seen[0], seen[1], kept.mirror.first)
        if made.state == "in_step" and not made.left and not made.right:
            agreed = {id: outcome.agreed for id, outcome in made.outcomes.items() if outcome.agreed is not None}
            digests: dict[Side, str] = {"left": left.digest, "right": right.digest}
            pair = replace(pair, state="in_step", agreed=agreed, digests=digests)
            keeping.put_pair(t, space, kept, pair)
        else:
            keeping.put_pair(t, space, kept, replace(pair, state="behind"))
            mirror_looks.stir(t, space.id, kept.id, "left", [pair.left], turn=mirror_looks.BACKFILL)
