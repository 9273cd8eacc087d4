"""Labels: sets of options, matched one by one. A label to which nothing corresponds stays where it is, and does not count."""

from __future__ import annotations

from typing import Any

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Lens
from kelvix.core.mirror.translations.options import OptionsOf, by_name, joins, without_counterpart
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value


class Labelled(Lens):
    """A field of several options, or of one, as a set."""

    def __init__(self, field: Field, side: int, options: Options):
        self.of = OptionsOf(field, side, options)

    def get(self, raw: Value) -> Canonical:
        return frozenset(self.of.stands_for[one] for one in _several(raw) if one in self.of.stands_for) or None

    def fresh(self, raw: Value, value: Canonical) -> Value:
        wanted = value if isinstance(value, frozenset) else frozenset()
        kept = [one for one in _several(raw) if self.of.stands_for.get(one) in wanted or one not in self.of.stands_for]
        there = {self.of.stands_for.get(one) for one in kept}
        new = sorted(code for code in wanted if code not in there)
        return (*kept, *(self.of.put(code) for code in new)) or None

    def uncounted(self, raw: Value) -> tuple[str, ...]:
        return tuple(self.of.names.get(one, one) for one in _several(raw) if one not in self.of.stands_for)


def _several(raw: Value) -> tuple[str, ...]:
    return tuple(str(one) for one in raw) if isinstance(raw, tuple) else ()


class AsLabels(Translation):
    code, words = "labels", "labels"

    def fits(self, left: Field, right: Field) -> float | None:
        return 1.0 if all(TYPES[f.type].has_choices and TYPES[f.type].has_many for f in (left, right)) else None

    def proposed(self, left: Field, right: Field) -> dict[str, Any]:
        return {"pairs": by_name(left, right)}

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        return Domain(Labelled(left, 0, options), Labelled(right, 1, options), "text", "set")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        return without_counterpart(left, right, options)

    def is_coarser(self, left: Field, right: Field, options: Options) -> bool:
        return joins(left, right, options)


TRANSLATION = AsLabels()
