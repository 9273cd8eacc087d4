"""Several files stored in apps."""

from __future__ import annotations

import json
from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.fields.file import linked
from kelvix.core.values import File, Unfit, Value, Wire, as_text

MAX_FILES = 100  # of a record


class SeveralFiles(FieldType):
    code, rank, name, with_article = "several_files", 112, "several files", "several files"
    accepts = "files of an app, one or a list; links that download files, one in each line"
    refuses = "other values and texts; links that lead to web pages; more than 100 files"
    operators = ("filled", "empty")
    recognises = in_requests = False
    column, index_prefix = "MEDIUMTEXT", 60
    family, can_be_typed, has_many = "file", False, True
    fits = {"file": 0.7}
    keeps = tuple

    def coerce(self, value: Value, how: Taking) -> Value:
        files = value if isinstance(value, tuple) else (value,)
        if not all(isinstance(f, File) for f in files):
            texts = [str(f) if isinstance(f, File) else as_text(f, how.zone) for f in files]
            files = tuple(
                f if isinstance(f, File) else linked(line)
                for f, text in zip(files, texts, strict=True)
                for line in text.splitlines()
                if line.strip()
            )
        kept = tuple(dict.fromkeys(f for f in files if isinstance(f, File)))
        if len(kept) > MAX_FILES:
            raise Unfit(f"these are {len(kept)} files, more than the {MAX_FILES} that a record can have")
        return kept

    def read(self, text: str, how: Taking) -> Value:
        return self.coerce(text, how)

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
