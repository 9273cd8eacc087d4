"""A short text that is the first line of a long one, of which all other lines stay where they are."""

from __future__ import annotations

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Lens, Plain, unified
from kelvix.core.mirror.translations.text import one_line
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value


class FirstLine(Lens):
    """The first line of a long text that says anything."""

    def get(self, raw: Value) -> Canonical:
        lines = (line.strip() for line in unified(str(raw or "")).split("\n"))
        return next((line for line in lines if line), None)

    def fresh(self, raw: Value, value: Canonical) -> Value:
        lines = unified(str(raw or "")).split("\n")
        at = next((n for n, line in enumerate(lines) if line.strip()), 0)
        if value is None and not any(line.strip() for line in lines[at + 1 :]):
            return None
        return "\n".join((*lines[:at], *(() if value is None else (str(value),)), *lines[at + 1 :]))


class AsFirstLine(Translation):
    code, words = "first_line", "the first line"

    def fits(self, left: Field, right: Field) -> float | None:
        ours, theirs = TYPES[left.type], TYPES[right.type]
        return 0.4 if (ours.is_long and theirs.takes_all) or (ours.takes_all and theirs.is_long) else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        short = Plain(one_line, str)
        return Domain.between(left, right, lambda f: FirstLine() if TYPES[f.type].is_long else short, "text")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        long = left if TYPES[left.type].is_long else right
        return (f"Only the first line of {long.name} crosses.",)


TRANSLATION = AsFirstLine()
