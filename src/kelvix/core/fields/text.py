"""Text of one line."""

from __future__ import annotations

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import Value


class Text(FieldType):
    code, rank, name, with_article = "text", 10, "text", "a text"
    accepts = "anything, as it reads in one line: 23 Nov 2026, 17:02; yes; a list with commas"
    refuses = "more than 10,000 characters"
    index_prefix = 60
    fits = {
        "choice": 0.8,
        "long_text": 0.45,
        "email": 0.35,
        "labels": 0.35,
        "number": 0.35,
        "date": 0.35,
        "datetime": 0.3,
        "file": 0.3,
        "link": 0.25,
    }

    def read(self, text: str, how: Taking) -> Value:
        return one_line(text)


TYPE = Text()
