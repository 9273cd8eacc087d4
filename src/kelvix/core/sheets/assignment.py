"""The cheapest way to pair the members of two lists, and which pairs all the cheapest ways share.

Each old member is paired with one new one, at a cost, or lost, at another; each new one that is not paired is gained, at a
cost. An assignment problem, solved for each connected part by itself: members join one by one, each along the cheapest
augmenting path, on costs reduced by prices (the Hungarian method on a sparse graph; from memory). What all cheapest ways share
is read off the tight edges, those whose reduced cost is nothing: one that is on no cycle of them is in every cheapest way.
"""

from __future__ import annotations

import heapq
import math
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Doubt:
    """Members of the two lists, any of which could be any of the others, or none."""

    old: tuple[int, ...]
    new: tuple[int, ...]


@dataclass(frozen=True)
class Matched:
    """Members are named by where they stood. `same`: for each of the new list, the old one that it is."""

    same: dict[int, int]
    removed: tuple[int, ...]
    added: tuple[int, ...]
    doubts: tuple[Doubt, ...]


def joined(parts: Iterable[Matched]) -> Matched:
    """Return as one what was found of several parts."""
    same: dict[int, int] = {}
    removed: list[int] = []
    added: list[int] = []
    doubts: list[Doubt] = []
    for part in parts:
        same |= part.same
        removed += part.removed
        added += part.added
        doubts += part.doubts
    return Matched(
        dict(sorted(same.items())),
        tuple(sorted(removed)),
        tuple(sorted(added)),
        tuple(sorted(doubts, key=lambda d: d.old + d.new)),
    )


def cheapest(costs: Mapping[tuple[int, int], int], lost: Mapping[int, int], gained: Mapping[int, int]) -> Matched:
    """Return what all cheapest ways to pair the old members (of `lost`) with the new ones (of `gained`) have in common.
    `costs`: of the pairs of (old, new) that can be; whole numbers, as all costs are, so that equal ones are found equal."""
    above: dict[Node, Node] = {}

    def root(of: Node) -> Node:
        while (over := above.setdefault(of, of)) != of:
            above[of] = above[over]
            of = over
        return of

    offers: dict[int, list[int]] = defaultdict(list)
    for i, j in costs:
        offers[i].append(j)
        above[root(("old", i))] = root(("new", j))
    parts: dict[Node, tuple[list[int], list[int]]] = defaultdict(lambda: ([], []))
    for i in lost:
        parts[root(("old", i))][0].append(i)
    for j in gained:
        parts[root(("new", j))][1].append(j)
    return joined(_part(old, new, offers, costs, lost, gained) for old, new in parts.values())


def _part(
    old: list[int],
    new: list[int],
    offers: Mapping[int, list[int]],
    costs: Mapping[tuple[int, int], int],
    lost: Mapping[int, int],
    gained: Mapping[int, int],
) -> Matched:
    if not old or not new:
        return Matched({}, tuple(old), tuple(new), ())
    # A new member that is paired need not be gained; no cost is less than nothing.
    most = max(gained[j] for j in new)
    pairing = _Pairing(
        {i: [(j, costs[i, j] - gained[j] + most) for j in offers[i]] for i in old}, {i: lost[i] + most for i in old}, new
    )
    for i in old:
        pairing.join(i)
    circle, takes, owner = _circles(pairing.tight()), pairing.takes, pairing.owner
    unsure: dict[int, tuple[list[int], list[int]]] = defaultdict(lambda: ([], []))
    same: dict[int, int] = {}
    removed, added = [], []
    for i in old:
        here = circle["old", i]
        if here == (circle["new", takes[i]] if i in takes else circle[NOWHERE]):
            unsure[here][0].append(i)
        elif i in takes:
            same[takes[i]] = i
        else:
            removed.append(i)
    for j in new:
        here = circle["new", j]
        if here == (circle["old", owner[j]] if j in owner else circle[NOWHERE]):
            unsure[here][1].append(j)
        elif j not in owner:
            added.append(j)
    return Matched(same, tuple(removed), tuple(added), tuple(Doubt(tuple(a), tuple(b)) for a, b in unsure.values()))


Node = tuple[str, int]
NOWHERE: Node = ("", 0)  # where a lost member is now, and a gained one was


class _Pairing:
    """A cheapest pairing of the old members that joined so far: `takes` says which new one each takes, `owner` whose each is.
    The prices of an old and a new one, `up` and `down`, are together no more than their pair costs, and as much if they are
    paired."""

    def __init__(self, ways: Mapping[int, list[tuple[int, int]]], alone: Mapping[int, int], new: Iterable[int]):
        self.ways, self.alone = ways, alone
        self.up: dict[int, int] = {}
        self.down = dict.fromkeys(new, 0)
        self.takes: dict[int, int] = {}
        self.owner: dict[int, int] = {}

    def join(self, newcomer: int) -> None:
        """Add an old member: some others may change whom they take, and one may be left alone (Dijkstra's way)."""
        up, down = self.up, self.down
        up[newcomer] = min([self.alone[newcomer], *(cost - down[j] for j, cost in self.ways[newcomer])])
        rows, columns = {newcomer: 0}, dict[int, int]()
        reached: dict[int, tuple[int, int]] = {}  # for each new member, how far it is and from which old one
        heap: list[tuple[int, int]] = []
        end, left_alone, at = math.inf, newcomer, newcomer
        column: int | None
        while True:
            if rows[at] + self.alone[at] - up[at] < end:
                end, left_alone = rows[at] + self.alone[at] - up[at], at
            for j, cost in self.ways[at]:
                far = rows[at] + cost - up[at] - down[j]
                if j not in columns and far < reached.get(j, (math.inf,))[0]:
                    reached[j] = (far, at)
                    heapq.heappush(heap, (far, j))
            while heap and heap[0][1] in columns:
                heapq.heappop(heap)
            if not heap or heap[0][0] >= end:
                column = None
                break
            far, column = heapq.heappop(heap)
            if column not in self.owner:
                end = far
                break
            at = self.owner[column]
            columns[column] = rows[at] = far
        for i, far in rows.items():
            up[i] += int(end) - far
        for j, far in columns.items():
            down[j] -= int(end) - far
        if column is None:
            column = self.takes.pop(left_alone, None)
        while column is not None:
            row = reached[column][1]
            before = self.takes.get(row)
            self.owner[column], self.takes[row] = row, column
            column = before

    def tight(self) -> dict[Node, list[Node]]:
        """Return a graph: from each old member to what it takes, and back from there along all that costs as little."""
        edges: dict[Node, list[Node]] = {NOWHERE: []}
        edges |= {("old", i): [("new", self.takes[i]) if i in self.takes else NOWHERE] for i in self.ways}
        edges |= {("new", j): [] for j in self.down}
        for i, offers in self.ways.items():
            if i in self.takes and self.up[i] == self.alone[i]:
                edges[NOWHERE].append(("old", i))
            for j, cost in offers:
                if self.takes.get(i) != j and cost == self.up[i] + self.down[j]:
                    edges["new", j].append(("old", i))
        for j, price in self.down.items():
            if j not in self.owner:
                edges[NOWHERE].append(("new", j))
            elif price == 0:
                edges["new", j].append(NOWHERE)
        return edges


def _circles(edges: Mapping[Node, list[Node]]) -> dict[Node, int]:
    """Return the strongly connected component of each node (Kosaraju's way)."""
    back: dict[Node, list[Node]] = {node: [] for node in edges}
    for start, ends in edges.items():
        for end in ends:
            back[end].append(start)
    order: list[Node] = []
    seen: set[Node] = set()
    for start in edges:
        order += _reached(start, edges, seen)
    found: dict[Node, int] = {}
    seen = set()
    for number, start in enumerate(reversed(order)):
        found |= dict.fromkeys(_reached(start, back, seen), number)
    return found


def _reached(start: Node, edges: Mapping[Node, list[Node]], seen: set[Node]) -> list[Node]:
    """Return what is reached from a node and was not seen yet, each after all that is reached from it (depth first)."""
    if start in seen:
        return []
    seen.add(start)
    left, ways = [], [(start, iter(edges[start]))]
    while ways:
        node, ends = ways[-1]
        for end in ends:
            if end not in seen:
                seen.add(end)
                ways.append((end, iter(edges[end])))
                break
        else:
            ways.pop()
            left.append(node)
    return left
