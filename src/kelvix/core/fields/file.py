"""A file stored in an app."""

from __future__ import annotations

import json
from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.values import File, Unfit, Value, Wire, as_text, shorten


class FileType(FieldType):
    code, rank, name, with_article = "file", 110, "file", "a file"
    accepts = "a file that an app carries, such as an attachment"
    refuses = "all else: a text does not become a file"
    recognises = in_requests = False
    text_within = "$[0]"  # its name
    index_prefix = 60
    family, can_be_typed = "file", False
    keeps = File

    def coerce(self, value: Value, how: Taking) -> Value:
        return value if isinstance(value, File) else self.read(as_text(value, how.zone), how)

    def read(self, text: str, how: Taking) -> Value:
        raise Unfit(f"“{shorten(text)}” is not a file")

    def seek(self, value: Value, how: Taking) -> Value:
        """Its name."""
        return as_text(value, how.zone)

    def from_wire(self, wire: Wire) -> Value:
        return File.of(wire)

    def to_column(self, value: Value) -> Any:
        return json.dumps(value.wire(), ensure_ascii=False) if isinstance(value, File) else value

    def from_column(self, raw: Any) -> Value:
        return File.of(json.loads(raw)) if raw else None


TYPE = FileType()
