"""What containers hold: the fields of a database, and the values that a source item carries."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from zoneinfo import ZoneInfo

from kelvix.core.fields import TYPES, fitted, is_blank
from kelvix.core.fields.field_type import Taking
from kelvix.core.values import Choice, FieldId, NewChoice, Type, Value

TEXT_FIELD: FieldId = "0"  # the record's own text, its main column: a target like any field, with an identity of its own


@dataclass(frozen=True)
class Field:
    """A field of a database. Referred to by `id`, so that renaming it changes nothing elsewhere. `grows`: what is written to
    it may add choices. `refers_to`: the database whose records are its values; `back`: the field there that refers back;
    `leads`: whether this one was made first of the two; `their_title`: the field by which the records there are called."""

    id: FieldId
    name: str
    type: Type
    required: bool = False
    choices: tuple[Choice, ...] = ()
    grows: bool = False
    refers_to: int | None = None
    back: FieldId | None = None
    leads: bool = True
    their_title: FieldId | None = None

    def take(self, value: Value, zone: ZoneInfo, order: str | None, may_grow: bool = True) -> Value:
        """Return a value as this field keeps it. Raises Unfit."""
        return fitted(value, self.type, self._taking(zone, order, may_grow))

    def seek(self, value: Value, zone: ZoneInfo, order: str | None) -> Value:
        """Return a value as this field is compared with it by a Find line. Raises Unfit."""
        return None if is_blank(value) else TYPES[self.type].seek(value, self._taking(zone, order, True))

    def _taking(self, zone: ZoneInfo, order: str | None, may_grow: bool) -> Taking:
        return Taking(zone, order, self.choices, self.grows and may_grow, self.refers_to)

    @property
    def carried_as(self) -> Type:
        """The type of its values where lines carry them, by the names of their choices."""
        return TYPES[self.type].carried_as or self.type

    def choice_name(self, choice_id: object) -> str | None:
        """Return a choice's name; a new one's is itself."""
        if isinstance(choice_id, NewChoice):
            return str(choice_id)
        return next((c.name for c in self.choices if c.id == choice_id), None)

    def named(self, value: Value) -> Value:
        """Return a value with the names of its choices instead of their ids; a removed choice has no name."""
        if not TYPES[self.type].has_choices:
            return value
        if isinstance(value, tuple):
            return tuple(n for n in map(self.choice_name, value) if n) or None
        return self.choice_name(value)


@dataclass(frozen=True)
class Database:
    """A database as the computation sees it. The first field is its records' title; the last is their text."""

    id: int
    name: str
    fields: tuple[Field, ...]

    def field(self, field_id: FieldId) -> Field | None:
        return self._by_id.get(field_id)

    @cached_property
    def _by_id(self) -> dict[FieldId, Field]:
        return {f.id: f for f in reversed(self.fields)}


@dataclass(frozen=True)
class CarriedField:
    """A value that an item of a source carries: `key` is its identity, `name` how it reads, level by level."""

    key: str
    name: tuple[str, ...]
    type: Type

    @property
    def group(self) -> str:
        return self.key.rpartition(".")[0]


@dataclass(frozen=True)
class CarriedList:
    """A list that a line carries: `fields` are what each of its rows has. `database`: whose records the rows are, if any."""

    key: str
    name: tuple[str, ...]
    fields: tuple[CarriedField, ...]
    database: int | None = None
