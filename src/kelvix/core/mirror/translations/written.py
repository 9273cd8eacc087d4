"""A value that the other side keeps as a short text: written as people write it, and read as they do."""

from __future__ import annotations

from kelvix.core.fields import TYPES, coerce
from kelvix.core.mirror.lens import Canonical, Domain, NoCounterpartError, Plain, as_it_is
from kelvix.core.mirror.translations.options import choices_of
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Unfit, Value, as_text, fold

READ = ("number", "date", "time", "duration", "amount", "yes_no", "choice")


class Written(Translation):
    code, words = "written", "what it reads as"

    def fits(self, left: Field, right: Field) -> float | None:
        text = [TYPES[f.type].takes_all for f in (left, right)]
        return 0.5 if any(text) and any(f.type in READ for f in (left, right)) else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        of = right if TYPES[left.type].takes_all else left
        names = choices_of(of) if of.type == "choice" else {}
        ids = {fold(name).strip(): id for id, name in reversed(names.items())}

        def read(raw: Value) -> Canonical:
            text = str(raw).strip()
            if of.type == "choice":
                found: Canonical = ids.get(fold(text).strip())
            else:
                try:
                    found = coerce(text, of.type, around.zone, order=around.order)
                except Unfit:
                    found = None
            if found is None and text:
                raise NoCounterpartError(text, text)
            return found

        def write(value: Canonical) -> Value:
            if of.type == "choice":
                return names.get(str(value)) or str(value)
            return as_text(as_it_is(value), around.zone)

        text, plain = Plain(read, write), Plain()
        return Domain.between(left, right, lambda f: text if f is not of else plain, of.type)

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        of, text = (right, left) if TYPES[left.type].takes_all else (left, right)
        return (f"What stands in {text.name} crosses only where {of.name} can hold it.",)


TRANSLATION = Written()
