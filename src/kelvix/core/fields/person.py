"""Somebody, by name and address, as they stand in the head of a mail (RFC 5322, section 3.4)."""

from __future__ import annotations

from collections.abc import Mapping
from email.utils import getaddresses
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields.email import EMAIL
from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import Person, Unfit, Value, Wire, shorten

MAX_NAME = 200


class PersonType(FieldType):
    code, rank, name, with_article = "person", 72, "person", "a person"
    accepts = "a name, an email address, or both: Ada Reed <ada@stbride.example>"
    refuses = "several people; a name that contains an invalid address"
    example = "Ada Reed <ada@stbride.example>"
    longest = 600
    parts = {"name": "text", "address": "email"}
    compared_by = "name"
    index_prefix = 60
    more_columns = {"address": "VARCHAR(320)"}
    groups = True
    family, from_text = "address", 0.4
    is_for_people = True
    fits = {"email": 0.6}
    refuses_families = frozenset(("time", "number", "yes_no"))
    keeps = Person

    def coerce(self, value: Value, how: Taking) -> Value:
        return value if isinstance(value, Person) else super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        if "@" not in line and not any(c in line for c in "<>"):
            name, address = line, ""
        else:
            found = getaddresses([line])
            name, address = found[0]
            if len(found) > 1 or not EMAIL.fullmatch(address) or "@" not in address:
                raise Unfit(f"“{shorten(text)}” is not one person; write for example Ada Reed <ada@stbride.example>")
        if len(name) > MAX_NAME:
            raise Unfit(f"this name has {len(name)} characters, more than the {MAX_NAME} that a person field holds")
        return Person(one_line(name), address)

    def from_wire(self, wire: Wire) -> Value:
        text = str(super().from_wire(wire))
        name, _, rest = text.rpartition(" <")
        if rest.endswith(">") and name:
            return Person(name, rest[:-1])
        return Person("", text) if EMAIL.fullmatch(text) and "@" in text else Person(text, "")

    def of_parts(self, parts: Mapping[str, Any], zone: ZoneInfo) -> Value:
        name, address = (p if isinstance(p, str) else "" for p in (parts["name"], parts["address"]))
        if address and not EMAIL.fullmatch(address):
            raise Unfit(f"“{shorten(address)}” is not an email address")
        return Person(one_line(name), address) if name.strip() or address else None

    def to_columns(self, value: Value) -> dict[str, Any]:
        if not isinstance(value, Person):
            return {"": None, "address": None}
        return {"": value.name or None, "address": value.address or None}

    def from_columns(self, raw: Mapping[str, Any]) -> Value:
        return Person(raw[""] or "", raw["address"] or "") if raw[""] or raw["address"] else None

    def known_by(self, value: Value) -> dict[str, Any]:
        """By the address where it is known: people's names are written in several ways."""
        assert isinstance(value, Person)
        return {"address": value.address} if value.address else {"": value.name}


TYPE = PersonType()
