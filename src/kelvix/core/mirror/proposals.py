"""Which fields of two collections are probably the same, and by what their items are recognised: proposed to a person, who
decides."""

from __future__ import annotations

from collections.abc import Sequence

from rapidfuzz import fuzz

from kelvix.core.collection import Schema
from kelvix.core.fields import TYPES
from kelvix.core.mirror.document import Direction, FieldPair, Key, MatchRule
from kelvix.core.mirror.translations import TRANSLATIONS, fitting
from kelvix.core.mirror.translations.options import by_name, choices_of
from kelvix.core.schema import Field
from kelvix.core.values import fold

SAME = 0.9  # likeness of names from which they are taken for the same
LEAST = 0.72  # how much speaks for two fields before they are proposed


def field_pairs(left: Schema, right: Schema) -> tuple[FieldPair, ...]:
    """Return the fields that are proposed to be matched, the titles first, each at most once."""
    scored = [
        (score, ours, theirs)
        for ours in left.fields
        for theirs in right.fields
        if (score := likeness(left, right, ours, theirs)) >= LEAST
    ]
    taken: set[tuple[str, str]] = set()
    found: list[FieldPair] = []
    for _, ours, theirs in sorted(scored, key=lambda one: (-one[0], one[1].name, one[2].name)):
        if ("left", ours.id) not in taken and ("right", theirs.id) not in taken:
            taken |= {("left", ours.id), ("right", theirs.id)}
            found.append(pair_of(ours, theirs))
    order = {f.id: (f.id != left.title, n) for n, f in enumerate(left.fields)}
    return tuple(sorted(found, key=lambda pair: order[pair.left]))


def pair_of(left: Field, right: Field, translation: str | None = None) -> FieldPair:
    """Return two fields as they are matched by default, or by a translation."""
    code = translation or fitting(left, right)[0][1].code
    options = TRANSLATIONS[code].proposed(left, right)
    return FieldPair(f"{left.id}~{right.id}", left.id, right.id, code, options, direction_of(left, right))


def direction_of(left: Field, right: Field) -> Direction:
    """Return which way edits can go between two fields."""
    if not right.can_write:
        return "to_left"
    return "both" if left.can_write else "to_right"


def likeness(left: Schema, right: Schema, ours: Field, theirs: Field) -> float:
    """Return how likely two fields are the same, from 0 to 1: by what they are called, what they hold, and what they are to
    their items."""
    fits = fitting(ours, theirs)
    if not fits or not (ours.can_write or theirs.can_write):
        return 0.0
    named = fuzz.token_set_ratio(fold(ours.name), fold(theirs.name)) / 100
    if left.title == ours.id and right.title == theirs.id:
        return 1.0
    if left.title == ours.id or right.title == theirs.id or (named < SAME and not (ours.can_write and theirs.can_write)):
        named = min(named, 0.4)
    if left.body == ours.id and right.body == theirs.id:
        return 0.99
    shared = by_name(ours, theirs)
    alike = len(shared) / max(1, min(len(choices_of(ours)), len(choices_of(theirs))))
    return 0.55 * named + 0.25 * fits[0][0] + 0.2 * (alike if choices_of(ours) and choices_of(theirs) else fits[0][0])


def match_rule(left: Schema, right: Schema, fields: Sequence[FieldPair]) -> MatchRule:
    """Return by what items are recognised: by their titles, where these are matched, else by the matched fields by which things
    are told apart best."""
    ours, theirs = ({f.id: f for f in of.fields} for of in (left, right))

    def tells(pair: FieldPair) -> int:
        return min(TYPES[ours[pair.left].type].tells_apart, TYPES[theirs[pair.right].type].tells_apart)

    titles = [one for one in fields if (one.left, one.right) == (left.title, right.title)]
    telling = sorted((one for one in fields if tells(one)), key=tells, reverse=True)
    return MatchRule(tuple(Key(one.left, one.right) for one in (titles or telling)[:1]))
