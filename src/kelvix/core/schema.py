"""What containers hold: the fields of a database, and the values that a source item carries."""

from __future__ import annotations

from collections.abc import Mapping
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
    it may add choices; `adds_choices`: a person may; `can_write`: what keeps it lets it be written; `counts`: another value of
    it is a change of its item, as where a row stands is none. `refers_to`: the database whose records are its values; `back`:
    the field there that refers back; `leads`: whether this one was made first of the two; `their_title`: the field by which the
    records there are called."""

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
    can_write: bool = True
    counts: bool = True
    adds_choices: bool = False

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

    def carried(self, key: str, name: tuple[str, ...]) -> CarriedField:
        """Return the carried field that stands for this one, under `key`."""
        return CarriedField(key, name, self.carried_as, tuple(c.name for c in self.choices))

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


FIRST_OUTSIDE = 10**12  # places of apps are numbered from here on, and databases of ours below
LINK: FieldId = "link"  # the field in which every item of an app has the link that opens it


@dataclass(frozen=True)
class Operation:
    """Something that an app does to an item, besides keeping it: add a comment. `inputs`: what it takes; `knows_keys`: whether
    it is done once however often it is asked for under one idempotency key."""

    code: str
    words: str
    inputs: tuple[Field, ...] = ()
    knows_keys: bool = False


@dataclass(frozen=True)
class Outside:
    """Of a place of an app that is seen as a database: how it is reached, and the words of its app. `path`: the names of what
    it stands within; `writes`: which kinds of write it takes (core/collection.py); `operations`: what else its items take;
    `makes`: whether it can be given fields; `is_sheet`: whether its items are rows that have no identity in their app;
    `places_word`: several of its
    place; `why_not`: why some kinds of write are not taken, as a sentence, where there is a reason to say."""

    connection: int
    place: str
    app: str
    app_name: str
    place_word: str
    item_word: str
    items_word: str
    link: str
    path: tuple[str, ...] = ()
    writes: frozenset[str] = frozenset()
    operations: tuple[Operation, ...] = ()
    makes: bool = False
    is_sheet: bool = False
    why_not: str = ""
    places_word: str = "places"

    def refuses(self, does: str) -> str:
        """Return why a line can’t do something here, as a sentence."""
        return self.why_not or f"{self.app_name} doesn’t let this line {does}"


@dataclass(frozen=True)
class Database:
    """A database as the computation sees it, or a place of an app, which is seen in the same way. The first field is its
    records' title; the last of a database of ours is their text."""

    id: int
    name: str
    fields: tuple[Field, ...]
    outside: Outside | None = None

    @property
    def record_word(self) -> str:
        return self.outside.item_word if self.outside else "record"

    @property
    def a_record(self) -> str:
        """Return the same with its article."""
        return f"{'an' if self.record_word[0] in 'aeiou' else 'a'} {self.record_word}"

    @property
    def records_word(self) -> str:
        return self.outside.items_word if self.outside else "records"

    @property
    def word(self) -> str:
        return self.outside.place_word if self.outside else "database"

    def link(self, address: str, record: object, values: Mapping[FieldId, Value]) -> str | None:
        """Return the link that opens a record; `address` is the pattern of those of ours."""
        if self.outside is None:
            return address.format(database=self.id, record=record)
        found = values.get(LINK)
        return found if isinstance(found, str) else None

    @property
    def readable(self) -> tuple[Field, ...]:
        """Its fields, and what its records have of their own: an item of an app has that among its fields."""
        return self.fields if self.outside else (*self.fields, *RECORD_DATA)

    def field(self, field_id: FieldId) -> Field | None:
        return self._by_id.get(field_id)

    def readable_field(self, field_id: FieldId) -> Field | None:
        """Return a field, or what its records have of their own."""
        return self.field(field_id) or next((f for f in self.readable if f.id == field_id), None)

    @cached_property
    def _by_id(self) -> dict[FieldId, Field]:
        return {f.id: f for f in reversed(self.fields)}


@dataclass(frozen=True)
class CarriedField:
    """A value that an item of a source carries: `key` is its identity, `name` how it reads, level by level. `choices`: where it
    is one of a database's, what it can be."""

    key: str
    name: tuple[str, ...]
    type: Type
    choices: tuple[str, ...] = ()

    @property
    def group(self) -> str:
        return self.key.rpartition(".")[0]


# What every record of ours has of its own, beside the fields of its database.
RECORD_DATA = tuple(
    Field(one.key, one.name[-1], one.type, can_write=False, counts=False)
    for one in (
        CarriedField("number", ("Record number",), "number"),
        CarriedField("created", ("Record created",), "datetime"),
        CarriedField("created_by", ("Record created by",), "text"),
        CarriedField("changed", ("Record changed",), "datetime"),
        CarriedField("changed_by", ("Record changed by",), "text"),
    )
)


@dataclass(frozen=True)
class CarriedList:
    """A list that a line carries: `fields` are what each of its rows has. `database`: whose records the rows are, if any."""

    key: str
    name: tuple[str, ...]
    fields: tuple[CarriedField, ...]
    database: int | None = None


def is_outside(database: int | None) -> bool:
    """Whether a database is a place of an app, by its number."""
    return database is not None and database >= FIRST_OUTSIDE
