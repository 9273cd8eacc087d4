"""What becomes of one field of a pair: a three-way merge against what both sides agreed on last.

A side counts as changed where what it stands for is other than what was agreed; versions and times only say where to look. What
one side changed crosses; what both changed is joined where it can be, and else decided by the field's policy, or asked.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from hashlib import sha256
from typing import Literal

from kelvix.core.mirror.document import OTHER, FieldPair, First
from kelvix.core.mirror.lens import Canonical, Merging, Side
from kelvix.core.mirror.rich_text import RichText
from kelvix.core.mirror.roots import Root, joined
from kelvix.core.mirror.text_merge import Joined, join

SIDES: tuple[Side, Side] = ("left", "right")
FieldState = Literal["in_step", "behind", "conflict", "no_counterpart", "unreadable", "drift"]


@dataclass(frozen=True)
class Unmatched:
    """A value to which nothing corresponds on the other side. `waits`: it may come to."""

    what: str
    name: str
    waits: bool = False


@dataclass(frozen=True)
class Unread:
    """A value that could not be read, or was not told: it is never compared, agreed on or written."""

    why: str


@dataclass(frozen=True)
class Sight:
    """A field of one side as it is now. `root`: the edit it goes back to, where that is known; `at` and `by_person`: when it
    was changed last, and whether a person did."""

    value: Canonical
    root: Root | None = None
    at: datetime | None = None
    by_person: bool = True


@dataclass(frozen=True)
class Agreed:
    """What both sides stood for when they last were the same."""

    value: Canonical


@dataclass(frozen=True)
class Wrote:
    """What is to be written to a side."""

    value: Canonical


@dataclass(frozen=True)
class Conflict:
    """Two edits of one field. `texts`: what of a long text overlaps; `key` is the same wherever the same two edits meet."""

    agreed: Agreed | None
    left: Canonical
    right: Canonical
    key: str
    texts: Joined | None = None


@dataclass(frozen=True)
class Outcome:
    """What is done about a field. `agreed`: what is agreed on at once, since nothing needs to be written for it; `lost`: an
    edit of a side over which another one stands, by a choice that a person made; `root`: what both sides go back to, once it
    was written."""

    state: FieldState
    left: Wrote | None = None
    right: Wrote | None = None
    agreed: Agreed | None = None
    conflict: Conflict | None = None
    lost: tuple[tuple[Side, Canonical], ...] = ()
    root: Root | None = None

    def to(self, side: Side) -> Wrote | None:
        return self.left if side == "left" else self.right

    @property
    def writes(self) -> bool:
        return self.left is not None or self.right is not None


def merge(
    field: FieldPair, merging: Merging, agreed: Agreed | None, left: Sight, right: Sight, first: First = "merge"
) -> Outcome:
    """Return what is done about a field. Pure: the same for the same sights."""
    if isinstance(left.value, Unread) or isinstance(right.value, Unread):
        return Outcome("unreadable")
    if left.value == right.value:
        return Outcome("in_step", agreed=Agreed(left.value), root=joined(left.root, right.root))
    if (later := _later(left.root, right.root)) is not None:
        return _cross(field, later, left, right)
    if agreed is None:
        return _first(field, merging, left, right, first)
    changed = [side for side, sight in zip(SIDES, (left, right), strict=True) if _changed(field, agreed, sight)]
    if not changed:  # one is empty, and that is left as it is
        return Outcome("in_step")
    if len(changed) == 1:
        return _cross(field, changed[0], left, right)
    if field.direction != "both":
        source: Side = "left" if field.direction == "to_right" else "right"
        return _cross(field, source, left, right, loses=True)
    return _both(field, merging, agreed, left, right)


def landed(outcome: Outcome, left: Sight, right: Sight, side: Side, other_landed: bool) -> Agreed:
    """Return what is agreed on once the write to a side was carried out: what the other side held when it was read, or what was
    just written to it."""
    other = OTHER[side]
    wrote = outcome.to(other)
    held = left if other == "left" else right
    return Agreed(wrote.value if wrote is not None and other_landed else held.value)


def settled(field: FieldPair, conflict: Conflict, taking: Side | Wrote, left: Sight, right: Sight) -> Outcome:
    """Return what a person's answer to a conflict makes of it: an edit like any other, that came after both."""
    value = taking.value if isinstance(taking, Wrote) else conflict.left if taking == "left" else conflict.right
    made = {side: Wrote(value) for side, sight in zip(SIDES, (left, right), strict=True) if sight.value != value}
    root = joined(left.root, right.root)
    return Outcome("behind", made.get("left"), made.get("right"), None if made else Agreed(value), root=root)


def _changed(field: FieldPair, agreed: Agreed, sight: Sight) -> bool:
    if field.empty == "leave" and sight.value is None:
        return False
    return sight.value != agreed.value


def _later(left: Root | None, right: Root | None) -> Side | None:
    """Return the side whose edit came after the other's, where that is known."""
    if left is None or right is None or left.id == right.id:
        return None
    return "left" if left.came_after(right) else "right" if right.came_after(left) else None


def _cross(field: FieldPair, source: Side, left: Sight, right: Sight, loses: bool = False) -> Outcome:
    """Let a side's edit cross, if the field goes that way; else it is drift."""
    to = OTHER[source]
    if field.goes_to(to):
        return _write(to, left, right, loses)
    return _write(source, left, right, loses=True) if field.drift == "restore" else Outcome("drift")


def _write(to: Side, left: Sight, right: Sight, loses: bool = False) -> Outcome:
    """Write what one side holds to the other. `loses`: what is there was an edit."""
    of, there = (left, right) if to == "right" else (right, left)
    if isinstance(of.value, Unmatched):
        return Outcome("no_counterpart")
    made = _joined(of.value, left, right)
    return replace(made, lost=((to, there.value),)) if loses else made


def _first(field: FieldPair, merging: Merging, left: Sight, right: Sight, first: First) -> Outcome:
    """Of two items that were just paired: what is empty yields, sets are united, and else is asked or as the mirror says."""
    source: Side | None = "right" if left.value is None else "left" if right.value is None else None
    if source is not None:
        if field.goes_to(OTHER[source]):
            return _write(OTHER[source], left, right)
        return Outcome("drift", agreed=Agreed(None))
    if first != "merge" and field.goes_to(OTHER[first]):
        return _write(OTHER[first], left, right, loses=True)
    if merging == "set" and field.direction == "both":
        return _united(frozenset(), left, right)
    return Outcome("conflict", conflict=_conflict(None, left, right))


def _united(agreed: Canonical, left: Sight, right: Sight) -> Outcome:
    """Join two edits of a set: what either side added or removed."""
    was, ours, theirs = (value if isinstance(value, frozenset) else frozenset() for value in (agreed, left.value, right.value))
    return _joined(((was | ours | theirs) - (was - ours) - (was - theirs)) or None, left, right)


def _joined(value: Canonical, left: Sight, right: Sight, lost: tuple[tuple[Side, Canonical], ...] = ()) -> Outcome:
    made = [Wrote(value) if sight.value != value else None for sight in (left, right)]
    return Outcome("behind", made[0], made[1], lost=lost, root=joined(left.root, right.root))


def _both(field: FieldPair, merging: Merging, agreed: Agreed, left: Sight, right: Sight) -> Outcome:
    if merging == "set" and not isinstance(left.value, Unmatched) and not isinstance(right.value, Unmatched):
        return _united(agreed.value, left, right)
    taken = _decided(field, left, right)
    if merging == "lines":
        was, ours, theirs = (
            value.text if isinstance(value, RichText) else "" for value in (agreed.value, left.value, right.value)
        )
        texts = join(was, ours, theirs)
        if taken or not texts.overlaps:
            text = texts.text(taken or "left")
            lost = ((OTHER[taken], (left, right)[taken == "left"].value),) if taken and texts.overlaps else ()
            return _joined(RichText(text) if text.strip() else None, left, right, lost)
        return Outcome("conflict", conflict=replace(_conflict(agreed, left, right), texts=texts))
    if taken:
        return _cross(field, taken, left, right, loses=True)
    return Outcome("conflict", conflict=_conflict(agreed, left, right))


def _decided(field: FieldPair, left: Sight, right: Sight) -> Side | None:
    """Return the side whose edit stands by the field's policy; None where a person is asked. The newest is looked for among
    edits of people alone: what a program changed is not newer for having been changed later."""
    if field.policy in ("left", "right"):
        return "left" if field.policy == "left" else "right"
    if field.policy != "newest":
        return None
    if left.by_person != right.by_person:
        return "left" if left.by_person else "right"
    if not left.by_person or left.at is None or right.at is None or left.at == right.at:
        return None
    return "left" if left.at > right.at else "right"


def _conflict(agreed: Agreed | None, left: Sight, right: Sight) -> Conflict:
    ids = sorted(s.root.id if s.root else repr(s.value) for s in (left, right))
    return Conflict(agreed, left.value, right.value, sha256("\x1f".join(ids).encode()).hexdigest()[:32])
