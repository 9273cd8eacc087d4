"""Days of the calendar, and how people write them."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime
from email.utils import parsedate_to_datetime
from zoneinfo import ZoneInfo

from kelvix.core.fields.field_type import FieldType, Taking
from kelvix.core.patterns import pattern, short
from kelvix.core.values import Unfit, Value, Wire, as_text, shorten

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
ORDERS = {"DMY": "day first", "MDY": "month first", "YMD": "year first"}
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


class Doubtful(Unfit):
    """A date that can be read two ways: `readings` gives both, by the order in which they take day and month."""

    def __init__(self, sentence: str, readings: tuple[tuple[str, date], ...]):
        super().__init__(sentence)
        self.readings = readings


def _day(year: int, month: int, day: int, text: str) -> date:
    try:
        return date(year, month, day)
    except ValueError:
        raise Unfit(f"“{shorten(text)}” is not a valid date") from None


def _month(word: str) -> int | None:
    word = word.lower()
    return next((n for n, m in enumerate(MONTH_NAMES, 1) if word in (m, m[:3]) or (word == "sept" and n == 9)), None)


def parse_date(text: str, order: str | None = None) -> date:
    """Return the date in a text. `order` (DMY, MDY or YMD) decides only where day and month could be told two ways; without it
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
            f"“{text}” can be two different dates; set the date order under Workspace, or write the month as a word",
            (("DMY", _day(year, second, first, text)), ("MDY", _day(year, first, second, text))),
        )
    if DOUBTFUL_DATE.fullmatch(text):
        raise Unfit(f"“{text}” has a two-digit year; write it as 2026-02-01 or 1 Feb 2026")
    raise Unfit(f"“{shorten(text)}” is not a date; a date looks like 2026-11-23 or 23 Nov 2026")


def within(value: datetime) -> datetime:
    """Return a moment that every clock of the world can show: near the ends of the calendar a zone would lead out of it. Raises
    Unfit."""
    if not 2 <= value.year <= 9998:
        raise Unfit(f"the year {value.year} is out of range; use years 2 to 9998")
    return value


def read_moment(text: str, zone: ZoneInfo, order: str | None) -> datetime:
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


class Date(FieldType):
    code, rank, name, with_article = "date", 40, "date", "a date"
    accepts = "dates; the day, in the workspace's zone, of a date and time; text such as 2026-11-23, 23 Nov 2026 or 23/11/2026"
    refuses = "01/02/2026, unless the workspace sets the date order; years of two digits"
    example = "2026-11-25"
    operators = ("is", "before", "after", "within", "filled", "empty")
    compares_values = has_order = tells_day = True
    family, from_text, into_text = "time", 0.4, 0.35
    fits = {"datetime": 0.95}
    refuses_families = frozenset(("number", "yes_no"))
    of_class = date
    keeps = date
    column = "DATE"
    groups = True

    def holds(self, value: Value) -> bool:
        """Say whether it is a day; a moment is none."""
        return isinstance(value, date) and not isinstance(value, datetime)

    def seems(self, raw: object) -> bool:
        return isinstance(raw, str) and len(raw) == 10 and raw[:4].isdigit() and self.takes(raw)

    def coerce(self, value: Value, how: Taking) -> Value:
        if isinstance(value, bool):
            raise Unfit(f"“{as_text(value, how.zone)}” is not a date")
        if isinstance(value, datetime):
            return within(value).astimezone(how.zone).date()
        return value if isinstance(value, date) else super().coerce(value, how)

    def read(self, text: str, how: Taking) -> Value:
        text = text.strip()
        if BEGINS_ISO_TIME.search(text):
            return within(read_moment(text, how.zone, how.order)).astimezone(how.zone).date()
        return parse_date(text, how.order)

    def from_wire(self, wire: Wire) -> Value:
        return date.fromisoformat(str(super().from_wire(wire)))

    def at(self, value: Value, zone: ZoneInfo) -> str:
        assert isinstance(value, date)
        return value.isoformat()

    def word(self, literal: object) -> str | None:
        return literal.isoformat() if type(literal) is date else None


TYPE = Date()
