"""Text of one line."""

from __future__ import annotations

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import Value


class Text(FieldType):
    code, rank, name, with_article = "text", 10, "text", "a text"
    accepts = "any value as text in one line: 23 Nov 2026, 17:02; yes; a list with commas"
    refuses = "more than 10,000 characters"
    takes_all, of_class, tells_apart = True, str, 1
    index_prefix = 60
    groups = True

    def seems(self, raw: object) -> bool:
        return True

    def read(self, text: str, how: Taking) -> Value:
        return one_line(text)


TYPE = Text()
