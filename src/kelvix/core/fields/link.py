"""A web address."""

from __future__ import annotations

import re
from collections.abc import Iterator
from urllib.parse import SplitResult, urlsplit

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import cut
from kelvix.core.values import Unfit, Value, shorten

IN_LINE = cut(r"https?://[^\s<>\"]+[^\s<>\".,;:!?)\]]", worst="https://", flags=re.I)


def split_address(text: str) -> SplitResult | None:
    """Return the parts of a web address, or of what is meant for one; None for what the standard library takes for none."""
    try:
        parts = urlsplit(text)
        _ = parts.port  # only then looked at
    except ValueError:
        return None
    return parts


class Link(FieldType):
    code, rank, name, with_article = "link", 80, "link", "a link"
    accepts = "an address that begins with http://, https:// or mailto:"
    refuses = "other texts"
    example = "https://stbride.example/organ"
    longest = 2_000
    index_prefix = 60
    reads_first_words = True
    family, from_text, into_text = "address", 0.4, 0.25
    tells_apart, is_address = 2, True
    refuses_families = frozenset(("time", "number", "yes_no"))

    def seems(self, raw: object) -> bool:
        return isinstance(raw, str) and self.takes(raw)

    def in_line(self, text: str) -> Iterator[tuple[int, int, str]]:
        return ((match.start(), match.end(), match[0]) for match in IN_LINE.finditer(text))

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        parts = split_address(line) if " " not in line and line.isprintable() else None
        if parts is None or not (
            (parts.scheme in ("http", "https") and parts.netloc) or (parts.scheme == "mailto" and parts.path)
        ):
            raise Unfit(f"“{shorten(text)}” is not a link; a link begins with http:// or https://")
        return line


TYPE = Link()
