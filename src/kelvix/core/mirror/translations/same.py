"""Two fields of one type, whose values are simply the same or not."""

from __future__ import annotations

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Domain, Plain
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field


class Same(Translation):
    code, words = "same", "the same value"

    def fits(self, left: Field, right: Field) -> float | None:
        one = TYPES[left.type]
        simple = not (one.has_choices or one.refers or one.is_long or one.family == "file" or one.takes_all)
        return 0.9 if left.type == right.type and simple else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        lens = Plain()
        return Domain(lens, lens, left.type)


TRANSLATION = Same()
