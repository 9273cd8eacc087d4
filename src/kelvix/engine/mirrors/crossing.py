"""One item of a mirror, looked at: what was changed crosses, and each write is kept before it goes out.

A change told by an app says only where to look. Both items are read as they are now, so nothing depends on the order in which
changes are told, nor on how often; and what the mirror wrote itself is no difference when it is told of it.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from datetime import datetime, timedelta
from hashlib import sha256
from typing import Literal, cast

from kelvix.core.collection import (
    CLOCKS,
    LOOKED_AT,
    AmbiguousError,
    ConflictError,
    GoneError,
    Item,
    PermanentError,
    TransientError,
    UnknownOutcomeError,
    Unreadable,
    Write,
    Written,
    readable,
    wire,
)
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.landing import landing
from kelvix.core.mirror.lens import Canonical, NoCounterpartError, Side
from kelvix.core.mirror.life import By, Fate, Presence, Stands, fate
from kelvix.core.mirror.merge import SIDES, Agreed, Outcome, landed
from kelvix.core.mirror.reconciling import Answer, Matched, Reconciled, Seen, Standing, counterpart, observed, reconcile
from kelvix.core.mirror.roots import edited
from kelvix.core.query import Query
from kelvix.core.values import FieldId, Value
from kelvix.engine.mirrors.archiving import Archiving
from kelvix.engine.mirrors.commenting import Commenting
from kelvix.engine.mirrors.keeping import Counted, Decision, Intent, Keeping, Known, Landed, Note, Only, Pair, Said, State, Step
from kelvix.engine.mirrors.running import UNTIL, Later, Running

GONE = "gone "  # before the key of a create, instead of an identity that was never told
MAX_QUIET = 60.0  # seconds after which a new item crosses, even if it is still being changed
SHORTEST_CUT = 16  # characters of a text of which an app may have cut the rest
TURNS = 6  # values that a field was agreed to be, that are kept


Wish = Literal["create", "leave"]


class Crossing:
    def __init__(self, running: Running, keeping: Keeping, fresh: Callable[[], str], now: Callable[[], datetime]):
        self.mirror, self.fields, self.sides = running.mirror, running.fields, running.sides
        self.running, self.keeping, self.fresh, self.now = running, keeping, fresh, now
        self.commenting = Commenting(running, keeping, fresh, now)
        self.archiving = Archiving(running, keeping, fresh, now, self._carry)

    def look_at(self, side: Side, item: str) -> float | None:
        """Do what is to be done about an item, in steps that commit one by one. Return None where that is over; else after how
        many seconds it is to be looked at again. Raises Stop, and PermanentError where a side can't be read."""
        try:
            for one in SIDES:
                for intent in self.keeping.intents(one):
                    if self._concerns(intent, side, item):
                        self._resolve(intent)
            pair = self.keeping.pair_of(side, item)
            if pair is None:
                self._alone(side, item)
            else:
                self._paired(pair)
        except Later as later:
            return later.after
        except TransientError as failure:
            return failure.after or 0.0
        return None

    def answer(self, intent: Intent, made: Item | None) -> None:
        """Take what a person says of a create that may have been carried out: which item it made, or that it made none."""
        if made is None:
            return self._drop(intent)
        self._landed(intent, Written("created", made), late=True)

    def _concerns(self, intent: Intent, side: Side, item: str) -> bool:
        """Say whether an open write is about an item. What is new on a side to which something is being created may be that."""
        if intent.kind == "create":
            if intent.side != side:
                return intent.source == item
            return self.keeping.pair_of(side, item) is None
        pair = self.keeping.pair_of(side, item)
        return pair is not None and intent.pair == pair.id

    # Items in no pair

    def _alone(self, side: Side, id: str, wish: Wish | None = None) -> None:
        item = self._read(side, id)
        if item is None or not self.sides[side].has(item) or not self.running.is_inside(side, item):
            return self.keeping.commit(Step(gone=[(side, id)]))
        step = Step()
        known = self._observe(side, item, step)
        wish = wish or self.keeping.wish(side, id)
        found = [] if wish == "create" else self._recognised(side, item)
        if found is None:
            step.alone.append(Only(side, item, "left_out"))
            return self.keeping.commit(step)
        if len(found) == 1:
            left, right = (id, found[0]) if side == "left" else (found[0], id)
            step.pairs.append(pair := Pair(self.fresh(), left, right, said=Said(since=self.now())))
            self.keeping.commit(step)
            return self._paired(pair)
        if not found and wish is None and (moved := self._moved(side, item)) is not None:
            self.keeping.commit(step)
            return self._paired(moved)
        other = OTHER[side]
        only: Only = Only(side, item, "only_left" if side == "left" else "only_right")
        if found:
            only = replace(only, state="doubt", found=tuple(found))
        elif wish == "leave":
            only = replace(only, state="left_out")
        creates = (self.mirror.creates_on(other) or wish == "create") and "create" in self.sides[other].capabilities.writes
        if only.state not in ("only_left", "only_right") or not creates:
            step.alone.append(only)
            return self.keeping.commit(step)
        seen = Seen(item.values, known.fields)
        values, _ = counterpart(self.fields, seen, side)
        if values and not self.running.lets_in(other, values):
            only = replace(only, state="refused", why="It would be outside the filter of the other side.")
        if not values or only.state == "refused":
            step.alone.append(only)
            return self.keeping.commit(step)
        self._wait_until_quiet(item)
        after: dict[str, Agreed] = {}
        meant: dict[FieldId, Standing] = {}
        for one in self.fields:
            sight = seen.sight(side, one)
            of = one.pair.field(other)
            if of in values or (sight.value is None and one.pair.goes_to(other)):
                after[one.pair.id] = Agreed(sight.value)
            if of in values:
                meant[of] = Standing(values[of], values[of], sight.root, sight.at, sight.by_person)
        intent = Intent(self.fresh(), other, "create", source=id, values=values, at=self.now(), after=after, meant=meant)
        intent = replace(intent, editor=self._editor(side, item))
        step.opened.append(intent)
        self.keeping.commit(step)
        self._carry(intent)

    def _wait_until_quiet(self, item: Item) -> None:
        """Leave a new item alone until nobody has changed it for a while, since it may be half typed; not without end."""
        quiet = (self.now() - (item.changed or item.created)).total_seconds()
        if quiet < self.mirror.quiet and (self.now() - item.created).total_seconds() < MAX_QUIET:
            raise Later(self.mirror.quiet - quiet)

    def _recognised(self, side: Side, item: Item) -> Sequence[str] | None:
        """Return the items of the other side that an item may be the same as: before any rule, the one that it comes from, or
        that comes from it, by however many mirrors. None where that was ended, so that nothing is made anew."""
        other = OTHER[side]
        kin = self.keeping.kin(side, item.id)
        if kin is None:
            raise Later  # one of them is just being made there
        if not kin:
            return self.keeping.alike(side, item)
        there = [one for one in kin if self._read(other, one) is not None and not self.keeping.was_paired(other, one)]
        return there or None

    def _moved(self, side: Side, item: Item) -> Pair | None:
        """Return the pair of an item that is there under another identity by now, as where an app moves things; it goes on with
        the new one. Raises Later where that can't be told yet."""
        for intent in self.keeping.intents(OTHER[side]):
            is_like = intent.kind == "create" and intent.source != item.id and self.keeping.was_like(side, intent.source, item)
            if is_like and self._read(side, intent.source) is None:
                raise Later(1.0)  # what was there before it is just being created
        gone = [pair for pair in self.keeping.undecided(side, item) if self._read(side, pair.item(side)) is None]
        if len(gone) != 1:
            return None
        if not self.keeping.hold(gone[0]):
            raise Later(1.0)
        pair = self.keeping.pair_of(side, gone[0].item(side))
        if pair is None or pair.id != gone[0].id or pair.is_held:
            raise Later(1.0)
        pair = replace(pair, left=item.id) if side == "left" else replace(pair, right=item.id)
        pair = replace(pair, state="behind", asks=None, said=Said(since=self.now()))
        self.keeping.commit(Step(pairs=[pair]))
        return pair

    # Pairs

    def _wait_for_what_moved(self, pair: Pair, items: Mapping[Side, Item | None]) -> None:
        """Leave a pair alone of which an item is gone, while there is something new that may be it."""
        for side in SIDES:
            if items[side] is None and (new := self.keeping.successors(side, pair.item(side))):
                self.keeping.commit(Step(stirred=[(side, id) for id in new]))
                raise Later(1.0)

    def _paired(self, pair: Pair) -> None:
        if pair.is_held:
            return
        if pair.decided is not None:
            return self._decided(replace(pair, decided=None), pair.decided)
        items = {side: self._read(side, pair.item(side)) for side in SIDES}
        self._wait_for_what_moved(pair, items)
        step = Step()
        known = {side: self._observe(side, item, step) for side in SIDES if (item := items[side]) is not None}
        stands = {side: self._stands(pair, side, items[side]) for side in SIDES}
        found = fate(self.mirror, pair.linked, stands["left"], stands["right"])
        left, right = items["left"], items["right"]
        if left is not None and right is not None:
            both: dict[Side, Item] = {"left": left, "right": right}
            if self.archiving.is_to_come_back(pair, stands):
                return self.archiving.bring_back(pair, both, step)
            if found.does == "merge" or found.does == "restore":
                self._merged(pair, left, right, known, step)
                return self._said(pair, both)
            if self._crosses_first(pair, stands, both):
                return self._merged(pair, left, right, known, step, then=found)
            if self._comes_back(pair, stands, both, known):
                return self._merged(pair, left, right, known, step)
        self._ends(pair, found, items, step)

    def _decided(self, pair: Pair, does: Decision) -> None:
        """Carry out what a person said of many pairs at once. What was edited since is not deleted, but asked by itself."""
        items = [(side, item) for side in SIDES if (item := self._read(side, pair.item(side))) is not None]
        if does == "delete" and len(items) == 1 and digest(items[0][1]) != pair.digests.get(items[0][0]):
            return self.keeping.commit(Step(pairs=[replace(pair, state="asked", asks="deleted_but_edited")]))
        self.decide(pair, does)

    def _said(self, pair: Pair, items: Mapping[Side, Item]) -> None:
        """Let comments cross, once all else did; of a pair of which a person is asked as a whole, none does."""
        now = self.keeping.pair_of("left", pair.left)
        if now is not None and now.id == pair.id and now.state != "asked":
            self.commenting.cross(now, items)

    def _merged(
        self,
        pair: Pair,
        left: Item,
        right: Item,
        known: Mapping[Side, Known],
        step: Step,
        answers: Mapping[str, Answer] = {},
        is_decided: bool = False,
        then: Fate | None = None,
    ) -> None:
        """Let cross what is to cross. `then`: what becomes of the pair afterwards, unless something is left to be asked."""
        was = pair
        fields = [one for one in self.fields if one.pair.id not in pair.held]
        items: dict[Side, Item] = {"left": left, "right": right}
        seen = {side: Seen(items[side].values, known[side].fields) for side in SIDES}
        made = reconcile(fields, pair.agreed, seen["left"], seen["right"], self.mirror.first, answers)
        agreed = dict(pair.agreed)
        turns, refused, notes = dict(pair.turns), dict(pair.refused), step.notes
        writes: dict[Side, dict[FieldId, Value]] = {"left": {}, "right": {}}
        held: set[str] = set()
        for one in fields:
            id, outcome = one.pair.id, made.outcomes[one.pair.id]
            if outcome.agreed is not None:
                agreed[id] = outcome.agreed
                self._unify(one, outcome, known, items, step)
            if outcome.writes and self._at_war(turns.get(id, ()), outcome):
                held.add(id)
                notes.append(Note("war", pair.id, id))
                continue
            for side in SIDES:
                wrote = outcome.to(side)
                of = one.pair.field(side)
                if wrote is None or of not in made.to(side):
                    continue
                if refused.get((id, side)) == wrote.value and (id, side) in refused:
                    held.add(id)
                else:
                    writes[side][of] = made.to(side)[of]
                    refused.pop((id, side), None)
            notes += [Note("lost", pair.id, id, side, value) for side, value in outcome.lost if writes[side]]
        state: State = made.state if not held or made.state == "conflict" else "refused"
        if not writes["left"] and not writes["right"] and state == "behind":
            state = "in_step"
        if state == "in_step" and pair.held:
            state = "held"
        open_ = {id: o for id, o in made.outcomes.items() if o.state in ("conflict", "no_counterpart", "drift", "unreadable")}
        digests = {side: digest(items[side]) for side in SIDES} if state == "in_step" else pair.digests
        pair = replace(pair, linked="open", state=state, asks=None, agreed=agreed, turns=turns, refused=refused)
        pair = replace(pair, open=open_, digests=digests)
        if then is not None and state != "conflict" and not any(writes.values()):
            return self._ends(replace(pair, digests=was.digests), then, items, step)
        step.pairs.append(pair)
        if not any(writes.values()):
            return self.keeping.commit(step)
        counts = {side: not is_decided and self._overwrites(was, side, items[side], writes[side]) for side in SIDES}
        if any(counts[side] and not self.keeping.allows(side, "update") for side in SIDES):
            step.pairs[-1] = replace(pair, state="asked", asks="too_many_changes", agreed=was.agreed)
            return self.keeping.commit(step)
        written: list[Side] = []
        for side in SIDES:
            if writes[side]:
                intent = self._intent(pair, side, items[side], writes[side], made, seen, written)
                intent = replace(
                    intent, editor=self._editor(OTHER[side], items[OTHER[side]]), counts="update" if counts[side] else None
                )
                step.opened.append(intent)
                self.keeping.commit(step)
                self._carry(intent)
                written.append(side)
                step = Step()
        last = self.keeping.pair_of("left", pair.left)
        if last is not None:
            step.stirred.append(("left", last.left))
            self.keeping.commit(step)

    def _overwrites(self, pair: Pair, side: Side, item: Item, values: Mapping[FieldId, Value]) -> bool:
        """Say whether a write takes the place of something that was agreed on: not what only fills what is empty, nor what was
        read in the plan before the first run."""
        was = readable(item.values)
        of = {one.pair.field(side) for one in self.fields if one.pair.id in pair.agreed}
        return any(id in of and was.get(id) is not None for id in values)

    def _intent(
        self,
        pair: Pair,
        side: Side,
        item: Item,
        values: Mapping[FieldId, Value],
        made: Reconciled,
        seen: Mapping[Side, Seen],
        written: Sequence[Side],
    ) -> Intent:
        after: dict[str, Agreed] = {}
        meant: dict[FieldId, Standing] = {}
        for one in self.fields:
            of = one.pair.field(side)
            if of not in values:
                continue
            outcome = made.outcomes[one.pair.id]
            left, right = seen["left"].sight("left", one), seen["right"].sight("right", one)
            after[one.pair.id] = landed(outcome, left, right, side, OTHER[side] in written)
            source = right if side == "left" else left
            meant[of] = Standing(values[of], values[of], outcome.root, source.at, source.by_person)
        before = {of: raw for of in values if not isinstance(raw := item.values.get(of), Unreadable)}
        is_clean = pair.digests.get(side) == digest(item)
        return Intent(
            self.fresh(), side, "update", pair.id, "", item.id, values, item.version, self.now(), after, meant, before, is_clean
        )

    def _editor(self, side: Side, item: Item) -> str:
        """Return who edited an item last, if that was a person."""
        return item.changed_by if item.changed_by and self.running.is_person(side, item.changed_by) else ""

    def _unify(
        self, one: Matched, outcome: Outcome, known: Mapping[Side, Known], items: Mapping[Side, Item], step: Step
    ) -> None:
        """Let both sides go back to what came after both, now that they are the same."""
        if outcome.root is None:
            return
        for side in SIDES:
            of = one.pair.field(side)
            there = known[side].fields.get(of)
            if there is not None and there.root != outcome.root:
                key = (side, items[side].id)
                now = step.known.get(key, known[side])
                step.known[key] = Known({**now.fields, of: replace(there, root=outcome.root)}, items[side])

    def _at_war(self, turns: tuple[Canonical, ...], outcome: Outcome) -> bool:
        """Say whether a field comes back to what it was for the second time, though nobody edited it."""
        wrote = outcome.left or outcome.right
        return wrote is not None and turns.count(wrote.value) >= 2

    def _stands(self, pair: Pair, side: Side, item: Item | None) -> Stands:
        if item is None:
            return Stands("deleted")
        here = self.sides[side].has(item)
        presence: Presence = "missing" if not here else "here" if self.running.is_inside(side, item) else "outside"
        touched = pair.digests.get(side) != digest(item)
        by: By = "person" if self.running.is_person(side, item.changed_by) else "mirror"
        was_inside = side in pair.digests and pair.linked == "open"
        return Stands(presence, touched, was_inside, by if touched else "clock")

    def _crosses_first(self, pair: Pair, stands: Mapping[Side, Stands], items: Mapping[Side, Item]) -> bool:
        """Say whether what is edited of a pair still crosses, though an item came outside the filter by it: if the edit of
        a matched field did that. Of what is outside by a field of its own, nothing crosses."""
        outside = [side for side in SIDES if stands[side].presence == "outside"]
        if not all(one.presence in ("here", "outside") for one in stands.values()):
            return False
        return bool(outside) and all(
            stands[side].was_inside and self.running.is_inside(side, self._as_agreed(pair, side, items[side]))
            for side in outside
        )

    def _comes_back(
        self, pair: Pair, stands: Mapping[Side, Stands], items: Mapping[Side, Item], known: Mapping[Side, Known]
    ) -> bool:
        """Say whether one item came inside again by an edit that takes the other one back with it, once that crosses."""
        outside = [side for side in SIDES if stands[side].presence == "outside"]
        if pair.linked != "outside" or len(outside) != 1 or stands[OTHER[outside[0]]].presence != "here":
            return False
        side = outside[0]
        seen = {of: Seen(items[of].values, known[of].fields) for of in SIDES}
        made = reconcile(self.fields, pair.agreed, seen["left"], seen["right"], self.mirror.first)
        would = replace(items[side], values={**items[side].values, **made.to(side)})
        return made.state == "behind" and self.running.is_inside(side, would)

    def _as_agreed(self, pair: Pair, side: Side, item: Item) -> Item:
        """Return an item as it would be if nobody had edited its matched fields."""
        values = dict(item.values)
        for one in self.fields:
            of, agreed = one.pair.field(side), pair.agreed.get(one.pair.id)
            raw = values.get(of)
            if agreed is not None and not isinstance(raw, Unreadable):
                with suppress(NoCounterpartError):
                    values[of] = one.domain.lens(side).put(raw, agreed.value)
        return replace(item, values=values)

    def _ends(self, pair: Pair, found: Fate, items: Mapping[Side, Item | None], step: Step) -> None:
        """Do what becomes of a pair whose items are not both here."""
        match found.does:
            case "close":
                step.pairs.append(replace(pair, linked="closed", state="closed", asks=None))
            case "outside":
                linked = pair.linked if pair.linked == "archived" else "outside"
                step.pairs.append(replace(pair, linked=linked, state="outside", asks=None))
            case "wait":
                step.pairs.append(replace(pair, state="missing"))
            case "archive" if found.side is not None and (item := items[found.side]) is not None:
                then: Literal["archived", "closed"] = "closed" if items[OTHER[found.side]] is None else "archived"
                return self.archiving.put_away(pair, found.side, item, then, found.asks or "deleted", step)
            case "ask":
                step.pairs.append(replace(pair, state="asked", asks=found.asks or "deleted"))
            case "delete" if found.side is not None:
                return self._delete(pair, found.side, items, step)
        self.keeping.commit(step)

    def _delete(self, pair: Pair, side: Side, items: Mapping[Side, Item | None], step: Step) -> None:
        """Let a deletion cross, unless so much was deleted that a person is asked first, or nothing at all is left there."""
        item = items[side]
        assert item is not None
        if not self.keeping.allows(side, "delete"):
            step.pairs.append(replace(pair, state="asked", asks="too_many"))
            return self.keeping.commit(step)
        self._delete_now(pair, side, item, step, "delete")

    def _delete_now(self, pair: Pair, side: Side, item: Item, step: Step, counts: Counted | None = None) -> None:
        intent = Intent(self.fresh(), side, "delete", pair.id, item=item.id, version=item.version, at=self.now())
        intent = replace(intent, before=readable(item.values), counts=counts)
        step.opened.append(intent)
        self.keeping.commit(step)
        self._carry(intent)

    # What a person says

    def settle(self, pair: Pair, answers: Mapping[str, Answer]) -> None:
        """Let what a person says of a pair's conflicts cross, as edits that came after both sides'. A conflict that is another
        one by now stays open. Raises Later, TransientError."""
        items = {side: self._read(side, pair.item(side)) for side in SIDES}
        left, right = items["left"], items["right"]
        if left is None or right is None:
            return self._paired(pair)
        step = Step()
        known = {"left": self._observe("left", left, step), "right": self._observe("right", right, step)}
        self._merged(pair, left, right, cast(Mapping[Side, Known], known), step, answers, True)

    def decide(self, pair: Pair, does: Decision) -> None:
        """Carry out what a person says of a pair whose change waits, since so much was changed (cross, or keep as it is); or of
        one of which one item was deleted, or came outside the filter: delete the other
        one too, keep it alone, or create the deleted one again. Raises Later, TransientError."""
        if pair.asks == "too_many_changes":
            if does == "cross":
                return self.settle(replace(pair, asks=None), {})
            return self.keeping.commit(Step(pairs=[replace(pair, state="held", held=frozenset(), asks=None)]))
        items = {side: self._read(side, pair.item(side)) for side in SIDES}
        there = [side for side in SIDES if items[side] is not None]
        gone = [side for side in SIDES if (i := items[side]) is None or not self.running.is_inside(side, i)]
        if len(gone) != 1 or not there:
            return self._paired(pair)
        left_over: Side = OTHER[gone[0]]
        item = items[left_over]
        assert item is not None
        closed = replace(pair, linked="closed", state="closed", asks=None)
        if does == "delete" and pair.asks == "too_many" and self.mirror.deletes == "archive":
            return self.archiving.put_away(replace(pair, asks=None), left_over, item, "closed", "deleted", Step(), True)
        if does == "delete":
            return self._delete_now(pair, left_over, item, Step())
        self.keeping.commit(Step(pairs=[closed]))
        if does == "create":
            self._alone(left_over, item.id, wish="create")
        else:
            self.keeping.commit(Step(alone=[Only(left_over, item, "left_out")]))

    # Reading

    def _read(self, side: Side, id: str) -> Item | None:
        return self.sides[side].get((id,)).get(id)

    def _observe(self, side: Side, item: Item, step: Step) -> Known:
        """Return what is known of an item as it is now: a value that is other than it was is an edit."""
        known = step.known.get((side, item.id)) or self.keeping.known(side, item.id)
        by_person = self.running.is_person(side, item.changed_by)
        ids = [one.pair.field(side) for one in self.fields]
        fields = observed(ids, known.fields, item.values, self.fresh, item.changed, by_person)
        seen = Known(fields, item)
        if seen.fields != known.fields or known.item is None:
            step.known[side, item.id] = seen
        return seen

    # Writing

    def _carry(self, intent: Intent, late: bool = False) -> None:
        """Make a write that is kept as an intent, and commit what became of it. `late`: it may have been made before."""
        assert intent.kind != "comment"
        what = (intent.kind, intent.key, intent.item, intent.values, intent.version, intent.at)
        write = Write(*what, self.running.opens, intent.editor)
        compares = intent.kind == "create" or self.sides[intent.side].capabilities.versions
        if not compares and not self._is_as_it_was(intent):
            (self._unsure if late and intent.kind == "update" else self._drop)(intent)
            raise Later
        try:
            written = self.sides[intent.side].write(write)
        except UnknownOutcomeError:
            raise Later from None
        except (ConflictError, GoneError):
            self._drop(intent)
            raise Later from None
        except TransientError:
            if not late:  # of a repeat, that says nothing about the call before
                self._drop(intent)
            raise
        except PermanentError:
            return self._refused(intent)
        self._landed(intent, written, late)

    def _is_as_it_was(self, intent: Intent) -> bool:
        """Read an item again right before it is written, where its app does not compare versions. What happens between this
        look and the call is not seen."""
        item = self._read(intent.side, intent.item)
        if item is None:
            return intent.kind == "delete"
        return all(item.values.get(of) == raw for of, raw in intent.before.items())

    def _drop(self, intent: Intent) -> None:
        self.keeping.commit(Step(closed=[intent.key]))

    def _resolve(self, intent: Intent) -> None:
        """Find out what became of a write that was not answered, before anything else is done."""
        if intent.in_doubt:
            raise Later
        if intent.kind == "comment":
            return self.commenting.resolve(intent)
        collection = self.sides[intent.side]
        can = collection.capabilities
        write = Write(intent.kind, intent.key, intent.item, intent.values, intent.version, intent.at)
        if can.keys:
            return self._carry(intent, late=True)  # asked again under its key, it is done once
        assert intent.at is not None
        if self.now() < intent.at + UNTIL + timedelta(seconds=can.settles):
            raise Later
        try:
            found = collection.look(write)
        except AmbiguousError:
            return self._ask(intent) if intent.kind == "create" else self._unsure(intent)
        if found is None and intent.kind == "create" and self._may_be_there(intent):
            return self._ask(intent)
        if found is None:
            return self._drop(intent)
        self._landed(intent, found, late=True)

    def _ask(self, intent: Intent) -> None:
        self.keeping.commit(Step(opened=[replace(intent, in_doubt=True)]))
        raise Later

    def _may_be_there(self, intent: Intent) -> bool:
        """Say whether something new that no person made, as far as is known, may be what was created, and edited since."""
        assert intent.at is not None
        page = self.sides[intent.side].query(Query(limit=LOOKED_AT))
        new = [item for item in page.items if item.created >= intent.at - CLOCKS]
        return any(
            not self.keeping.was_paired(intent.side, item.id)
            and not (item.created_by and self.running.is_person(intent.side, item.created_by))
            for item in new
        )

    def _unsure(self, intent: Intent) -> None:
        """Let go of a change of which nobody knows whether it was made, since the item was edited meanwhile. Where a field is
        as it was, somebody may have seen our value and taken it back: that is asked."""
        if intent.then is not None:
            return self._drop(intent)
        step, pair, item = Step(closed=[intent.key]), self._pair(intent), self._read(intent.side, intent.item)
        if pair is not None and item is not None:
            agreed = dict(pair.agreed)
            fields = dict(self.keeping.known(intent.side, item.id).fields)
            for one in self.fields:
                of = one.pair.field(intent.side)
                if of in intent.values and item.values.get(of) == intent.before.get(of):
                    self._taken_back(one, of, agreed, fields)
            step.pairs.append(replace(pair, agreed=agreed))
            step.known[intent.side, item.id] = Known(fields, item)
        self.keeping.commit(step)

    def _taken_back(self, one: Matched, of: FieldId, agreed: dict[str, Agreed], fields: dict[FieldId, Standing]) -> None:
        """Let what a side holds now be an edit of its own, of which nobody knows whether it saw what was written there."""
        agreed.pop(one.pair.id, None)
        if of in fields:
            fields[of] = replace(fields[of], root=edited(self.fresh(), fields[of].root))

    def _refused(self, intent: Intent) -> None:
        """Note what a side would not take, so that it is not offered again until it is another value."""
        pair = self._pair(intent)
        if intent.then is not None:
            return self.archiving.refused(intent, pair)
        step = Step(closed=[intent.key])
        if pair is not None:
            refused = dict(pair.refused)
            for one in self.fields:
                if one.pair.field(intent.side) in intent.values:
                    refused[one.pair.id, intent.side] = intent.after[one.pair.id].value
                    step.notes.append(Note("refused", pair.id, one.pair.id, intent.side, intent.after[one.pair.id].value))
            step.pairs.append(replace(pair, refused=refused, state="refused"))
        self.keeping.commit(step)

    def _pair(self, intent: Intent) -> Pair | None:
        return self.keeping.pair_of(intent.side, intent.item) if intent.pair else None

    def _landed(self, intent: Intent, written: Written, late: bool = False) -> None:
        """Commit together what was agreed on by a write, and what its fields stand for. `late`: others may have edited the item
        since it was written."""
        step = Step(closed=[intent.key])
        if intent.kind == "delete":
            pair = self._pair(intent)
            if pair is not None:
                step.pairs.append(replace(pair, linked="closed", state="closed", asks=None))
                step.landed.append(Landed(intent, written, pair.id))
            return self.keeping.commit(step)
        item = written.item
        if item is None:  # it is gone, which is seen when it is looked at again
            other = OTHER[intent.side]
            if intent.kind == "create":  # somebody deleted what was made, before anybody knew that it was
                ids = {intent.side: GONE + intent.key, other: intent.source}
                step.pairs.append(Pair(self.fresh(), ids["left"], ids["right"], agreed=intent.after))
                step.stirred.append((other, intent.source))
            else:
                step.stirred.append((intent.side, intent.item))
            return self.keeping.commit(step)
        if intent.kind == "create":
            ids = {intent.side: item.id, OTHER[intent.side]: intent.source}
            said = Said() if self.mirror.comments != "none" else None  # then what is said about the source crosses, too
            pair = self.keeping.pair_of(intent.side, item.id) or Pair(self.fresh(), ids["left"], ids["right"], said=said)
        else:
            found = self._pair(intent)
            if found is None:
                return self.keeping.commit(step)
            pair = found
            if intent.then is not None:
                return self.archiving.landed(intent, written, pair, late)
        agreed, refused, turns = dict(pair.agreed), dict(pair.refused), dict(pair.turns)
        fields = dict(self.keeping.known(intent.side, item.id).fields)
        for one in self.fields:
            of, id = one.pair.field(intent.side), one.pair.id
            if id in intent.after and of not in intent.values:
                agreed[id] = intent.after[id]
            if of not in intent.values:
                continue
            holds, meant = item.values.get(of), intent.meant[of]
            if isinstance(holds, Unreadable):
                continue
            # An app says nothing of how much it keeps, but its answer shows it: nobody else was there between.
            longest = len(holds) if isinstance(holds, str) and len(holds) >= SHORTEST_CUT and not late else None
            became = landing(meant.meant, intent.before.get(of), holds, longest)
            may_be_unseen = intent.kind != "create" and one.domain.merging != "set"
            if late and (became == "refused" or (became == "edited" and may_be_unseen)):
                self._taken_back(one, of, agreed, fields)
                continue
            if became == "refused":
                refused[id, intent.side] = intent.after[id].value
                step.notes.append(Note("refused", pair.id, id, intent.side, intent.after[id].value))
                continue
            agreed[id] = intent.after[id]
            turns[id] = (*((), turns.get(id, ()))[not meant.by_person], intent.after[id].value)[-TURNS:]
            if became == "edited":
                fields[of] = Standing(holds, holds, edited(self.fresh(), meant.root), item.changed, False)
            else:
                fields[of] = replace(meant, raw=holds)
        is_ours = not late and (intent.is_clean or intent.kind == "create")
        digests = {**pair.digests, intent.side: digest(item)} if is_ours else pair.digests
        step.known[intent.side, item.id] = Known(fields, item)
        step.landed.append(Landed(intent, written, pair.id, late))
        step.pairs.append(replace(pair, agreed=agreed, refused=refused, turns=turns, digests=digests))
        step.stirred += [("left", pair.left)]
        self.keeping.commit(step)


def digest(item: Item) -> str:
    """Return what tells whether anything of an item was changed, matched or not."""
    whole = wire(item.values) if item.comments is None else [wire(item.values), item.comments]
    return sha256(json.dumps(whole, sort_keys=True, ensure_ascii=False, default=str).encode()).hexdigest()
