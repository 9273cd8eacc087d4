"""Which row of a sheet is which, where the sheet gives its rows no identity: by a key column, else by their contents.

Between two readings, rows were sorted, inserted, deleted and edited. What was done is the *smallest explanation*: the one
that costs least, where moving a row costs nothing, editing d of its cells 4 + 4d, and deleting or inserting a row of n filled
cells 2 + n. So a row of which fewer than half of the cells were edited is taken for the same row, and one edited in more of
them for another. Of two explanations that edit as many cells, the one that touches fewer rows is smaller.

Rows that are paired by every smallest explanation are the same; where smallest explanations differ, that is doubt, and a
person is asked. Rows that are alike are as many items as they are rows; as long as none of them was edited, deleted or added,
they are paired in their order, since no reading can tell them apart. What all smallest explanations share: assignment.py.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain
from typing import Any

from kelvix.core.sheets.assignment import Doubt, Matched, cheapest, joined

Row = Sequence[Hashable]  # its cells as they were read, None or "" where one is empty
EMPTY = (None, "")
ALIKE = 40_000  # pairs of alike rows that are looked at where some were added or deleted


def match_rows(old: Sequence[Row], new: Sequence[Row], key: int | None = None) -> Matched:
    """Return which rows are the same. Both readings have the same columns in one order (see match_columns). Rows without a
    filled cell are no items. With a `key` column, rows of one key are the same whatever else changed; where a key is missing
    or repeated, the contents decide among those that have it."""
    before = [i for i, row in enumerate(old) if _filled(row)]
    after = [j for j, row in enumerate(new) if _filled(row)]
    if key is None:
        return joined([_by_contents(old, new, before, after)])
    olds, news = _grouped(before, lambda i: old[i][key]), _grouped(after, lambda j: new[j][key])
    parts = []
    for value in olds.keys() | news.keys():
        ours, theirs = olds.get(value, []), news.get(value, [])
        if value not in EMPTY and len(ours) == len(theirs) == 1:
            parts.append(Matched({theirs[0]: ours[0]}, (), (), ()))
        else:
            parts.append(_by_contents(old, new, ours, theirs))
    return joined(parts)


@dataclass(frozen=True)
class Column:
    """A column as it was read: its header, None where the sheet has none, and its cells from top to bottom."""

    header: str | None
    cells: Row


def match_columns(old: Sequence[Column], new: Sequence[Column]) -> Matched:
    """Return which columns are the same, however their rows were sorted since: those of one header, where it stands once in
    both; else those that hold the same values, at least half of them."""
    olds = _grouped(range(len(old)), lambda i: old[i].header)
    news = _grouped(range(len(new)), lambda j: new[j].header)
    named = {news[h][0]: olds[h][0] for h in olds.keys() & news.keys() if h not in EMPTY and len(olds[h]) == len(news[h]) == 1}
    ours = [i for i in range(len(old)) if i not in named.values()]
    theirs = [j for j in range(len(new)) if j not in named]
    held_before = {i: Counter(c for c in old[i].cells if c not in EMPTY) for i in ours}
    held_after = {j: Counter(c for c in new[j].cells if c not in EMPTY) for j in theirs}
    costs = {}
    for i in ours:
        for j in theirs:
            common, all_ = (held_before[i] & held_after[j]).total(), (held_before[i] | held_after[j]).total()
            if all_ and 2 * common >= all_:
                costs[i, j] = 1000 * (all_ - common) // all_
    lost, gained = dict.fromkeys(ours, 251), dict.fromkeys(theirs, 250)  # together dearer than half of the values
    return joined([Matched(named, (), (), ()), cheapest(costs, lost, gained)])


def _filled(row: Row) -> int:
    return sum(cell not in EMPTY for cell in row)


def _grouped(of: Iterable[int], by: Callable[[int], Any]) -> dict[Any, list[int]]:
    groups: dict[Any, list[int]] = defaultdict(list)
    for one in of:
        groups[by(one)].append(one)
    return groups


def _by_contents(old: Sequence[Row], new: Sequence[Row], before: Iterable[int], after: Iterable[int]) -> Matched:
    """Pair what is unchanged, which every smallest explanation does, and assign the rest."""
    olds, news = _grouped(before, lambda i: tuple(old[i])), _grouped(after, lambda j: tuple(new[j]))
    same: dict[int, int] = {}
    doubts = []
    ours: list[int] = []
    theirs: list[int] = []
    for row in olds.keys() | news.keys():
        alike, now = olds.get(row, []), news.get(row, [])
        if len(alike) == len(now):
            same |= dict(zip(now, alike, strict=True))
        elif len(alike) * len(now) > ALIKE:
            doubts.append(Doubt(tuple(alike), tuple(now)))
        else:
            ours += alike
            theirs += now
    costs = {}
    for i, j in _candidates(old, new, ours, theirs):
        edits = sum(a != b and not (a in EMPTY and b in EMPTY) for a, b in zip(old[i], new[j], strict=True))
        if 4 * edits <= _filled(old[i]) + _filled(new[j]):
            costs[i, j] = 4 * (1 + edits) if edits else 0
    deleted, inserted = {i: 2 + _filled(old[i]) for i in sorted(ours)}, {j: 2 + _filled(new[j]) for j in sorted(theirs)}
    assigned = cheapest(costs, deleted, inserted)
    return joined([Matched(same, (), (), tuple(doubts)), assigned])


def _candidates(
    old: Sequence[Row], new: Sequence[Row], ours: Iterable[int], theirs: Iterable[int]
) -> Iterator[tuple[int, int]]:
    """Return all pairs that could be one row edited, and few others, by the cells that they share.

    Of n and m filled cells at most a quarter of both together is edited, so all others of the longer row are shared. The most
    frequent third of a row's cells tells least and holds most of the work; since two such rows share at least a third of the
    first one's cells, one of those that are looked at is among them."""
    holding: dict[tuple[int, Hashable], list[int]] = defaultdict(list)
    for j in theirs:
        for cell in _cells(new[j]):
            holding[cell].append(j)
    for i in ours:
        cells = sorted(_cells(old[i]), key=lambda cell: len(holding.get(cell, ())))
        passed_over = math.ceil(len(cells) / 3) - 1
        shared = Counter(chain.from_iterable(holding.get(cell, ()) for cell in cells[: len(cells) - passed_over]))
        for j, count in shared.items():
            filled = _filled(new[j])
            if count + passed_over >= max(len(cells), filled) - (len(cells) + filled) // 4:
                yield i, j


def _cells(row: Row) -> list[tuple[int, Hashable]]:
    return [(at, cell) for at, cell in enumerate(row) if cell not in EMPTY]
