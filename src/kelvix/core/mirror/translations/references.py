"""References: records of one side, as those that they are paired with on the other. One that is not paired yet waits."""

from __future__ import annotations

from kelvix.core.mirror.lens import Canonical, Domain, Lens, NoCounterpartError, Side
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Referred, Value


class Paired(Lens):
    """References of a side; what stands in the domain are the records of the left."""

    def __init__(self, side: Side, around: Around):
        self.side, self.around = side, around

    def get(self, raw: Value) -> Canonical:
        return frozenset(left for _, left in self._paired(raw) if left is not None) or None

    def fresh(self, raw: Value, value: Canonical) -> Value:
        wanted = value if isinstance(value, frozenset) else frozenset()
        kept = [one for one, left in self._paired(raw) if left is None or left in wanted]
        there = {left for _, left in self._paired(raw)}
        new = sorted((one for one in wanted if one not in there), key=lambda one: (one.database, one.record))
        return (*kept, *map(self._theirs, new)) or None

    def uncounted(self, raw: Value) -> tuple[str, ...]:
        return tuple(str(one) for one, left in self._paired(raw) if left is None)

    def _paired(self, raw: Value) -> list[tuple[Referred, Referred | None]]:
        given = [one for one in raw if isinstance(one, Referred)] if isinstance(raw, tuple) else []
        return [(one, one if self.side == "left" else self.around.counterpart("right", one)) for one in given]

    def _theirs(self, left: Referred) -> Referred:
        found = left if self.side == "left" else self.around.counterpart("left", left)
        if found is None:
            raise NoCounterpartError(f"{left.database}/{left.record}", str(left), waits=True)
        return found


class AsPairs(Translation):
    code, words = "references", "what it refers to, as mirrored"

    def fits(self, left: Field, right: Field) -> float | None:
        return 1.0 if left.type == right.type == "reference" else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        return Domain(Paired("left", around), Paired("right", around), "reference", "set")


TRANSLATION = AsPairs()
