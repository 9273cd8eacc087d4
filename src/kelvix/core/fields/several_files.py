"""Several files stored in apps."""

from __future__ import annotations

import json
from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.values import File, Unfit, Value, Wire, as_text, shorten

MAX_FILES = 100  # of a record


class SeveralFiles(FieldType):
    code, rank, name, with_article = "several_files", 112, "several files", "several files"
    accepts = "files that an app carries, one or a list of them"
    refuses = "all else: a text does not become a file; more than 100 files"
    operators = ("filled", "empty")
    recognises = in_requests = False
    column, index_prefix = "MEDIUMTEXT", 60
    family, can_be_typed, has_many = "file", False, True
    fits = {"file": 0.7}
    keeps = tuple

    def coerce(self, value: Value, how: Taking) -> Value:
        files = value if isinstance(value, tuple) else (value,)
        kept = tuple(dict.fromkeys(f for f in files if isinstance(f, File)))
        if not kept or any(not isinstance(f, File) for f in files):
            return self.read(as_text(value, how.zone), how)
        if len(kept) > MAX_FILES:
            raise Unfit(f"these are {len(kept)} files, more than the {MAX_FILES} that a record keeps")
        return kept

    def read(self, text: str, how: Taking) -> Value:
        raise Unfit(f"“{shorten(text)}” is not a file")

    def from_wire(self, wire: Wire) -> Value:
        if not isinstance(wire, list):
            raise ValueError
        return tuple(File.of(w) for w in wire)

    def to_column(self, value: Value) -> Any:
        return (
            json.dumps([f.wire() for f in value if isinstance(f, File)], ensure_ascii=False)
            if isinstance(value, tuple)
            else None
        )

    def from_column(self, raw: Any) -> Value:
        return tuple(File.of(w) for w in json.loads(raw)) if raw else None


TYPE = SeveralFiles()
