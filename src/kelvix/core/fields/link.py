"""A web address."""

from __future__ import annotations

from urllib.parse import SplitResult, urlsplit

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import Unfit, Value, shorten


def split_address(text: str) -> SplitResult | None:
    """The parts of a web address, or of what is meant for one; None for what the standard library takes for none."""
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
    fits = {"text": 0.4}
    never_fits = frozenset(("date", "datetime", "number", "yes_no", "email"))

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        parts = split_address(line) if " " not in line and line.isprintable() else None
        if parts is None or not (
            (parts.scheme in ("http", "https") and parts.netloc) or (parts.scheme == "mailto" and parts.path)
        ):
            raise Unfit(f"“{shorten(text)}” is not a link; a link begins with http:// or https://")
        return line


TYPE = Link()
