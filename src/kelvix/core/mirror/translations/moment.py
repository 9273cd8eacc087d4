"""Moments, to the minute or the second where a side keeps no more."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Plain
from kelvix.core.mirror.translations.translation import Around, Asked, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value

KEPT: Mapping[str, Callable[[datetime], datetime]] = {
    "minute": lambda at: at.replace(second=0, microsecond=0),
    "second": lambda at: at.replace(microsecond=0),
}


class Moment(Translation):
    code, words = "moment", "a date and time"

    def fits(self, left: Field, right: Field) -> float | None:
        return 1.0 if TYPES[left.type].keeps is datetime is TYPES[right.type].keeps else None

    def asks(self, left: Field, right: Field) -> tuple[Asked, ...]:
        return (Asked("to", "Times cross", (("", "exactly"), ("second", "to the second"), ("minute", "to the minute"))),)

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        cut = KEPT.get(str(options.get("to")))

        def reads(raw: Value) -> Canonical:
            assert isinstance(raw, datetime)
            return cut(raw) if cut else raw

        lens = Plain(reads)
        return Domain(lens, lens, "datetime")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        to = str(options.get("to"))
        return (f"Times cross to the {to}.",) if to in KEPT else ()


TRANSLATION = Moment()
