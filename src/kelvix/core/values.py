"""Typed values: what they are in Python and on the wire, what a field of each type accepts (`ACCEPTS`), how they read as text.

| type      | Python value     | on the wire (JSON)                     |
|-----------|------------------|----------------------------------------|
| text      | str, one line    | string                                 |
| long_text | str (Markdown)   | string                                 |
| number    | Decimal          | string, so that no digit is lost       |
| date      | date             | 2026-11-23                             |
| datetime  | datetime, UTC    | 2026-11-23T17:02:00Z                   |
| choice    | a choice's id    | string                                 |
| email     | str              | string                                 |
| link      | str              | string                                 |
| yes_no    | bool             | true / false                           |
| labels    | tuple of choices' ids | list of strings                   |
| file      | File             | list: name, size, kind, where it lies  |

An empty value is None. What does not fit raises `Unfit` with a sentence; nothing is guessed.
"""

from __future__ import annotations

import re
import sys
import unicodedata
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Context, Decimal, InvalidOperation
from email.utils import parsedate_to_datetime
from functools import cache
from typing import Literal, get_args
from urllib.parse import SplitResult, urlsplit
from zoneinfo import ZoneInfo

import re2

from kelvix.core.patterns import NO_LETTER, once, pattern, short

Type = Literal["text", "long_text", "number", "date", "datetime", "choice", "email", "link", "yes_no", "labels", "file"]
TYPES: tuple[Type, ...] = get_args(Type)
Value = str | Decimal | date | datetime | bool | tuple[str, ...] | None
Wire = str | bool | list[str] | None
Rows = list[dict[str, Wire]]
ItemValue = Wire | Rows  # what a source item carries: a value, or the rows of a list

TYPE_NAMES: dict[Type, str] = {
    "text": "text",
    "long_text": "long text",
    "number": "number",
    "date": "date",
    "datetime": "date and time",
    "choice": "choice",
    "email": "e-mail",
    "link": "link",
    "yes_no": "yes or no",
    "labels": "labels",
    "file": "file",
}
WITH_ARTICLE: dict[Type, str] = {
    **{type_: f"a {name}" for type_, name in TYPE_NAMES.items()},
    "email": "an e-mail address",
    "yes_no": "a yes or no",
    "labels": "labels",
}
# What a field of each type accepts, and what it refuses; `coerce` does it, docs/expressions.md shows it, tests hold both.
ACCEPTS: dict[Type, tuple[str, str]] = {
    "text": ("anything, as it reads in one line: 23 Nov 2026, 17:02; yes; a list with commas", "more than 10,000 characters"),
    "long_text": ("anything, as it reads, with its line breaks", "more than 4,000,000 characters"),
    "number": (
        "numbers; text such as 1850.50 or 1,850",
        "1.850,50 and other ways that could be misread; amounts with a currency",
    ),
    "date": (
        "dates; the day, in the workspace's zone, of a date and time; text such as 2026-11-23, 23 Nov 2026 or 23/11/2026",
        "01/02/2026, unless the workspace says whether the day or the month comes first; years of two digits",
    ),
    "datetime": (
        "dates and times with their zone; a date, as its midnight in the workspace's zone; text as for dates, with 17:02",
        "a time without a date",
    ),
    "choice": ("the name of a choice, without regard to case and accents; a new one where the field allows it", "other texts"),
    "email": ("one address, as ada@stbride.example", "an address with a name around it"),
    "link": ("an address that begins with http://, https:// or mailto:", "other texts"),
    "yes_no": ("true and false; yes, no, on, off, 1, 0", "other texts"),
    "labels": (
        "a list of texts, or one text with commas or semicolons between labels; each is matched as a choice is, and kept once",
        "texts that are not among its labels, unless the field allows new ones; more than 100 labels",
    ),
    "file": ("a file that an app carries, such as an attachment", "all else: a text does not become a file"),
}
MOST_LABELS = 100
LONGEST: dict[Type, int] = {"text": 10_000, "long_text": 4_000_000, "email": 320, "link": 2_000}

WIDE = Context(prec=60)  # more digits than a number field keeps: 28 before the point, 10 after

# WHATWG HTML, "valid e-mail address" (input type=email), with a required dot-free or dotted host as the text gives it.
EMAIL = short(
    r"[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
    r"(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*",
    most=LONGEST["email"],
    worst="a@a.",
)
NUMBER = short(r"[+-]?(?:\d{1,3}(?:,\d{3})+|\d+)(?:\.\d+)?", most=100, worst="1,111")
ISO_DATE = short(r"\d{4}-\d{2}-\d{2}", most=10, worst="1")
BEGINS_ISO = pattern(r"^\d{4}-\d{2}-\d{2}", worst="1")
BEGINS_ISO_TIME = pattern(r"^\d{4}-\d{2}-\d{2}[T ]", worst="1")
CLOCK = short(r"\d{1,2}:\d{2}", most=5, worst="1")
NAMED_DATE = short(
    r"(?:[a-z]{3,9},? )?(\d{1,2})(?:st|nd|rd|th)?(?: of)? ([a-z]{3,9})\.?,? (\d{4})", most=60, worst="may 1 ", flags=re.I | re.A
)
MONTH_FIRST = short(
    r"(?:[a-z]{3,9},? )?([a-z]{3,9})\.? (\d{1,2})(?:st|nd|rd|th)?,? (\d{4})", most=60, worst="may 1 ", flags=re.I | re.A
)
NUMBERED_DATE = short(r"(\d{1,2})([/.\-])(\d{1,2})\2(\d{4})|(\d{4})([/.])(\d{1,2})\6(\d{1,2})", most=10, worst="1/", flags=re.A)
DOUBTFUL_DATE = short(r"\d{1,2}[/.\-]\d{1,2}[/.\-]\d{2,4}", most=10, worst="1/")
WHOLE = short(r"[0-9]{1,18}", most=18, worst="1")
ORDERS = {"DMY": "day first", "MDY": "month first", "YMD": "year first"}
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
MONTH_NAMES = (
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
)
YES, NO = {"yes", "true", "1", "on"}, {"no", "false", "0", "off"}


def split_address(text: str) -> SplitResult | None:
    """The parts of a web address, or of what is meant for one; None for what the standard library takes for none."""
    try:
        parts = urlsplit(text)
        _ = parts.port  # only then looked at
    except ValueError:
        return None
    return parts


class Unfit(ValueError):
    """A value that a field does not accept. The message is a sentence for the person."""


class Doubtful(Unfit):
    """A date that can be read two ways: `readings` gives both, by the order in which they take day and month."""

    def __init__(self, sentence: str, readings: tuple[tuple[str, date], ...]):
        super().__init__(sentence)
        self.readings = readings


class NewChoice(str):
    """The name of a choice that a field does not have yet and may get: it is made when the value is kept."""


class File(str):
    """A file that lies in an app. It reads as its name; `source` says where it lies, as the app's code and what that
    understands; `size` is in bytes."""

    size: int
    kind: str
    source: str

    def __new__(cls, name: str, size: int, kind: str, source: str) -> File:
        made = super().__new__(cls, name)
        made.size, made.kind, made.source = size, kind, source
        return made

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
        """Raises ValueError."""
        if not isinstance(wire, list) or len(wire) != 4 or not all(isinstance(w, str) for w in wire):
            raise ValueError("not a file")
        return File(wire[0], int(wire[1]), wire[2], wire[3])


@dataclass(frozen=True)
class Choice:
    id: str
    name: str


def plain(value: Decimal) -> Decimal:
    """The same number without zeros at its end; no digit is lost, whatever the context."""
    short = value.normalize(WIDE)
    return short.quantize(Decimal(1), context=WIDE) if short == short.to_integral_value() else short


def whole(text: str) -> int | None:
    """The number behind plain digits, at most 18 of them; None for anything else, other scripts' digits included."""
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
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        local = value.astimezone(zone)
        return f"{as_text(local.date(), zone)}, {local:%H:%M}"
    if isinstance(value, date):
        return f"{value.day} {MONTHS[value.month - 1].title()} {value.year}"
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, tuple):
        return ", ".join(value)
    return value


def _day(year: int, month: int, day: int, text: str) -> date:
    try:
        return date(year, month, day)
    except ValueError:
        raise Unfit(f"“{shorten(text)}” is not a day of the calendar") from None


def _month(word: str) -> int | None:
    word = word.lower()
    return next((n for n, m in enumerate(MONTH_NAMES, 1) if word in (m, m[:3]) or (word == "sept" and n == 9)), None)


def parse_date(text: str, order: str | None = None) -> date:
    """The date in a text. `order` (DMY, MDY or YMD) decides only where day and month could be told two ways; without it
    that raises Doubtful. Raises Unfit for what is no date."""
    text = " ".join(text.split())
    if ISO_DATE.fullmatch(text):
        year, month_number, day_number = map(int, text.split("-"))
        return _day(year, month_number, day_number, text)
    if (named := NAMED_DATE.fullmatch(text)) and (month := _month(named[2])):
        return _day(int(named[3]), month, int(named[1]), text)
    if (named := MONTH_FIRST.fullmatch(text)) and (month := _month(named[1])):
        return _day(int(named[3]), month, int(named[2]), text)
    if numbered := NUMBERED_DATE.fullmatch(text):
        if numbered[5]:
            return _day(int(numbered[5]), int(numbered[7]), int(numbered[8]), text)
        first, second, year = int(numbered[1]), int(numbered[3]), int(numbered[4])
        if first > 12 or second > 12 or first == second:
            return _day(year, min(first, second), max(first, second), text)
        if order in ("DMY", "MDY"):
            return _day(year, *((second, first) if order == "DMY" else (first, second)), text)
        raise Doubtful(
            f"“{text}” can be read as two different dates; say whether the day or the month comes first",
            (("DMY", _day(year, second, first, text)), ("MDY", _day(year, first, second, text))),
        )
    if DOUBTFUL_DATE.fullmatch(text):
        raise Unfit(f"“{text}” does not say its year in full; write it as 2026-02-01 or 1 Feb 2026")
    raise Unfit(f"“{shorten(text)}” is not a date; a date looks like 2026-11-23 or 23 Nov 2026")


def _within(value: datetime) -> datetime:
    """A moment that every clock of the world can show: near the ends of the calendar a zone would lead out of it. Raises
    Unfit."""
    if not 2 <= value.year <= 9998:
        raise Unfit(f"the year {value.year} lies too near the end of the calendar; the years 2 to 9998 can be kept")
    return value


def _datetime_of(text: str, zone: ZoneInfo, order: str | None) -> datetime:
    if BEGINS_ISO.search(text):
        try:
            value = datetime.fromisoformat(text)
            return value if value.tzinfo else value.replace(tzinfo=zone)
        except ValueError:
            raise Unfit(f"“{shorten(text)}” is not a date and time") from None
    head, comma, clock = text.rpartition(", ")
    if comma and CLOCK.fullmatch(clock):  # before RFC 5322's form, which would take it for UTC
        day, (hour, minute) = parse_date(head, order), (int(p) for p in clock.split(":"))
        if hour < 24 and minute < 60:
            return datetime(day.year, day.month, day.day, hour, minute, tzinfo=zone)
        raise Unfit(f"“{clock}” is not a time of day")
    try:
        value = parsedate_to_datetime(text)
        return value if value.tzinfo else value.replace(tzinfo=UTC)
    except ValueError:
        pass
    day = parse_date(text, order)
    return datetime(day.year, day.month, day.day, tzinfo=zone)


def coerce(
    value: Value,
    to: Type,
    zone: ZoneInfo,
    choices: tuple[Choice, ...] = (),
    order: str | None = None,
    grows: bool = False,
) -> Value:
    """The value as a field of type `to` keeps it. `order` is the workspace's, of day and month; `grows` allows new choices.
    Raises Unfit."""
    if value is None or (isinstance(value, str) and not value.strip()):
        return None
    if to == "file":
        if isinstance(value, File):
            return value
        raise Unfit(f"“{shorten(as_text(value, zone))}” is not a file")
    if to == "labels":
        return _labels(value, zone, choices, grows)
    if isinstance(value, tuple) and len(value) == 1:
        return coerce(value[0], to, zone, choices, order, grows)
    if isinstance(value, bool) and to in ("number", "date", "datetime"):
        raise Unfit(f"“{as_text(value, zone)}” is not a {TYPE_NAMES[to]}")
    if to == "datetime":
        if isinstance(value, datetime):
            return _within(value).astimezone(UTC)
        if isinstance(value, date):
            return _within(datetime(value.year, value.month, value.day, tzinfo=zone)).astimezone(UTC)
        if isinstance(value, str):
            return _within(_datetime_of(value.strip(), zone, order)).astimezone(UTC)
    if to == "date":
        if isinstance(value, datetime):
            return _within(value).astimezone(zone).date()
        if isinstance(value, date):
            return value
        if isinstance(value, str):
            text = value.strip()
            return (
                parse_date(text, order)
                if not BEGINS_ISO_TIME.search(text)
                else _within(_datetime_of(text, zone, order)).astimezone(zone).date()
            )
    if to == "yes_no" and isinstance(value, bool):
        return value
    if to == "number" and isinstance(value, Decimal):
        return _number(value)
    return _from_text(as_text(value, zone), to, choices, grows)


def _number(value: Decimal) -> Decimal:
    """A number that a number field keeps. Looked at before it is written out: 1e400000000 would fill the memory."""
    digits, exponent = value.as_tuple()[1:]
    if value.is_zero():
        return Decimal(0)
    if isinstance(exponent, str) or value.adjusted() > 27 or len(digits) > 60 or int(plain(value).as_tuple().exponent) < -10:
        raise Unfit(f"“{shorten(str(value))}” has more digits than a number field keeps (28 before, 10 after the point)")
    return value


def _labels(value: Value, zone: ZoneInfo, choices: tuple[Choice, ...], grows: bool) -> Value:
    """Each label once, in the order given. A text that is a label as a whole is not cut at its commas."""
    texts: tuple[str, ...] = value if isinstance(value, tuple) else (as_text(value, zone),)
    if not isinstance(value, tuple) and not any(fold(c.name) == fold(" ".join(texts[0].split())) for c in choices):
        texts = tuple(texts[0].replace(";", ",").replace("\n", ",").split(","))
    found: dict[str, str] = {}
    for text in texts:
        if text.strip():
            one = _from_text(text, "choice", choices, grows)
            assert isinstance(one, str)
            found.setdefault(fold(one), one)
    if len(found) > MOST_LABELS:
        raise Unfit(f"these are {len(found)} labels, more than the {MOST_LABELS} that a record keeps")
    return tuple(found.values()) or None


def _from_text(text: str, to: Type, choices: tuple[Choice, ...], grows: bool) -> Value:
    shown = shorten(text)
    if len(text) > LONGEST.get(to, 10_000):
        raise Unfit(
            f"“{shown}” has {len(text):,} characters, more than the {LONGEST.get(to, 10_000):,} that "
            f"a {TYPE_NAMES[to]} field keeps"
        )
    if to == "long_text":
        return text.replace("\r\n", "\n").replace("\r", "\n")
    line = " ".join(text.split())
    match to:
        case "text":
            return line
        case "number":
            try:
                if not NUMBER.fullmatch(line):
                    raise InvalidOperation
                return _number(Decimal(line.replace(",", "")))
            except InvalidOperation:
                raise Unfit(f"“{shown}” is not a number; a number looks like 412.60 or 1,850") from None
        case "email":
            if not EMAIL.fullmatch(line):
                raise Unfit(f"“{shown}” is not an e-mail address")
            return line
        case "link":
            parts = split_address(line) if " " not in line and line.isprintable() else None
            if parts is None or not (
                (parts.scheme in ("http", "https") and parts.netloc) or (parts.scheme == "mailto" and parts.path)
            ):
                raise Unfit(f"“{shown}” is not a link; a link begins with http:// or https://")
            return line
        case "yes_no":
            if fold(line) in YES | NO:
                return fold(line) in YES
            raise Unfit(f"“{shown}” is neither yes nor no")
        case "choice":
            for choice in choices:
                if fold(choice.name) == fold(line) or choice.id == line:
                    return choice.id
            if grows and len(line) <= 100:
                return NewChoice(line)
            known = ", ".join(c.name for c in choices[:8]) or "none yet"
            raise Unfit(f"“{shown}” is not one of the choices ({known})")
    raise Unfit(f"“{shown}” is not a {TYPE_NAMES[to]}")


def to_wire(value: Value) -> Wire:
    """The JSON form of a value."""
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z").replace(".000Z", "Z")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, tuple):
        return [str(v) for v in value]
    if isinstance(value, File):
        return value.wire()
    return value


def from_wire(wire: Wire, of: Type) -> Value:
    """The value behind its JSON form. Raises Unfit where it is not one."""
    if wire is None or wire == "" or wire == []:
        return None
    try:
        if of == "labels":
            if isinstance(wire, list) and all(isinstance(w, str) for w in wire):
                return tuple(wire)
            raise ValueError
        if of == "file":
            return File.of(wire)
        if of == "yes_no":
            if isinstance(wire, bool):
                return wire
            raise ValueError
        if not isinstance(wire, str):
            raise ValueError
        if of == "number":
            return _number(Decimal(wire))
        if of == "date":
            return date.fromisoformat(wire)
        if of == "datetime":
            value = _within(datetime.fromisoformat(wire))
            return value if value.tzinfo else value.replace(tzinfo=UTC)
        return wire
    except Unfit:
        raise
    except (ValueError, InvalidOperation):
        raise Unfit(f"“{shorten(str(wire))}” is not a {TYPE_NAMES[of]}") from None
