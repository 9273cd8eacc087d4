"""Where a value goes back to: the edit that somebody made, however many mirrors carried it since.

A root knows the roots that it came after. Where two values meet of which one came after the other, the later one stands; where
neither knows of the other, two people edited at once. (Happened-before: Lamport, Time, Clocks, and the Ordering of Events in a
Distributed System, 1978.)
"""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import sha256

KEPT = 64  # earlier roots that a root knows of; beyond, what was agreed on decides as without


@dataclass(frozen=True)
class Root:
    """An edit. `after`: the edits that it came after, the latest last."""

    id: str
    after: tuple[str, ...] = ()

    def came_after(self, other: Root) -> bool:
        return other.id in self.after


def edited(id: str, there: Root | None) -> Root:
    """Return the root of an edit of a value that had one."""
    return Root(id, (*there.after, there.id)[-KEPT:] if there else ())


def joined(left: Root | None, right: Root | None) -> Root | None:
    """Return the root of what was made of two values: the same wherever that is done."""
    if left is None or right is None or left == right:
        return left or right
    if left.came_after(right):
        return left
    if right.came_after(left):
        return right
    ids = sorted((left.id, right.id))
    known = sorted({*left.after, *right.after} - {*ids})
    return Root(sha256("\x1f".join(ids).encode()).hexdigest()[:32], (*known, *ids)[-KEPT:])
