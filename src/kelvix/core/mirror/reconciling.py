"""What is done about a pair: all its matched fields, from the values that both items have to the values that are written."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Literal

from kelvix.core.collection import Row, Unreadable
from kelvix.core.mirror.document import OTHER, FieldPair, First
from kelvix.core.mirror.lens import Domain, NoCounterpartError, Side
from kelvix.core.mirror.merge import SIDES, Agreed, Outcome, Sight, Unmatched, Unread, Wrote, merge, settled
from kelvix.core.mirror.roots import Root, edited
from kelvix.core.values import FieldId, Value

PairState = Literal["in_step", "behind", "conflict", "no_counterpart"]
UNTOLD = Unread("it was not told")


@dataclass(frozen=True)
class Matched:
    """Two matched fields, with what they are compared in."""

    pair: FieldPair
    domain: Domain


@dataclass(frozen=True)
class Standing:
    """What is known of a field of an item, by all mirrors alike. As long as it holds `raw`, it stands for `meant`: another
    value where its app keeps it in its own way. `root`, `at` and `by_person`: of the edit that it goes back to."""

    raw: Value
    meant: Value
    root: Root | None = None
    at: datetime | None = None
    by_person: bool = True


@dataclass(frozen=True)
class Seen:
    """An item of one side as it was read, with what is known of its fields."""

    values: Row
    known: Mapping[FieldId, Standing] = field(default_factory=dict)

    def meant(self, of: FieldId) -> Value:
        """Return what a field stands for, by what is written into it. Only fields that can be read are asked for."""
        raw = self.values.get(of)
        if isinstance(raw, Unreadable):
            raise TypeError("a value that can't be read stands for nothing")
        known = self.known.get(of)
        return known.meant if known is not None and known.raw == raw else raw

    def sight(self, side: Side, of: Matched) -> Sight:
        """Return a field as it is compared with the other side's."""
        id = of.pair.field(side)
        if id not in self.values:
            return Sight(UNTOLD)
        raw = self.values[id]
        if isinstance(raw, Unreadable):
            return Sight(Unread(raw.why))
        known = self.known.get(id)
        if known is None or known.raw != raw:
            known = None
        try:
            value = of.domain.lens(side).get(self.meant(id))
        except NoCounterpartError as error:
            value = Unmatched(error.what, error.name, error.waits)
        return Sight(value, known.root, known.at, known.by_person) if known else Sight(value)


def observed(
    fields: Iterable[FieldId],
    known: Mapping[FieldId, Standing],
    values: Row,
    fresh: Callable[[], str],
    at: datetime | None,
    by_person: bool,
) -> dict[FieldId, Standing]:
    """Return what is known of an item's fields once it was read: a value that is other than it was is an edit. `at` and
    `by_person`: when the item was changed last, and by whom."""
    found = dict(known)
    for of in fields:
        raw = values.get(of)
        there = known.get(of)
        if of not in values or isinstance(raw, Unreadable) or (there is not None and there.raw == raw):
            continue
        root = edited(fresh(), there.root) if there is not None else None
        found[of] = Standing(raw, raw, root, at, by_person)
    return found


@dataclass(frozen=True)
class Answer:
    """What a person says of a conflict, which `key` tells from later ones: which side's edit stands, or what does instead."""

    key: str
    taking: Side | Wrote


@dataclass(frozen=True)
class Reconciled:
    """What is done about a pair: an outcome for each matched field, and the values that are written to each side."""

    outcomes: Mapping[str, Outcome]
    left: Mapping[FieldId, Value]
    right: Mapping[FieldId, Value]

    def to(self, side: Side) -> Mapping[FieldId, Value]:
        return self.left if side == "left" else self.right

    @property
    def state(self) -> PairState:
        """The state of the pair, by the field that needs most."""
        found = {outcome.state for outcome in self.outcomes.values()}
        if "conflict" in found:
            return "conflict"
        if found & {"no_counterpart", "unreadable"}:
            return "no_counterpart"
        return "behind" if self.left or self.right else "in_step"


def reconcile(
    fields: Sequence[Matched],
    agreed: Mapping[str, Agreed],
    left: Seen,
    right: Seen,
    first: First = "merge",
    answers: Mapping[str, Answer] = {},
) -> Reconciled:
    """Return what is done about two paired items. `agreed` and `answers`: by matched fields, what was agreed on last, and what
    a person says of conflicts."""
    outcomes: dict[str, Outcome] = {}
    writes: dict[Side, dict[FieldId, Value]] = {"left": {}, "right": {}}
    seen: dict[Side, Seen] = {"left": left, "right": right}
    for one in fields:
        ours, theirs = left.sight("left", one), right.sight("right", one)
        outcome = merge(one.pair, one.domain.merging, agreed.get(one.pair.id), ours, theirs, first)
        answer = answers.get(one.pair.id)
        if answer is not None and outcome.conflict is not None and outcome.conflict.key == answer.key:
            outcome = settled(one.pair, outcome.conflict, answer.taking, ours, theirs)
        for side in SIDES:
            if (wrote := outcome.to(side)) is None:
                continue
            of = one.pair.field(side)
            try:
                writes[side][of] = one.domain.lens(side).put(seen[side].meant(of), wrote.value)
            except NoCounterpartError:
                kept = [None if of_side == side else outcome.to(of_side) for of_side in SIDES]
                outcome = replace(outcome, left=kept[0], right=kept[1], state="no_counterpart")
        outcomes[one.pair.id] = outcome
    return Reconciled(outcomes, writes["left"], writes["right"])


def counterpart(fields: Sequence[Matched], of: Seen, side: Side) -> tuple[dict[FieldId, Value], list[FieldPair]]:
    """Return the values with which an item is made on the other side, and the fields that have nothing to correspond there."""
    other = OTHER[side]
    values: dict[FieldId, Value] = {}
    missing: list[FieldPair] = []
    for one in fields:
        if not one.pair.goes_to(other):
            continue
        value = of.sight(side, one).value
        if isinstance(value, Unread):
            continue
        try:
            if isinstance(value, Unmatched):
                raise NoCounterpartError(value.what, value.name, value.waits)
            if (made := one.domain.lens(other).put(None, value)) is not None:
                values[one.pair.field(other)] = made
        except NoCounterpartError:
            missing.append(one.pair)
    return values, missing
