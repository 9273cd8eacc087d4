"""Two edits of one text, joined line by line.

Lines that one side changed and the other did not touch are taken over. Where both changed the same lines, or lines that stand
next to each other, that is an overlap, which a policy or a person decides: between two edits there must be a line that neither
touched. A line is untouched only where every comparison with the fewest changes says so: of two alike lines of which one was
removed, both count as touched. So what is joined does not depend on how the texts were compared.

How many lines were changed at least: Myers, An O(ND) Difference Algorithm and Its Variations, Algorithmica 1, 1986. All
comparisons with no more lie within that many lines of each other.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Lines = Sequence[str]
MOST_CHANGED = 200  # lines: beyond, a text counts as written anew


@dataclass(frozen=True)
class Hunk:
    """Lines `start` to `end` of the base became lines `first` to `last` of a side."""

    start: int
    end: int
    first: int
    last: int


@dataclass(frozen=True)
class Overlap:
    """Lines that both sides changed. Where the base has none there, both put in something."""

    base: tuple[str, ...]
    left: tuple[str, ...]
    right: tuple[str, ...]

    @property
    def are_insertions(self) -> bool:
        return not self.base


@dataclass(frozen=True)
class Joined:
    """A text as both sides' edits make it: its lines, and where they overlap."""

    pieces: tuple[tuple[str, ...] | Overlap, ...]

    @property
    def overlaps(self) -> tuple[Overlap, ...]:
        return tuple(p for p in self.pieces if isinstance(p, Overlap))

    def text(self, taking: Literal["left", "right", "both"] = "left") -> str:
        """Return the text; where edits overlap, one side's lines, or those of both where both put something in."""
        lines: list[str] = []
        for piece in self.pieces:
            if not isinstance(piece, Overlap):
                lines += piece
            elif taking == "both" and piece.are_insertions:
                lines += (*piece.left, *piece.right)
            else:
                lines += piece.right if taking == "right" else piece.left
        return "\n".join(lines)


def join(base: str, left: str, right: str) -> Joined:
    """Return what comes of two edits of a text."""
    lines, ours, theirs = (text.split("\n") for text in (base, left, right))
    pieces: list[tuple[str, ...] | Overlap] = []
    at = 0
    for mine, others in _groups(hunks(lines, ours), hunks(lines, theirs)):
        start = min(h.start for h in (*mine, *others))
        end = max(h.end for h in (*mine, *others))
        pieces.append(tuple(lines[at:start]))
        by_left, by_right = _made(mine, lines, ours, start, end), _made(others, lines, theirs, start, end)
        pieces += _settled(lines[start:end], by_left, by_right)
        at = end
    pieces.append(tuple(lines[at:]))
    return Joined(tuple(p for p in pieces if p))


def hunks(base: Lines, side: Lines) -> list[Hunk]:
    """Return what was changed of a text, in its order: all between lines that are surely the same."""
    found: list[Hunk] = []
    i = j = 0
    for at, to in (*_same(base, side), (len(base), len(side))):
        if at > i or to > j:
            found.append(Hunk(i, at, j, to))
        i, j = at + 1, to + 1
    return found


def _same(a: Lines, b: Lines) -> list[tuple[int, int]]:
    """Return the lines that every comparison with the fewest changes holds to be the same, by their places."""
    changed = _fewest_changes(a, b)
    if changed is None:
        return []
    width = 2 * changed + 1  # of the band around the diagonal that no such comparison leaves
    most = [[-1] * width for _ in range(len(a) + 1)]  # lines in common, of the first i and the first j: at j - i + changed
    for i in range(len(a) + 1):
        for j in range(max(0, i - changed), min(len(b), i + changed) + 1):
            at = j - i + changed
            ways = [0] if i == j == 0 else []
            if i and j and a[i - 1] == b[j - 1]:
                ways.append(most[i - 1][at] + 1)
            if i and at + 1 < width:
                ways.append(most[i - 1][at + 1])
            if j and at:
                ways.append(most[i][at - 1])
            most[i][at] = max(ways, default=-1)
    by_rank: dict[int, set[tuple[int, int]]] = {}
    reached = {(len(a), len(b))}
    ahead = list(reached)
    while ahead:
        i, j = ahead.pop()
        at = j - i + changed
        now = most[i][at]
        nearer: list[tuple[int, int]] = []
        if i and j and a[i - 1] == b[j - 1] and most[i - 1][at] + 1 == now:
            by_rank.setdefault(now, set()).add((i - 1, j - 1))
            nearer.append((i - 1, j - 1))
        if i and at + 1 < width and most[i - 1][at + 1] == now:
            nearer.append((i - 1, j))
        if j and at and most[i][at - 1] == now:
            nearer.append((i, j - 1))
        new = [one for one in nearer if one not in reached]
        reached.update(new)
        ahead += new
    return sorted(pair for pairs in by_rank.values() if len(pairs) == 1 for pair in pairs)


def _fewest_changes(a: Lines, b: Lines) -> int | None:
    """Return how many lines are to be removed and put in at least; None where these are too many to be compared."""
    furthest = {1: 0}
    for d in range(MOST_CHANGED + 1):
        for k in range(-d, d + 1, 2):
            down = k == -d or (k != d and furthest[k - 1] < furthest[k + 1])
            x = furthest[k + 1] if down else furthest[k - 1] + 1
            while x < len(a) and x - k < len(b) and a[x] == b[x - k]:
                x += 1
            furthest[k] = x
            if x >= len(a) and x - k >= len(b):
                return d
    return None


def _groups(mine: list[Hunk], others: list[Hunk]) -> list[tuple[list[Hunk], list[Hunk]]]:
    """Return changes that touch each other together, those of the left and those of the right."""
    groups: list[tuple[list[Hunk], list[Hunk]]] = []
    until = -1
    both = [*((h, 0) for h in mine), *((h, 1) for h in others)]
    for hunk, side in sorted(both, key=lambda one: (one[0].start, one[0].end)):
        if hunk.start > until:
            groups.append(([], []))
        groups[-1][side].append(hunk)
        until = max(until, hunk.end)
    return groups


def _made(of: list[Hunk], base: Lines, side: Lines, start: int, end: int) -> list[str]:
    """Return what a side made of some lines of the base."""
    made: list[str] = []
    at = start
    for hunk in of:
        made += (*base[at : hunk.start], *side[hunk.first : hunk.last])
        at = hunk.end
    return [*made, *base[at:end]]


def _settled(base: list[str], left: list[str], right: list[str]) -> list[tuple[str, ...] | Overlap]:
    """Return what comes of lines that one or both sides changed; of an overlap only what they do not share."""
    if left == right or right == base:
        return [tuple(left)]
    if left == base:
        return [tuple(right)]
    head = 0
    while head < min(len(left), len(right)) and left[head] == right[head]:
        head += 1
    tail = 0
    while tail < min(len(left), len(right)) - head and left[-1 - tail] == right[-1 - tail]:
        tail += 1
    ours, theirs = left[head : len(left) - tail], right[head : len(right) - tail]
    return [tuple(left[:head]), Overlap(tuple(base), tuple(ours), tuple(theirs)), tuple(left[len(left) - tail :])]
