"""The values of FEEL (OMG DMN 1.5, clause 10.3.2.3) as Python values, how they are read and how they are written.

| FEEL                       | Python                                                                     |
|----------------------------|----------------------------------------------------------------------------|
| null                       | None                                                                       |
| number                     | Decimal, 34 digits (IEEE 754 decimal128)                                   |
| string, boolean            | str, bool                                                                  |
| date, time                 | date, time (with a tzinfo where an offset or zone is given)                |
| date and time              | datetime (likewise)                                                        |
| days and time duration     | timedelta                                                                  |
| years and months duration  | Months                                                                     |
| list, context              | list, dict with str keys                                                   |
| range, function            | Range, Function                                                            |

Years go from 1 to 9999, as in Python; the standard allows more.
"""

from __future__ import annotations

import decimal
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, timezone, tzinfo
from decimal import Decimal
from functools import lru_cache, total_ordering
from zoneinfo import ZoneInfo

from kelvix.core.patterns import short

# decimal128: 34 digits, the exponents of IEEE 754. For the whole process, so that operators need no context of their own.
DECIMAL128 = decimal.Context(
    prec=34,
    Emax=6144,
    Emin=-6143,
    rounding=decimal.ROUND_HALF_EVEN,
    traps=[decimal.InvalidOperation, decimal.DivisionByZero, decimal.Overflow],
)
for _setting in ("prec", "Emax", "Emin", "rounding"):
    setattr(decimal.DefaultContext, _setting, getattr(DECIMAL128, _setting))
decimal.setcontext(decimal.DefaultContext.copy())


@total_ordering
@dataclass(frozen=True)
class Months:
    """A years and months duration, in months."""

    count: int

    def __lt__(self, other: Months) -> bool:
        return self.count < other.count


@dataclass(frozen=True)
class Range:
    """An end of None is unbounded."""

    low: object
    low_in: bool
    high: object
    high_in: bool


@dataclass(frozen=True)
class Function:
    """A function as a value: `call` takes the arguments in the order of `params`."""

    params: tuple[str, ...]
    call: Callable[..., object]


DATE = short(r"(-?\d{4,9})-(\d\d)-(\d\d)", most=16, worst="1", flags=re.ASCII)
TIME = short(
    r"(\d\d):(\d\d):(\d\d)(?:\.(\d+))?([Zz]|[+-]\d\d:\d\d(?::\d\d)?|@[A-Za-z][A-Za-z0-9_+\-/]*)?",
    most=100,
    worst="1",
    flags=re.ASCII,
)
DAYS = short(r"(-?)P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:\.(\d+))?S)?)?", most=100, worst="1", flags=re.ASCII)
MONTHS = short(r"(-?)P(?:(\d+)Y)?(?:(\d+)M)?", most=100, worst="1", flags=re.ASCII)


@lru_cache(maxsize=512)
def zone_named(name: str) -> tzinfo:
    """Return an IANA zone. Raises ValueError."""
    try:
        return ZoneInfo(name)
    except Exception as error:  # zoneinfo raises OSError, KeyError and ValueError, by the name's form
        raise ValueError(f"there is no time zone {name}") from error


def read_offset(text: str) -> tzinfo | None:
    """Return a zone or an offset. Raises ValueError."""
    if not text:
        return None
    if text in ("Z", "z"):
        return UTC
    if text[0] == "@":
        return zone_named(text[1:])
    sign = -1 if text[0] == "-" else 1
    hours, minutes, *seconds = (int(p) for p in text[1:].split(":"))
    if hours > 18 or minutes > 59:
        raise ValueError("an offset from UTC is at most 18 hours")
    return offset_of(sign * timedelta(hours=hours, minutes=minutes, seconds=sum(seconds)))


def offset_of(by: timedelta) -> tzinfo:
    return UTC if not by else timezone(by)


def read_date(text: str) -> date:
    """Return a date of ISO 8601. Raises ValueError."""
    found = DATE.fullmatch(text)
    if not found:
        raise ValueError("a date is written 2026-11-23")
    if len(found[1].lstrip("-")) > 4 and found[1].lstrip("-")[0] == "0":
        raise ValueError("a year has no leading zeros")
    return date(int(found[1]), int(found[2]), int(found[3]))


def read_time(text: str) -> time:
    """Return a time of day of ISO 8601. Raises ValueError."""
    found = TIME.fullmatch(text)
    if not found:
        raise ValueError("a time is written 17:02:00")
    micro = int((found[4] or "")[:6].ljust(6, "0"))
    return time(int(found[1]), int(found[2]), int(found[3]), micro, read_offset(found[5] or ""))


def read_datetime(text: str) -> datetime:
    """Return a moment of ISO 8601; a date alone is its midnight. Raises ValueError."""
    day, t, clock = text.partition("T")
    if not t:
        return datetime.combine(read_date(day), time())
    if clock == "24:00:00":
        return datetime.combine(read_date(day), time()) + timedelta(days=1)
    return datetime.combine(read_date(day), read_time(clock))


def read_duration(text: str) -> timedelta | Months:
    """Return a duration of ISO 8601. Raises ValueError and OverflowError."""
    if (found := MONTHS.fullmatch(text)) and (found[2] or found[3]):
        count = int(found[2] or 0) * 12 + int(found[3] or 0)
        return Months(-count if found[1] else count)
    found = DAYS.fullmatch(text)
    if not found or not any(found.groups()[1:5]) or text.endswith("T"):
        raise ValueError("a duration is written P3D, PT4H30M or P1Y2M")
    days, hours, minutes, seconds = (int(g or 0) for g in found.groups()[1:5])
    micro = int((found[6] or "")[:6].ljust(6, "0"))
    span = timedelta(days=days, hours=hours, minutes=minutes, seconds=seconds, microseconds=micro)
    return -span if found[1] else span


def read_at(text: str) -> date | time | datetime | timedelta | Months:
    """Return what @"text" means. Raises ValueError."""
    if text.lstrip("-").startswith("P"):
        return read_duration(text)
    if "T" in text.partition("@")[0]:
        return read_datetime(text)
    return read_date(text) if DATE.fullmatch(text) else read_time(text)


def _clock(value: time | datetime) -> str:
    text = f"{value.hour:02}:{value.minute:02}:{value.second:02}"
    if value.microsecond:
        text += f".{value.microsecond:06}".rstrip("0")
    return text + write_offset(value.tzinfo)


def write_offset(zone: tzinfo | None) -> str:
    if zone is None:
        return ""
    if isinstance(zone, ZoneInfo):
        return f"@{zone.key}"
    by = zone.utcoffset(None) or timedelta()
    if not by:
        return "Z"
    seconds = int(by.total_seconds())
    sign, seconds = ("-" if seconds < 0 else "+"), abs(seconds)
    text = f"{sign}{seconds // 3600:02}:{seconds // 60 % 60:02}"
    return text + (f":{seconds % 60:02}" if seconds % 60 else "")


def write_number(value: Decimal) -> str:
    """Plain digits, without zeros at the end."""
    if not value:
        return "0"
    text = f"{value:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def write_duration(value: timedelta | Months) -> str:
    if isinstance(value, Months):
        years, months = divmod(abs(value.count), 12)
        body = (f"{years}Y" if years else "") + (f"{months}M" if months or not years else "")
        return f"{'-' if value.count < 0 else ''}P{body}"
    sign, span = ("-", -value) if value < timedelta() else ("", value)
    hours, rest = divmod(span.seconds, 3600)
    minutes, seconds = divmod(rest, 60)
    fraction = f".{span.microseconds:06}".rstrip("0") if span.microseconds else ""
    clock = (f"{hours}H" if hours else "") + (f"{minutes}M" if minutes else "")
    clock += f"{seconds}{fraction}S" if seconds or fraction else ""
    if not span.days and not clock:
        return "PT0S"
    return f"{sign}P{f'{span.days}D' if span.days else ''}{f'T{clock}' if clock else ''}"


def quote(text: str) -> str:
    """Return a string as FEEL writes it."""
    for raw, written in (("\\", "\\\\"), ('"', '\\"'), ("\n", "\\n"), ("\r", "\\r"), ("\t", "\\t")):
        text = text.replace(raw, written)
    return f'"{text}"'


def write(value: object, within: bool = False) -> str:
    """Return a value as `string()` gives it; `within` a list or context strings are quoted."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return quote(value) if within else value
    if isinstance(value, Decimal):
        return write_number(value)
    if isinstance(value, datetime):
        return f"{value.year:04}-{value.month:02}-{value.day:02}T{_clock(value)}"
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, time):
        return _clock(value)
    if isinstance(value, (timedelta, Months)):
        return write_duration(value)
    if isinstance(value, list):
        return f"[{', '.join(write(v, True) for v in value)}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{k}: {write(v, True)}' for k, v in value.items())}}}"
    if isinstance(value, Range):
        low = "" if value.low is None else write(value.low, True)
        high = "" if value.high is None else write(value.high, True)
        return f"{'[' if value.low_in else '('}{low}..{high}{']' if value.high_in else ')'}"
    if isinstance(value, Function):
        return f"function({', '.join(value.params)})"
    raise TypeError(f"{type(value).__name__} is not a value of FEEL")


TYPE_NAMES: dict[type, str] = {
    type(None): "nothing",
    Decimal: "a number",
    str: "a text",
    bool: "true or false",
    date: "a date",
    time: "a time",
    datetime: "a date and time",
    timedelta: "a duration",
    Months: "a duration in months",
    list: "a list",
    dict: "a context",
    Range: "a range",
    Function: "a function",
}


def kind(value: object) -> str:
    """Return a value's type in words, with its article."""
    return TYPE_NAMES.get(type(value), "something else")


def from_python(value: object) -> object:
    """Return a value of JSON or of Python as FEEL counts: numbers become decimals, tuples lists. Raises TypeError."""
    if isinstance(value, bool) or value is None or (type(value) in TYPE_NAMES and not isinstance(value, (list, dict))):
        return value
    if isinstance(value, (int, float)):
        return Decimal(str(value))
    if isinstance(value, (list, tuple)):
        return [from_python(v) for v in value]
    if isinstance(value, dict):
        return {str(k): from_python(v) for k, v in value.items()}
    raise TypeError(f"{type(value).__name__} is not a value of FEEL")
