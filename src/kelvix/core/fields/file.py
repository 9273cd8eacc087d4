"""A file stored in an app."""

from __future__ import annotations

import json
from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.fields.link import split_address
from kelvix.core.values import File, Unfit, Value, Wire, as_text, shorten


def linked(text: str) -> File:
    """Return the file that a link leads to. Raises Unfit for any other text."""
    address = text.strip()
    parts = split_address(address)
    if parts is None or parts.scheme not in ("http", "https") or not parts.hostname or len(address.split()) != 1:
        raise Unfit(f"“{shorten(text)}” is not a file, and no link to one")
    return File.linked(address)


class FileType(FieldType):
    code, rank, name, with_article = "file", 110, "file", "a file"
    accepts = "a file of an app, such as an attachment; a link that downloads a file, which is fetched when it is written"
    refuses = "other values and texts; a link that leads to a web page"
    recognises = in_requests = False
    text_within = "$[0]"  # its name
    index_prefix = 60
    family, can_be_typed = "file", False
    keeps = File

    def coerce(self, value: Value, how: Taking) -> Value:
        return value if isinstance(value, File) else self.read(as_text(value, how.zone), how)

    def read(self, text: str, how: Taking) -> Value:
        return linked(text)

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
