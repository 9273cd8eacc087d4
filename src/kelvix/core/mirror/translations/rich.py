"""Long texts: the same where Markdown makes the same tree of them. Edits of both sides are joined line by line."""

from __future__ import annotations

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Plain
from kelvix.core.mirror.rich_text import RichText
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Value


def rich(raw: Value) -> Canonical:
    text = RichText(str(raw))
    return text if text.text.strip() else None


def written(value: Canonical) -> Value:
    assert isinstance(value, RichText)
    return value.text


class Rich(Translation):
    code, words = "rich", "a long text"

    def fits(self, left: Field, right: Field) -> float | None:
        return 1.0 if TYPES[left.type].is_long and TYPES[right.type].is_long else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        return Domain(Plain(rich, written), Plain(rich, written), "long_text", "lines")


TRANSLATION = Rich()
