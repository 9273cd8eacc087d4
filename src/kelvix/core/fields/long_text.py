"""Text of many lines, in Markdown."""

from __future__ import annotations

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.values import Value


class LongText(FieldType):
    code, rank, name, with_article = "long_text", 20, "long text", "a long text"
    accepts = "any value as text, with line breaks"
    refuses = "more than 4,000,000 characters"
    longest = 4_000_000
    operators = ("mentions", "mentions_none", "contains", "filled", "empty")
    recognises = False
    is_long = True
    from_text, into_text = 0.4, 0.45
    fits = {"link": 0.1}
    column, index_prefix, is_indexed = "MEDIUMTEXT", 60, False

    def seems(self, raw: object) -> bool:
        return isinstance(raw, str) and ("\n" in raw or len(raw) > 200)

    def read(self, text: str, how: Taking) -> Value:
        return text.replace("\r\n", "\n").replace("\r", "\n")


TYPE = LongText()
