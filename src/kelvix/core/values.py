"""Typed values: what they are in Python and on the wire, how they read as text. What a field of each type accepts, keeps and is
compared by stands in `core/fields`, a module for each.

| type      | Python value     | on the wire (JSON)                     |
|-----------|------------------|----------------------------------------|
| text      | str, one line    | string                                 |
| long_text | str (Markdown)   | string                                 |
| number    | Decimal          | string, so that no digit is lost       |
| date      | date             | 2026-11-23                             |
| datetime  | datetime, UTC    | 2026-11-23T17:02:00Z                   |
| time      | time, no zone    | 17:02, 17:02:30                        |
| duration  | timedelta        | PT1H30M                                |
| choice    | a choice's id    | string                                 |
| email     | str              | string                                 |
| link      | str              | string                                 |
| yes_no    | bool             | true / false                           |
| labels    | tuple of choices' ids | list of strings                   |
| file      | File             | list: name, size, kind, where it lies  |
| several_files | tuple of Files | list of such lists                     |
| reference | tuple of Referred | list of lists: id, title, database     |
| amount    | Amount           | 1850.50 EUR                            |
| person    | Person           | Ada Reed <ada@stbride.example>         |
| span      | Span             | 2026-11-23/2026-11-27, or with times   |

An empty value is None. What does not fit raises `Unfit` with a sentence; nothing is guessed.
"""

from __future__ import annotations

import sys
import unicodedata
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from functools import cache
from urllib.parse import unquote, urlsplit
from zoneinfo import ZoneInfo

import re2

from kelvix.core.patterns import NO_LETTER, once, short

FieldId = str  # a field’s identity in its collection; a database of ours gives numbers
RecordId = int | str  # a record’s number; an item’s identity in its app
Type = str  # the code of a field type, as `core/fields` knows it
Wire = str | bool | list[str] | list[list[str]] | None
Rows = list[dict[str, Wire]]
ItemValue = Wire | Rows  # what a source item carries: a value, or the rows of a list

LINKED = "link"  # what stands before the colon where a file is given by its link
ACCOUNT = "\x1f"  # the unit separator: between what an app understands and the account
WHOLE = short(r"[0-9]{1,18}", most=18, worst="1")
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


class Unfit(ValueError):
    """A value that a field does not accept. The message is a sentence for the person."""


class Composite(ABC):
    """A value of several parts, which formulas reach by their names."""

    @abstractmethod
    def words(self, zone: ZoneInfo) -> str:
        """How it reads within text."""

    @abstractmethod
    def wire(self) -> str: ...

    @abstractmethod
    def parts(self) -> Mapping[str, Value]: ...


@dataclass(frozen=True)
class Amount(Composite):
    """Money: a number of a currency, which is a code of ISO 4217. `digits`: decimals that the currency is written with."""

    number: Decimal
    currency: str
    digits: int = 2

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Amount) and (self.number, self.currency) == (other.number, other.currency)

    def __hash__(self) -> int:
        return hash((self.number, self.currency))

    def words(self, zone: ZoneInfo) -> str:
        return self.wire()

    def wire(self) -> str:
        written = f"{self.number:f}"
        given = len(written.partition(".")[2])
        return f"{written if given >= self.digits else f'{self.number:.{self.digits}f}'} {self.currency}"

    def parts(self) -> Mapping[str, Value]:
        return {"number": self.number, "currency": self.currency}


@dataclass(frozen=True)
class Person(Composite):
    """Somebody, by name, by address, or by both: one of them is filled."""

    name: str
    address: str

    def words(self, zone: ZoneInfo) -> str:
        return self.name or self.address

    def wire(self) -> str:
        return f"{self.name} <{self.address}>" if self.name and self.address else self.name or self.address

    def parts(self) -> Mapping[str, Value]:
        return {"name": self.name or None, "address": self.address or None}


@dataclass(frozen=True)
class Span(Composite):
    """From a start to an end: two moments, or two days of which the last belongs to it."""

    start: datetime | date
    end: datetime | date

    @property
    def has_clock(self) -> bool:
        return isinstance(self.start, datetime)

    def words(self, zone: ZoneInfo) -> str:
        if not isinstance(self.start, datetime) or not isinstance(self.end, datetime):
            return (
                f"{as_text(self.start, zone)} – {as_text(self.end, zone)}"
                if self.end > self.start
                else as_text(self.start, zone)
            )
        begins, ends = self.start.astimezone(zone), self.end.astimezone(zone)
        return f"{as_text(begins, zone)} – {f'{ends:%H:%M}' if begins.date() == ends.date() else as_text(ends, zone)}"

    def wire(self) -> str:
        """Return an interval of ISO 8601."""
        return f"{to_wire(self.start)}/{to_wire(self.end)}"

    def parts(self) -> Mapping[str, Value]:
        return {"start": self.start, "end": self.end}


Value = str | Decimal | date | datetime | time | timedelta | bool | Composite | tuple[str, ...] | None


class NewChoice(str):
    """The name of a choice that a field does not have yet and may get: it is made when the value is kept."""


class File(str):
    """A file that lies in an app. It reads as its name; `source` is the app's code, the app's own locator and the account;
    `size` is in bytes."""

    size: int
    kind: str
    source: str

    def __new__(cls, name: str, size: int, kind: str, source: str) -> File:
        made = super().__new__(cls, name)
        made.size, made.kind, made.source = size, kind, source
        return made

    @property
    def place(self) -> tuple[str, str, str | None]:
        """The app, what the app understands, and the account; nothing where it was kept before accounts were."""
        app, _, rest = self.source.partition(":")
        locator, found, account = rest.rpartition(ACCOUNT)
        return (app, locator, account) if found else (app, rest, None)

    @staticmethod
    def linked(address: str) -> File:
        """Return the file that a link leads to. It is called by the last part of its path until it was fetched."""
        parts = urlsplit(address)
        name = unquote(parts.path.rstrip("/").rpartition("/")[2]) or parts.hostname or "file"
        return File(shorten(" ".join(name.split()), 200), 0, "", f"{LINKED}:{address}")

    @property
    def is_linked(self) -> bool:
        """Whether it is given by its link, and was not fetched yet."""
        return self.source.startswith(f"{LINKED}:")

    def within(self, account: str) -> File:
        """Return the same file, in an account of its app."""
        app, locator, _ = self.place
        return File(str(self), self.size, self.kind, f"{app}:{locator}{ACCOUNT}{account}")

    def __eq__(self, other: object) -> bool:
        return isinstance(other, File) and self.wire() == other.wire()

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return hash(self.source)

    def wire(self) -> list[str]:
        return [str(self), str(self.size), self.kind, self.source]

    @staticmethod
    def of(wire: object) -> File:
        """Read a file from its JSON form. Raises ValueError."""
        if not isinstance(wire, list) or len(wire) != 4 or not all(isinstance(w, str) for w in wire):
            raise ValueError("not a file")
        return File(wire[0], int(wire[1]), wire[2], wire[3])


class Referred(str):
    """A record that another one refers to. It reads as its title, as it was known last."""

    database: int
    record: int

    def __new__(cls, title: str, database: int, record: int) -> Referred:
        made = super().__new__(cls, title)
        made.database, made.record = database, record
        return made

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Referred) and (self.database, self.record) == (other.database, other.record)

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return hash((self.database, self.record))

    def wire(self) -> list[str]:
        return [str(self.record), str(self), str(self.database)]

    @staticmethod
    def of(wire: object) -> Referred:
        """Read what is referred to from its JSON form. Raises ValueError."""
        if not isinstance(wire, list) or len(wire) != 3 or not all(isinstance(w, str) for w in wire):
            raise ValueError("not a record")
        return Referred(wire[1], int(wire[2]), int(wire[0]))


@dataclass(frozen=True)
class Choice:
    id: str
    name: str


def whole(text: str) -> int | None:
    """Return the number behind plain digits, at most 18 of them; None for anything else, other scripts' digits included."""
    return int(text) if WHOLE.fullmatch(text) else None


def shorten(text: str, most: int = 40) -> str:
    """One line of at most `most` characters, for use within a sentence."""
    line = " ".join(text.split())
    return line if len(line) <= most else line[: most - 1].rstrip() + "…"


@cache
def _marks() -> dict[int, None]:
    """All combining marks of Unicode, for `str.translate` to drop."""
    return dict.fromkeys(c for c in range(sys.maxunicode + 1) if unicodedata.combining(chr(c)))


def fold(text: str) -> str:
    """Text without regard to case and accents (Unicode NFKD, combining marks dropped, case folded)."""
    if text.isascii():
        return text.lower()
    return unicodedata.normalize("NFKD", text).translate(_marks()).casefold()


def mentions(text: str, word: str) -> bool:
    """Whether a word occurs, at the head of a word where its script has words: “rent” is not in “current”."""
    word = fold(word).strip()
    if not word:
        return False
    head = f"(?:^|{NO_LETTER})" if word[0].lower() != word[0].upper() else ""
    return once(head + re2.escape(word)).search(fold(text)) is not None


def as_text(value: Value, zone: ZoneInfo) -> str:
    """How a value reads within text; nothing for an empty one. Dates as 23 Nov 2026, times in the workspace's zone."""
    if isinstance(value, str):  # most are
        return value
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        local = value.astimezone(zone)
        return f"{as_text(local.date(), zone)}, {local:%H:%M}"
    if isinstance(value, date):
        return f"{value.day} {MONTHS[value.month - 1].title()} {value.year}"
    if isinstance(value, time):
        return f"{value:%H:%M:%S}" if value.second else f"{value:%H:%M}"
    if isinstance(value, timedelta):
        return span_words(value)
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, tuple):
        return ", ".join(value)
    return value.words(zone)


def span_words(value: timedelta) -> str:
    """Return a duration as people say it: 3 days, 4 hours."""
    seconds = abs(value) // timedelta(seconds=1)
    parts = (
        (seconds // 86400, "day"),
        (seconds // 3600 % 24, "hour"),
        (seconds // 60 % 60, "minute"),
        (seconds % 60, "second"),
    )
    said = ", ".join(f"{n} {unit}{'' if n == 1 else 's'}" for n, unit in parts if n)
    return ("minus " if value < timedelta() else "") + (said or "0 minutes")


def iso_duration(value: timedelta) -> str:
    """Days, hours, minutes and seconds as in ISO 8601; the canonical form of XML Schema's dayTimeDuration."""
    milliseconds = abs(value) // timedelta(milliseconds=1)
    seconds, rest = divmod(milliseconds, 1000)
    days, hours, minutes, seconds = seconds // 86400, seconds // 3600 % 24, seconds // 60 % 60, seconds % 60
    exact = f"{seconds}.{rest:03}".rstrip("0") if rest else str(seconds)
    day = f"{days}D" if days else ""
    clock = "".join(f"{n}{unit}" for n, unit in ((hours, "H"), (minutes, "M")) if n) + (f"{exact}S" if seconds or rest else "")
    return ("-" if value < timedelta() else "") + "P" + day + (f"T{clock}" if clock else "" if day else "T0S")


def to_wire(value: Value) -> Wire:
    """Return the JSON form of a value."""
    if value is None or type(value) is str:  # most are; a file is a text of its own kind
        return value
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z").replace(".000Z", "Z")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, time):
        return f"{value:%H:%M:%S}" if value.second else f"{value:%H:%M}"
    if isinstance(value, timedelta):
        return iso_duration(value)
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, tuple):
        lists = [v.wire() for v in value if isinstance(v, File | Referred)]
        return lists or [str(v) for v in value]
    if isinstance(value, File | Composite):
        return value.wire()
    return value
