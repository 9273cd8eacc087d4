"""Which items of two collections are the same thing, recognised for the first time.

Keys that are exact or normalised must all be the same. Near keys are weighed: each gives evidence for or against, in bits, by
how often its value stands in both collections; together with the chance that two items are the same at all, that is a
probability (Fellegi and Sunter, A Theory for Record Linkage, JASA 64, 1969). Two items are a pair where each is the other's
best and no other comes near; where one does, that is doubt, which is left to a person.
"""

from __future__ import annotations

import math
import unicodedata
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from rapidfuzz.distance import DamerauLevenshtein

from kelvix.core.mirror.document import By, MatchRule
from kelvix.core.values import Value, fold, to_wire

Says = Literal["same", "alike", "different", "empty"]

RIGHT_IF_SAME, ALIKE_IF_SAME = 0.85, 0.12  # of true pairs: the shares whose key is the same, and is alike
ALIKE, SHORT = 0.75, 4  # likeness from which a word may be another, mistyped; and letters below which it is not
ALIKE_BY_CHANCE = 20  # times as many words are alike as are the same
UNSEEN = 0.1  # a value that stands once is taken to come up so often
TOGETHER = 0.5  # of the evidence of each word of a text, since words come together
OTHER_WORD, OTHER_NUMBER = 2.5, 6.0  # bits against, for a word that only one side has
MARGIN = 6.0  # bits by which the best must be ahead of the second best
LIKELY = 0.5  # chance from which two are looked at by a person
LOOKED_UP, LOOKED_AT, CAP = 300, 8, 200  # items that are looked up for one, and looked at; items of one piece


@dataclass(frozen=True)
class Keyed:
    """An item by what it is recognised by, in the order of the keys; None where it has nothing there."""

    id: str
    keys: tuple[str | None, ...]


@dataclass(frozen=True)
class Recognised:
    """Two items that are the same. `chance`: how sure that is, from 0 to 1; `why`: what each key says, in the order of the
    rule."""

    left: str
    right: str
    chance: float
    why: tuple[Says, ...]


@dataclass(frozen=True)
class Doubt:
    """Items of which several fit each other, the most likely pairs first."""

    pairs: tuple[Recognised, ...]


@dataclass(frozen=True)
class Matching:
    pairs: tuple[Recognised, ...]
    doubts: tuple[Doubt, ...]


def key_text(value: Value, by: By) -> str | None:
    """Return what a value is recognised by, as text; None where there is nothing."""
    if value is None:
        return None
    wire = to_wire(value)
    if isinstance(wire, list):
        text = " ".join(sorted(str(one[1] if isinstance(one, list) and len(one) > 1 else one) for one in wire))
    else:
        text = str(wire)
    text = unicodedata.normalize("NFC", text)
    if by == "exact":
        return text or None
    words = "".join(c if c.isalnum() else " " for c in fold(text)).split()
    return " ".join(words) or None


def match(rule: MatchRule, lefts: Sequence[Keyed], rights: Sequence[Keyed]) -> Matching:
    """Return which items are the same. Identities are of each collection alone."""
    firm = [n for n, key in enumerate(rule.keys) if key.by != "near"]
    near = [n for n, key in enumerate(rule.keys) if key.by == "near"]
    here, there = _grouped(lefts, firm), _grouped(rights, firm)
    pairs: list[Recognised] = []
    doubts: list[Doubt] = []
    for keys in here if rule.keys else ():
        if keys in there:
            found = _Weighing(rule, near, here[keys], there[keys]).matching() if near else _equal(rule, here[keys], there[keys])
            pairs += found.pairs
            doubts += found.doubts
    return Matching(tuple(pairs), tuple(doubts))


def _grouped(items: Iterable[Keyed], firm: Sequence[int]) -> dict[tuple[str | None, ...], list[Keyed]]:
    """Return items by their firm keys, but for those of which one is empty."""
    groups: dict[tuple[str | None, ...], list[Keyed]] = defaultdict(list)
    for item in items:
        keys = tuple(item.keys[n] for n in firm)
        if None not in keys:
            groups[keys].append(item)
    return groups


def _equal(rule: MatchRule, lefts: Sequence[Keyed], rights: Sequence[Keyed]) -> Matching:
    """Return what comes of items whose keys are all the same: a pair, or doubt where they are several."""
    same: Says = "same"
    why = (same,) * len(rule.keys)
    found = tuple(Recognised(left.id, right.id, 1.0, why) for left in lefts[:LOOKED_AT] for right in rights[:LOOKED_AT])
    return Matching(found, ()) if len(found) == 1 else Matching((), (Doubt(found),))


class _Weighing:
    """Evidence of near keys, among items whose firm keys are the same."""

    def __init__(self, rule: MatchRule, near: list[int], lefts: Sequence[Keyed], rights: Sequence[Keyed]):
        self.rule, self.near, self.lefts, self.rights = rule, near, lefts, rights
        self.number = max(len(lefts), len(rights))
        both = (*lefts, *rights)
        self.often = {n: Counter(one.keys[n] for one in both) for n in near}
        self.words = {n: Counter(word for one in both for word in set((one.keys[n] or "").split())) for n in near}
        self.holding: dict[tuple[object, ...], list[int]] = defaultdict(list)
        for at, item in enumerate(rights):
            for piece in self._pieces(item):
                held = self.holding[piece]
                if len(held) <= CAP:
                    held.append(at)

    def matching(self) -> Matching:
        """Return the pairs that are each other's best by far, and those of which several come near."""
        found = [self._weighed(left, at) for left in self.lefts for at in self._candidates(left)]
        likely = [(bits, one) for bits, one in found if one.chance >= LIKELY or set(one.why) <= {"same", "empty"}]
        likely.sort(key=lambda pair: (-pair[0], pair[1].left, pair[1].right))
        by_left: dict[str, list[tuple[float, Recognised]]] = defaultdict(list)
        by_right: dict[str, list[tuple[float, Recognised]]] = defaultdict(list)
        for pair in likely:
            by_left[pair[1].left].append(pair)
            by_right[pair[1].right].append(pair)
        pairs, open_ = [], []
        taken: set[tuple[str, str]] = set()
        for bits, one in likely:
            mine, theirs = by_left[one.left], by_right[one.right]
            if ("left", one.left) in taken or ("right", one.right) in taken:
                continue
            rivals = [
                other
                for ahead, other in (*mine, *theirs)
                if other != one
                and ahead > bits - MARGIN
                and ("left", other.left) not in taken
                and ("right", other.right) not in taken
            ]
            if rivals or one.chance < self.rule.least:
                open_.append((one, *rivals))
            else:
                pairs.append(one)
                taken |= {("left", one.left), ("right", one.right)}
        return Matching(tuple(pairs), tuple(_doubts(open_, taken)))

    def _pieces(self, item: Keyed) -> Iterable[tuple[object, ...]]:
        """Return what items are looked up by: the words of near keys and the halves of words, so that a mistyped word is found
        too."""
        for n in self.near:
            for word in set((item.keys[n] or "").split()):
                yield n, word
                if 4 <= len(word) <= 24:
                    half = len(word) // 2
                    yield n, word[:half], 0
                    yield n, word[half:], 1

    def _candidates(self, left: Keyed) -> list[int]:
        held = [found for piece in self._pieces(left) if 0 < len(found := self.holding.get(piece, [])) <= CAP]
        held.sort(key=len)
        shared: dict[int, float] = defaultdict(float)
        looked_up = 0
        for found in held:
            for at in found:
                shared[at] += 1 / len(found)
            looked_up += len(found)
            if looked_up >= LOOKED_UP:
                break
        return sorted(shared, key=lambda at: (-shared[at], at))[:LOOKED_AT]

    def _weighed(self, left: Keyed, at: int) -> tuple[float, Recognised]:
        right = self.rights[at]
        why: list[Says] = []
        bits = -math.log2(self.number)
        for n in range(len(self.rule.keys)):
            if n not in self.near:
                why.append("same")
                continue
            says, evidence = self._evidence(n, left.keys[n], right.keys[n])
            why.append(says)
            bits += evidence
        chance = 1 / (1 + 2 ** -max(min(bits, 60.0), -60.0))
        return bits, Recognised(left.id, right.id, chance, tuple(why))

    def _evidence(self, n: int, ours: str | None, theirs: str | None) -> tuple[Says, float]:
        """Return what a near key says, and how many bits that is for or against."""
        if not ours or not theirs:
            return "empty", 0.0
        if ours == theirs:
            said = sum(self._told(n, word, 2) for word in set(ours.split())) if " " in ours else 0.0
            return "same", math.log2(RIGHT_IF_SAME) + max(self._told_by_value(n, ours), TOGETHER * said)
        against = math.log2(1 - RIGHT_IF_SAME - ALIKE_IF_SAME)
        if " " not in ours and " " not in theirs:
            if not _alike(ours, theirs):
                return "different", against
            told = min(self._told_by_value(n, ours), self._told_by_value(n, theirs))
            return "alike", math.log2(ALIKE_IF_SAME / ALIKE_BY_CHANCE) + told
        bits = math.log2(ALIKE_IF_SAME) + self._by_words(n, ours.split(), theirs.split())
        return ("alike", bits) if bits > 0 else ("different", max(bits, against))

    def _by_words(self, n: int, ours: list[str], theirs: list[str]) -> float:
        """Return what two texts say by their words: for what they share, and against for what only one has."""
        shared = set(ours) & set(theirs)
        bits = TOGETHER * sum(self._told(n, word, 2) for word in shared)
        rest, others = [w for w in ours if w not in shared], [w for w in theirs if w not in shared]
        for word in rest:
            twin = next((w for w in others if _alike(word, w) and word.isalpha()), None)
            if twin is None:
                bits -= self._against(n, word)
            else:
                others.remove(twin)
                bits += TOGETHER * max(self._told(n, twin, 1) - math.log2(ALIKE_BY_CHANCE), 0.0)
        return bits - sum(self._against(n, word) for word in others)

    def _told(self, n: int, word: str, held: int) -> float:
        """Return how much a word tells, which `held` of two items have: the more, the fewer others have it."""
        return math.log2(2 * self.number / max(self.words[n][word] - held + UNSEEN, UNSEEN))

    def _against(self, n: int, word: str) -> float:
        return min(OTHER_WORD, self._told(n, word, 1)) if word.isalpha() else OTHER_NUMBER

    def _told_by_value(self, n: int, value: str) -> float:
        here = self.often[n][value]
        return math.log2(2 * self.number / max(here - 2 + UNSEEN, UNSEEN))


@lru_cache(100_000)
def _alike(ours: str, theirs: str) -> bool:
    """Whether a word may be another one, of which letters were mistyped or exchanged."""
    if min(len(ours), len(theirs)) < SHORT:
        return False
    return DamerauLevenshtein.normalized_similarity(ours, theirs, score_cutoff=ALIKE) >= ALIKE


def _doubts(open_: Iterable[tuple[Recognised, ...]], taken: set[tuple[str, str]]) -> Iterable[Doubt]:
    """Return together what hangs together, without what was settled since."""
    groups: list[dict[tuple[str, str], Recognised]] = []
    at: dict[tuple[str, str], dict[tuple[str, str], Recognised]] = {}
    for rivals in open_:
        those = [r for r in rivals if ("left", r.left) not in taken and ("right", r.right) not in taken]
        if not those:
            continue
        ends = [end for r in those for end in (("left", r.left), ("right", r.right))]
        merged: dict[tuple[str, str], Recognised] = {}
        for group in {id(at[end]): at[end] for end in ends if end in at}.values():
            merged |= group
            groups = [g for g in groups if g is not group]
        merged |= {(r.left, r.right): r for r in those}
        groups.append(merged)
        for left, right in merged:
            at["left", left] = at["right", right] = merged
    for group in groups:
        yield Doubt(tuple(sorted(group.values(), key=lambda r: -r.chance)))
