"""What becomes of a pair as a whole: of items that are deleted, come outside the filter, cannot be found, or come back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kelvix.core.mirror.document import OTHER, Mirror
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES

Presence = Literal["here", "outside", "missing", "deleted"]
By = Literal["person", "clock", "mirror"]
Linked = Literal["open", "outside", "archived", "closed"]  # outside the filter; put away by the mirror for that; ended
Does = Literal[
    "merge",  # both are here
    "restore",  # what the mirror put away is brought back, and then merged
    "delete",
    "archive",
    "close",  # the pair ends; a tombstone stays
    "outside",  # nothing crosses until it is inside again
    "wait",  # one can't be found, and nobody knows that it was deleted
    "ask",
]
Asks = Literal["deleted", "deleted_but_edited", "left_but_edited", "too_many", "too_many_changes"]


@dataclass(frozen=True)
class Stands:
    """One item of a pair. `touched`: anything of it was changed since both were the same, whether it is mirrored or not,
    comments and children too; `was_inside`: the filter let it through before; `by`: what moved it out of the filter."""

    presence: Presence
    touched: bool = False
    was_inside: bool = True
    by: By = "person"


@dataclass(frozen=True)
class Fate:
    """What is done, and to the item of which side."""

    does: Does
    side: Side | None = None
    asks: Asks | None = None


def fate(mirror: Mirror, linked: Linked, left: Stands, right: Stands) -> Fate:
    """Return what becomes of a pair. Nothing that somebody edited is deleted unseen; what never was inside the filter cannot
    leave it, and what left by the clock or by our own write is not deleted for that."""
    stands = {"left": left, "right": right}
    found = {side: stands[side].presence for side in SIDES}
    if "missing" in found.values():
        return Fate("wait")
    if found["left"] == found["right"]:
        return {"deleted": Fate("close"), "outside": Fate("outside")}.get(found["left"]) or _merged(linked, left)
    for side in SIDES:
        if found[side] == "deleted":
            return _deleted(mirror, OTHER[side], stands[OTHER[side]])
    gone: Side = "left" if found["left"] == "outside" else "right"
    return _left(mirror, linked, stands[gone], OTHER[gone], stands[OTHER[gone]])


def _merged(linked: Linked, left: Stands) -> Fate:
    return Fate("restore") if linked == "archived" else Fate("merge")


def _deleted(mirror: Mirror, other: Side, there: Stands) -> Fate:
    """Say what becomes of an item whose counterpart was deleted. A deletion crosses only where edits do."""
    if not any(field.goes_to(other) for field in mirror.fields) or mirror.deletes == "keep":
        return Fate("close")
    if mirror.deletes == "ask":
        return Fate("ask", other, "deleted")
    if there.touched:
        return Fate("ask", other, "deleted_but_edited")
    return Fate("delete" if mirror.deletes == "follow" else "archive", other)


def _left(mirror: Mirror, linked: Linked, gone: Stands, other: Side, there: Stands) -> Fate:
    """Say what becomes of an item whose counterpart came outside the filter."""
    if linked == "archived":
        return Fate("outside")
    if mirror.leaving == "stop" or not gone.was_inside or gone.by != "person":
        return Fate("outside")
    if not any(field.goes_to(other) for field in mirror.fields):
        return Fate("outside")
    if mirror.leaving == "archive":
        return Fate("archive", other)
    return Fate("ask", other, "left_but_edited") if there.touched else Fate("delete", other)
