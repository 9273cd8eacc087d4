"""Records of another database, or of the same. The other side has a field that refers back: both show the same references."""

from __future__ import annotations

import json
from typing import Any

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import short
from kelvix.core.values import Referred, Unfit, Value, Wire, as_text, shorten

MAX_REFERENCES = 500  # of a record
ADDRESS = short(r"(?:\S*/databases/(?P<database>\d{1,18})/)?(?P<record>\d{1,18})/?", most=500, worst="/databases/1")


class Reference(FieldType):
    code, rank, name, with_article = "reference", 104, "reference to records", "a reference to records"
    accepts = "record links from other lines, one or a list; a record number"
    refuses = "the title of a record, which may not be unique; records of other databases; more than 500"
    operators = ("has", "has_none", "filled", "empty")
    recognises = False
    refers = True
    in_requests = False
    column, table_beside = None, "references"
    groups = True
    family, has_many = "record", True
    fits = {"link": 0.2}
    keeps = tuple

    def coerce(self, value: Value, how: Taking) -> Value:
        given = value if isinstance(value, tuple) else (value,)
        found = tuple(dict.fromkeys(self._one(v, how) for v in given if v is not None and str(v).strip()))
        if len(found) > MAX_REFERENCES:
            raise Unfit(f"these are {len(found)} records, more than the {MAX_REFERENCES} that a record can refer to")
        return found or None

    def _one(self, value: Value, how: Taking) -> Referred:
        if not isinstance(value, Referred):
            value = self._read_one(as_text(value, how.zone), how)
        if value.database != how.refers_to:
            raise Unfit(f"“{shorten(value)}” is a record of another database")
        return value

    def _read_one(self, text: str, how: Taking) -> Referred:
        found = ADDRESS.fullmatch(one_line(text))
        if not found:
            raise Unfit(f"“{shorten(text)}” is not a record. Use a record link from a Find line")
        return Referred(f"record {found['record']}", int(found["database"] or how.refers_to or 0), int(found["record"]))

    def read(self, text: str, how: Taking) -> Value:
        return (self._one(text, how),)

    def seek(self, value: Value, how: Taking) -> Value:
        found = self.coerce(value, how)
        if isinstance(found, tuple) and len(found) > 1:
            raise Unfit("these are several records; compare with one")
        return found[0] if isinstance(found, tuple) else None

    def identity(self, value: Value) -> Value:
        """Its database and number: titles may be the same."""
        if isinstance(value, tuple):
            return tuple(str(self.identity(one)) for one in value)
        return f"{value.database}/{value.record}" if isinstance(value, Referred) else value

    def from_wire(self, wire: Wire) -> Value:
        if not isinstance(wire, list) or not all(isinstance(w, list) for w in wire):
            raise ValueError
        return tuple(Referred.of(w) for w in wire)

    def from_column(self, raw: Any) -> Value:
        """From what the table beside gives: JSON, a list for each."""
        return tuple(Referred.of(w) for w in json.loads(raw)) if raw else None


TYPE = Reference()
