"""Rehearsals of a mirror: both sides are read, and each item that differs is carried through as it would be, but for its
writes.

It is the mirror's own way of working that is rehearsed, over sides that take no write and a store that keeps none: what it
shows is what would happen if nothing changed meanwhile.
"""

from __future__ import annotations

import secrets as random
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import partial
from typing import Any, Literal

from kelvix.core.collection import Collection, Comment, Happened, Item, Page, WriteKind, Written
from kelvix.core.collection import Write as Asked
from kelvix.core.mirror import forms
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.core.query import Query
from kelvix.engine.mirrors import sweeping
from kelvix.engine.mirrors.crossing import Crossing, Wish, digest
from kelvix.engine.mirrors.keeping import Counted, Intent, Keeping, Known, Pair, Step
from kelvix.engine.mirrors.kept import Kept
from kelvix.engine.mirrors.planning import PAGE, Stage
from kelvix.engine.mirrors.running import Running
from kelvix.engine.mirrors.through import Through
from kelvix.store import crossings, mirrored_items, mirrors, pairs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror

LEASE = 60.0  # seconds for which a rehearsal is nobody else's, from each page on
MAX_NAMED = 300  # writes that a report names
NEW = "new "  # begins what would be there
Comes = Literal["create", "update", "delete", "restore", "comment", "asked", "conflict", "refused", "no_counterpart", "waits"]
HAPPENED: dict[WriteKind, Happened] = {"create": "created", "update": "updated", "delete": "deleted", "restore": "restored"}


class Untouched(Through):
    """A side that is read as it is, and takes no write: what it answers is the item as it would be."""

    def __init__(self, of: Collection, now: Callable[[], datetime]):
        super().__init__(of)
        self.now = now

    def write(self, write: Asked) -> Written:
        if write.kind == "delete":
            return Written("deleted", None)
        if write.kind == "create":
            now, id = self.now(), f"{NEW}{write.key}"
            item: Item | None = Item(id, None, dict(write.values), "", "", self.ref.place, "", now, changed=now)
        else:
            was = self.of.get([write.id]).get(write.id)
            item = replace(was, values={**was.values, **write.values}) if was is not None else None
        return Written(HAPPENED[write.kind], item)

    def comments(self, id: str) -> tuple[Comment, ...]:
        return () if id.startswith(NEW) else self.of.comments(id)

    def comment(self, id: str, text: str, key: str) -> Comment:
        return Comment(f"{NEW}{key}", text, "", self.now())


@dataclass(frozen=True)
class Would:
    """What would become of an item. `side`: of what is written, where; else where the item is. `fields`: by their ids, what is
    there and what would be."""

    comes: Comes
    side: Side
    title: str
    pair: str | None = None
    fields: tuple[tuple[str, Any, Any], ...] = ()


@dataclass
class Unkept:
    """What a mirror keeps, as it is and as it would be: nothing is committed. `counts`: of what was found so far, by what would
    come and where; `named`: the first of it. `items` and `titles`: of the item that is looked at, and its counterpart."""

    kept: Keeping
    counts: Counter[str] = field(default_factory=Counter)
    named: list[Would] = field(default_factory=list)
    pairs: dict[tuple[Side, str], Pair] = field(default_factory=dict)
    items: dict[tuple[Side, str], Known] = field(default_factory=dict)
    wrote: Counter[tuple[Side, Counted]] = field(default_factory=Counter)
    titles: dict[tuple[Side, str], str] = field(default_factory=dict)
    closed: set[str] = field(default_factory=set)

    def found(self, one: Would) -> None:
        """Note what would become of an item."""
        self.counts[f"{one.comes}_{one.side}" if one.comes in crossings.WRITES else one.comes] += 1
        if len(self.named) < MAX_NAMED:
            self.named.append(one)

    def pair_of(self, side: Side, item: str) -> Pair | None:
        return self.pairs.get((side, item)) or self.kept.pair_of(side, item)

    def was_paired(self, side: Side, item: str) -> bool:
        return (side, item) in self.pairs or self.kept.was_paired(side, item)

    def known(self, side: Side, item: str) -> Known:
        return self.items.get((side, item)) or self.kept.known(side, item)

    def intents(self, side: Side) -> Sequence[Intent]:
        return [one for one in self.kept.intents(side) if one.key not in self.closed]

    def alike(self, side: Side, item: Item) -> Sequence[str]:
        return [id for id in self.kept.alike(side, item) if (OTHER[side], id) not in self.pairs]

    def undecided(self, side: Side, item: Item) -> Sequence[Pair]:
        return [self.pair_of(side, one.item(side)) or one for one in self.kept.undecided(side, item)]

    def was_like(self, side: Side, before: str, item: Item) -> bool:
        return self.kept.was_like(side, before, item)

    def successors(self, side: Side, gone: str) -> Sequence[str]:
        return [id for id in self.kept.successors(side, gone) if (side, id) not in self.pairs]

    def hold(self, pair: Pair) -> bool:
        return True

    def wish(self, side: Side, item: str) -> Wish | None:
        return self.kept.wish(side, item)

    def comment_roots(self, side: Side, item: str, own: str = "") -> Mapping[str, str] | None:
        return {} if item.startswith(NEW) else self.kept.comment_roots(side, item, own)

    def allows(self, side: Side, counted: Counted, more: int = 0) -> bool:
        return self.kept.allows(side, counted, more + self.wrote[side, counted])

    def kin(self, side: Side, item: str) -> Sequence[str] | None:
        return self.kept.kin(side, item)

    def commit(self, step: Step) -> None:
        for pair in step.pairs:
            self.pairs |= {("left", pair.left): pair, ("right", pair.right): pair}
        self.items |= step.known
        self.closed |= set(step.closed)
        for intent in step.opened:
            if intent.counts is not None:
                self.wrote[intent.side, intent.counts] += 1
            self.found(self._written(intent))

    def _written(self, intent: Intent) -> Would:
        there = self.items.get((intent.side, intent.item))
        title = there.item.title if there is not None and there.item is not None else ""
        source = self.titles.get((OTHER[intent.side], intent.source), "")
        fields = tuple(
            (of, forms.value_json(intent.before.get(of)), forms.value_json(value)) for of, value in intent.values.items()
        )
        return Would(
            intent.kind, intent.side, title or source or self.titles.get((intent.side, intent.item), ""), intent.pair, fields
        )


class Rehearsal:
    """One item after another, each as it would be carried out."""

    def __init__(self, running: Running, keeping: Keeping, now: Callable[[], datetime]):
        sides = {side: Untouched(running.sides[side], now) for side in SIDES}
        quiet = replace(running, mirror=replace(running.mirror, quiet=0.0), sides=sides)
        self.keeping = Unkept(keeping)
        self.crossing = Crossing(quiet, self.keeping, lambda: random.token_hex(12), now)

    def rehearse(self, side: Side, id: str, title: str) -> None:
        """Find what would become of an item. Raises Stop, PermanentError, TransientError."""
        if (side, id) in self.keeping.pairs:
            return  # with the other item of its pair
        self.keeping.items, self.keeping.titles = {}, {(side, id): title}
        before = self.keeping.counts.total()
        waits = self.crossing.look_at(side, id)
        pair = self.keeping.pair_of(side, id)
        if pair is not None and pair.state in ("asked", "conflict", "refused", "no_counterpart"):
            self.keeping.found(Would(pair.state, side, title, pair.id))
        elif waits is not None and self.keeping.counts.total() == before:
            self.keeping.found(Would("waits", side, title, pair.id if pair else None))


def rehearse(space: Space, kept: KeptMirror, running: Running, stage: Stage, token: str) -> Stage | None:
    """Rehearse a mirror from its beginning to its end, and keep what was found. Nothing is written to either side."""
    keeping = Kept(space, kept, running, "", 0, 0.0)
    rehearsal = Rehearsal(running, keeping, lambda: datetime.now(UTC))
    report: dict[str, Any] = {"began_at": stage["began_at"], "left": 0, "right": 0}
    for side in SIDES:
        seen: set[str] = set()
        whole = True
        for page in _pages(running.sides[side]):
            here = {item.id: item for item in page.items if running.sides[side].has(item)}
            seen |= set(here)
            whole = page.exhaustive
            for id in _differing(space, kept, running, side, here):
                rehearsal.rehearse(side, id, here[id].title)
                if not _is_ours(space, kept, report, token):
                    return None
            report[side] += len(here)
            if not _is_ours(space, kept, report, token):
                return None
        sweeping.check_not_empty(space, kept, side, report[side])
        for id in _missing(space, kept, side, seen) if whole else ():
            rehearsal.rehearse(side, id, _title(space, kept, side, id))
            if not _is_ours(space, kept, report, token):
                return None
    report |= {"counts": dict(rehearsal.keeping.counts), "named": [_json(one) for one in rehearsal.keeping.named]}
    end(space, kept, report, token)
    return None


def begin(t: Transaction, space: Space, kept: KeptMirror) -> None:
    """Begin to rehearse a mirror of which nothing else is under way."""
    mirrors.set_stage(t, space.id, kept.id, {"does": "rehearse", "began_at": datetime.now(UTC).isoformat()})


def end(space: Space, kept: KeptMirror, report: Mapping[str, Any], token: str) -> None:
    """Keep what a rehearsal found, or why it found nothing (`problem`), unless somebody else rehearses by now."""
    whole = {**report, "ended_at": datetime.now(UTC).isoformat()}

    def work(t: Transaction) -> None:
        if mirrors.set_stage(t, space.id, kept.id, None, token):
            mirrors.put_rehearsal(t, space.id, kept.id, whole)

    space.transact(work)


def _pages(side: Collection) -> Iterator[Page]:
    after: str | None = None
    while True:
        page = side.query(Query(limit=PAGE, after=after))
        yield page
        after = page.after
        if after is None:
            return


def _is_ours(space: Space, kept: KeptMirror, report: dict[str, Any], token: str) -> bool:
    """Say how far the rehearsal is: whether it still is nobody else's."""
    stage = {"does": "rehearse", **report}
    return space.transact(
        lambda t: mirrors.set_stage(t, space.id, kept.id, stage, token) and mirrors.hold_stage(t, kept.id, token, LEASE)
    )


def _differing(space: Space, kept: KeptMirror, running: Running, side: Side, here: dict[str, Item]) -> list[str]:
    """Return the items that would be looked at: other than they are known, come inside or out, or still behind."""
    known = space.read(partial(mirrored_items.digests, collection_id=kept.collection(side), items=list(here)))
    rows = space.read(partial(pairs.states_of, mirror_id=kept.id, side=side, items=list(here)))

    def differs(id: str, item: Item) -> bool:
        is_same = known.get(id) == digest(item) and rows.get(id) != "behind"
        return sweeping.is_looked_at(rows.get(id), running.is_inside(side, item), is_same)

    return [id for id, item in here.items() if differs(id, item)]


def _missing(space: Space, kept: KeptMirror, side: Side, seen: set[str]) -> list[str]:
    """Return the items of pairs that were not among all that were read."""
    found: list[str] = []
    after = 0
    while rows := space.read(partial(pairs.page, mirror_id=kept.id, states=(), after=after, limit=1000)):
        found += [id for row in rows if row.linked != "only" and (id := row.item(side)) is not None and id not in seen]
        after = rows[-1].n
    return found


def _title(space: Space, kept: KeptMirror, side: Side, id: str) -> str:
    found = space.read(lambda t: mirrored_items.of(t, kept.collection(side), [id])).get(id)
    return found.title if found is not None else id


def _json(one: Would) -> dict[str, Any]:
    return {"comes": one.comes, "side": one.side, "title": one.title, "pair": one.pair, "fields": [list(f) for f in one.fields]}
