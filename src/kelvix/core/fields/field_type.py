"""The one thing that is asked about a type of field: what it accepts, how it is compared, kept, sent and called."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Literal
from zoneinfo import ZoneInfo

from kelvix.core.operators import Operator
from kelvix.core.periods import period
from kelvix.core.values import Choice, Composite, Type, Unfit, Value, Wire, as_text, shorten

Family = Literal["text", "number", "time", "yes_no", "address", "file", "record"]
TEXT_OPERATORS: tuple[Operator, ...] = (
    "mentions",
    "mentions_none",
    "is",
    "is_not",
    "contains",
    "begins",
    "ends",
    "filled",
    "empty",
)


@dataclass(frozen=True)
class Taking:
    """How a field of a workspace takes values: its clock, its order of day and month (DMY, MDY or YMD), the field's choices,
    whether new ones may be added, and the database to which it refers."""

    zone: ZoneInfo
    order: str | None = None
    choices: tuple[Choice, ...] = ()
    grows: bool = False
    refers_to: int | None = None


@dataclass(frozen=True)
class Bound:
    """A sign, what the first column of a value is compared with by it, and what the further columns must hold beside."""

    sign: Literal["<", ">", "<=", ">="]
    value: Any
    held: Mapping[str, Any]


class FieldType(ABC):
    """A type of field. A module of this package makes one, as `TYPE`; another Python package makes one under the entry point
    group `kelvix.fields`. `rank` is its place among the others where they are listed."""

    code: ClassVar[str]
    rank: ClassVar[int]
    name: ClassVar[str]
    with_article: ClassVar[str]
    accepts: ClassVar[str]  # for the guide, as is what it refuses
    refuses: ClassVar[str]
    example: ClassVar[Any] = "text"  # JSON, as a request brings it
    longest: ClassVar[int] = 10_000  # characters of a text that it takes

    operators: ClassVar[tuple[Operator, ...]] = TEXT_OPERATORS
    recognises: ClassVar[bool] = True  # a thing is known again by a value of it
    compares_values: ClassVar[bool] = False  # by the standard's own operators, not as texts
    parts: ClassVar[Mapping[str, Type]] = {}  # of a value of several parts, as formulas call them
    compared_by: ClassVar[str | None] = None  # the part by which conditions compare it
    as_day: ClassVar[bool] = False  # that part is compared by its day
    has_order: ClassVar[bool] = False  # there is a least and a greatest
    has_sum: ClassVar[bool] = False
    added_within: ClassVar[tuple[str, ...] | None] = None  # parts, of further columns, within which values are added up
    groups: ClassVar[bool] = False  # records can be grouped by it
    has_choices: ClassVar[bool] = False
    refers: ClassVar[bool] = False  # a field of it says to which database
    reads_first_words: ClassVar[bool] = False  # in a typed line, as many of the first words as it accepts are its value
    in_requests: ClassVar[bool] = True  # a request may declare a value of it
    can_be_typed: ClassVar[bool] = True
    offered: ClassVar[tuple[str, ...]] = ()  # all that a value of it can be, where these are few

    family: ClassVar[Family] = "text"
    takes_all: ClassVar[bool] = False  # a short text, which anything can be written as
    is_long: ClassVar[bool] = False  # a text of many lines, which is in no list
    has_many: ClassVar[bool] = False  # values
    tells_day: ClassVar[bool] = False
    has_clock: ClassVar[bool] = False  # tells a moment of the day
    is_number: ClassVar[bool] = False  # which one reckons with
    is_address: ClassVar[bool] = False  # of a page
    is_for_people: ClassVar[bool] = False
    tells_apart: ClassVar[int] = 0  # how well an item is known again by it
    carried_as: ClassVar[Type | None] = None  # the type under which lines carry its values, where that is another
    keeps: ClassVar[type] = str  # the class of its values
    of_class: ClassVar[type | None] = None  # what formulas give for it

    fits: ClassVar[Mapping[str, float]] = {}  # how well carried values of other types go with it, from 0 to 1
    from_text: ClassVar[float | None] = None  # the same of texts
    into_text: ClassVar[float | None] = 0.3  # how well a field for text takes a value of it
    refuses_families: ClassVar[frozenset[Family]] = frozenset()  # whose values it never takes, whatever they are

    column: ClassVar[str | None] = "TEXT"  # in MariaDB; None: many values, in a table beside
    table_beside: ClassVar[Literal["labels", "references"] | None] = None
    more_columns: ClassVar[Mapping[str, str]] = {}  # of the parts that the first does not hold, by what follows its name
    index_prefix: ClassVar[int | None] = None  # characters by which it is looked up; None: all
    is_indexed: ClassVar[bool] = True
    text_within: ClassVar[str | None] = None  # JSON path of the text by which it is compared, in what its column keeps

    @property
    def is_text(self) -> bool:
        """Whether its values are texts that say anything."""
        return self.takes_all or self.is_long

    @property
    def is_sorted(self) -> bool:
        """Whether records can go by it: it is short, and one value."""
        return self.is_indexed and self.column is not None

    @property
    def keeps_text(self) -> bool:
        """Whether its column may hold a text of no characters, which is as good as nothing."""
        return self.column is not None and ("CHAR" in self.column or "TEXT" in self.column)

    def coerce(self, value: Value, how: Taking) -> Value:
        """Return the value, which is not blank, as a field keeps it. Raises Unfit."""
        text = as_text(value, how.zone)
        if len(text) > self.longest:
            raise Unfit(
                f"“{shorten(text)}” has {len(text):,} characters, more than the {self.longest:,} that a {self.name} field holds"
            )
        return self.read(text, how)

    def fit(self, carried: FieldType) -> float | None:
        """How well values that are carried as a type go with a field of this one, from 0 to 1; None where they do not."""
        if carried.code == self.code:
            return 1.0
        if carried.code in self.fits:
            return self.fits[carried.code]
        return self.from_text if carried.takes_all else carried.into_text if self.takes_all else None

    def takes(self, text: str) -> bool:
        """Whether a text is one of it, wherever."""
        try:
            return self.read(text, Taking(ZoneInfo("UTC"))) is not None
        except Unfit:
            return False

    def seems(self, raw: object) -> bool:
        """Whether a value of a request's JSON is of this type, to judge by its looks. Asked of later types first."""
        return False

    def in_line(self, text: str) -> Iterator[tuple[int, int, str]]:
        """Where values stand in a typed line that are known by their form alone: from, to, and the value."""
        return iter(())

    def seek(self, value: Value, how: Taking) -> Value:
        """Return the value, which is not blank, as a field is compared with it; days counted from today by their words. Raises
        Unfit."""
        days = period(value) if self.tells_day and isinstance(value, str) else None
        return days or self.coerce(value, how)

    @abstractmethod
    def read(self, text: str, how: Taking) -> Value:
        """Return what a text means. Raises Unfit."""

    def from_wire(self, wire: Wire) -> Value:
        """Return the value behind its JSON form, which is not empty. Raises ValueError, Unfit."""
        if not isinstance(wire, str):
            raise ValueError
        return wire

    def total(self, values: Sequence[Value]) -> Value:
        """Return the sum of its values; of none too."""
        raise TypeError(f"a {self.name} has no sum")

    def mean(self, values: Sequence[Value]) -> Value:
        """Return the average of its values; None where there are none."""
        raise TypeError(f"a {self.name} has no average")

    def at(self, value: Value, zone: ZoneInfo) -> str:
        """Return a value's literal in formulas, as it stands after @; of those types that are written so."""
        raise TypeError(f"a {self.name} has no such literal")

    def word(self, literal: object) -> str | None:
        """Return what one types for a literal of a formula; nothing where it is of another type."""
        return None

    def of_parts(self, parts: Mapping[str, Any], zone: ZoneInfo) -> Value:
        """Return a value from what a formula gave for its parts. Raises Unfit."""
        raise TypeError(f"a {self.name} has no parts")

    def holds(self, value: Value) -> bool:
        """Whether a value, which is not empty, is one that a field of it keeps."""
        return isinstance(value, self.keeps)

    def to_column(self, value: Value) -> Any:
        """As its column keeps it."""
        return value

    def from_column(self, raw: Any) -> Value:
        """As its column gave it."""
        return raw if raw != "" else None

    def to_columns(self, value: Value) -> dict[str, Any]:
        """As all its columns keep it, by what follows the first one's name."""
        return {"": self.to_column(value)}

    def from_columns(self, raw: Mapping[str, Any]) -> Value:
        """As its columns gave it."""
        return self.from_column(raw[""])

    def within(self, value: Value) -> dict[str, Any]:
        """Return what its further columns hold of all values that are more or less than this one."""
        return {}

    def known_by(self, value: Value) -> dict[str, Any]:
        """Return what the columns of a value hold that is the same as this one."""
        return self.to_columns(value)

    def told_by(self, value: Composite) -> dict[str, Value]:
        """Return the parts by which a value of several is the same as this one."""
        parts = value.parts()
        names = (column or self.compared_by or "" for column in self.known_by(value))
        return {name: parts[name] for name in names if name in parts}

    def bounds(self, value: Value, less: bool, zone: ZoneInfo) -> tuple[Bound, ...]:
        """How the columns of values are bound that are less than this one, or more. Any of these will do."""
        return (Bound("<" if less else ">", self.to_columns(value)[""], self.within(value)),)

    def identity(self, value: Value) -> Value:
        """Return a value by what makes it the one it is, where several may read the same."""
        return value


def one_line(text: str) -> str:
    """Without line breaks, and one blank where there were several."""
    return " ".join(text.split())
