"""Choices, matched option by option, by their identities: a renamed option stays what it is. Several options of one side may
stand for one of the other; the first of them is the one that is written, unless one of them is there already."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from typing import Any

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Lens, NoCounterpartError
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value, fold

YES, NO = "yes", "no"


def choices_of(field: Field) -> dict[str, str]:
    """Return the names of what a field of choices, or of yes and no, can be, by their identities."""
    if TYPES[field.type].has_choices:
        return {c.id: c.name for c in field.choices}
    return {YES: "yes", NO: "no"} if field.type == "yes_no" else {}


def matched(options: Options) -> list[tuple[str, str]]:
    """Return the matched options, left and right, as they are named."""
    pairs = options.get("pairs") or []
    return [(str(p[0]), str(p[1])) for p in pairs if isinstance(p, list | tuple) and len(p) == 2]


def groups(options: Options) -> list[tuple[tuple[str, ...], tuple[str, ...]]]:
    """Return what stands for the same: the options of the left and of the right, each in the order in which they are named."""
    found: list[tuple[list[str], list[str]]] = []
    for left, right in matched(options):
        those = [g for g in found if left in g[0] or right in g[1]]
        into = those[0] if those else ([], [])
        for other in those[1:]:
            into[0].extend(other[0])
            into[1].extend(other[1])
            found.remove(other)
        if not those:
            found.append(into)
        into[0].extend([left] if left not in into[0] else [])
        into[1].extend([right] if right not in into[1] else [])
    return [(tuple(lefts), tuple(rights)) for lefts, rights in found]


class OptionsOf:
    """What the options of one side stand for: the number of their group, as text; and which one is written for it."""

    def __init__(self, field: Field, side: int, options: Options):
        self.names = choices_of(field)
        self.stands_for: dict[str, str] = {}
        self.written: dict[str, str] = {}
        for group in groups(options):
            code = f"{group[0][0]}={group[1][0]}"
            self.stands_for |= dict.fromkeys(group[side], code)
            self.written[code] = next((o for o in group[side] if o in self.names), group[side][0])

    def get(self, option: str) -> str:
        if (found := self.stands_for.get(option)) is None:
            raise NoCounterpartError(option, self.names.get(option, option))
        return found

    def put(self, code: str) -> str:
        if code not in self.written:
            raise NoCounterpartError(code, code)
        return self.written[code]


class Chosen(Lens):
    """A field of one choice, or of yes and no."""

    def __init__(self, field: Field, side: int, options: Options):
        self.is_yes_no = field.type == "yes_no"
        self.of = OptionsOf(field, side, options)

    def get(self, raw: Value) -> Canonical:
        if raw is None:
            return None
        return self.of.get((YES if raw else NO) if self.is_yes_no else str(raw))

    def fresh(self, raw: Value, value: Canonical) -> Value:
        if value is None:
            return None
        option = self.of.put(str(value))
        return option == YES if self.is_yes_no else option


def by_name(left: Field, right: Field) -> list[list[str]]:
    """Return the options that are called the same."""
    theirs: Mapping[str, list[str]] = defaultdict(list)
    for id, name in choices_of(right).items():
        theirs[fold(name).strip()].append(id)
    return [[id, their] for id, name in choices_of(left).items() for their in theirs.get(fold(name).strip(), [])[:1]]


class AsOptions(Translation):
    code, words = "options", "one of the options"

    def fits(self, left: Field, right: Field) -> float | None:
        has = [bool(f.type == "yes_no" or (TYPES[f.type].has_choices and not TYPES[f.type].has_many)) for f in (left, right)]
        if not all(has) or left.type == right.type == "yes_no":
            return None
        return 1.0 if left.type == right.type else 0.6

    def proposed(self, left: Field, right: Field) -> dict[str, Any]:
        return {"pairs": by_name(left, right)}

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        return Domain(Chosen(left, 0, options), Chosen(right, 1, options), "text")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        return without_counterpart(left, right, options)

    def wrong(self, left: Field, right: Field, options: Options) -> str | None:
        return None if matched(options) else f"Match at least one option of {left.name} with one of {right.name}."

    def is_coarser(self, left: Field, right: Field, options: Options) -> bool:
        return joins(left, right, options)


def without_counterpart(left: Field, right: Field, options: Options) -> tuple[str, ...]:
    """Return which options correspond to nothing, as sentences."""
    said = []
    for side, field in enumerate((left, right)):
        known = {pair[side] for pair in matched(options)}
        gone = [name for id, name in choices_of(field).items() if id not in known]
        if gone:
            said.append(f"No counterpart for {', '.join(gone[:5])}{' and others' if len(gone) > 5 else ''} of {field.name}.")
    return tuple(said)


def joins(left: Field, right: Field, options: Options) -> bool:
    """Whether several options are one on the other side, or none."""
    return any(len(side) > 1 for group in groups(options) for side in group) or bool(without_counterpart(left, right, options))


TRANSLATION = AsOptions()
