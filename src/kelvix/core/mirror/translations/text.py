"""Short texts, links and addresses: the same where they read the same. Into a link or an address goes only what is one."""

from __future__ import annotations

from kelvix.core.fields import TYPES, coerce
from kelvix.core.mirror.lens import Canonical, Domain, NoCounterpartError, Plain, unified
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Unfit, Value

STRICT = ("email", "link")


def one_line(raw: Value) -> Canonical:
    """Return a text as it is compared: composed, without white space around it."""
    return unified(str(raw)).strip() or None


class Text(Translation):
    code, words = "text", "a text"

    def fits(self, left: Field, right: Field) -> float | None:
        text = [TYPES[f.type].takes_all for f in (left, right)]
        if all(text):
            return 1.0
        return 0.6 if any(text) and any(f.type in STRICT for f in (left, right)) else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        def lens(of: Field) -> Plain:
            def written(value: Canonical) -> Value:
                if of.type not in STRICT:
                    return str(value)
                try:
                    return coerce(str(value), of.type, around.zone)
                except Unfit as unfit:
                    raise NoCounterpartError(str(value), str(value)) from unfit

            return Plain(one_line, written)

        return Domain(lens(left), lens(right), "text")


TRANSLATION = Text()
