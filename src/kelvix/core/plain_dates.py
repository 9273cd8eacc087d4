"""Dates and times in plain words, as they stand in a line that somebody types: "Friday 3pm", "in two weeks", "5 Dec at noon".

Conventions (common practice, and said to the person before anything is kept): a weekday is the next one to come, never today;
"next Friday" is that of next week, weeks beginning on Monday; a day of a month without a year is the next one to come; a time
without a day is today's, or tomorrow's if it has passed; "morning" is 9:00, "afternoon" 14:00, "evening" 18:00, "tonight"
20:00; "half three" is half past three; "Friday week" and "a week on Friday" are the Friday after the next to come. What recurs
("every Friday") is no date. A time that daylight saving leaves out is taken an hour later, one that comes twice the first time.
What is a date less often than a word or a number (sat, 1/2, the 3rd) is one where it stands apart: after "on" or "by", before a
time, at the end.
"""

from __future__ import annotations

import calendar
import re
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from kelvix.core.patterns import cut
from kelvix.core.values import MONTHS

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
WORDED = ("a", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
WEEKS = {"week": 7, "fortnight": 14}  # in days
PARTS_OF_DAY = {"noon": time(12), "midday": time(12), "midnight": time(0), "morning": time(9), "afternoon": time(14),
                "evening": time(18), "night": time(20)}  # fmt: skip

ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth", "eleventh",
            "twelfth", "thirteenth", "fourteenth", "fifteenth", "sixteenth", "seventeenth", "eighteenth", "nineteenth",
            "twentieth", "twenty first", "twenty second", "twenty third", "twenty fourth", "twenty fifth", "twenty sixth",
            "twenty seventh", "twenty eighth", "twenty ninth", "thirtieth", "thirty first")  # fmt: skip

_ORDINAL = "|".join(o.replace(" ", "[- ]") for o in reversed(ORDINALS))
_HOUR = rf"(?:\d{{1,2}}|{'|'.join(WORDED[1:])})"
_WEEKDAY = r"(?:mon|tues?|wed(?:nes)?|thu(?:rs?)?|fri|sat(?:ur)?|sun)(?:day)?"
_MONTH = (
    r"(?:jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sept?(?:ember)?|oct(?:ober)?|"
    r"nov(?:ember)?|dec(?:ember)?)"
)
_COUNT = rf"(?:\d{{1,3}}|an|{'|'.join(WORDED)}|a couple of|a few)"
_UNIT = r"(?:minute|min|hour|hr|day|week|fortnight|month|year)s?"
DAY = "|".join(
    (
        r"(?P<iso>\d{4}-\d{2}-\d{2})",
        r"(?P<after>(?:the )?day after tomorrow)|(?P<before>(?:the )?day before yesterday)",
        r"(?P<word>today|tonight|tomorrow|tmrw|yesterday)(?: (?P<word_on>week|fortnight))?",
        rf"(?P<weeks>(?P<weeks_n>{_COUNT}) (?P<weeks_u>weeks?|fortnights?) (?:on |from |come )?"
        rf"(?P<weeks_d>{_WEEKDAY}|today|tomorrow))",
        rf"(?P<in>in (?P<in_n>{_COUNT}) (?P<in_u>{_UNIT}))",
        rf"(?P<ago>(?P<ago_n>{_COUNT}) (?P<ago_u>{_UNIT}) (?:ago|back))",
        rf"(?P<from>(?P<from_n>{_COUNT}) (?P<from_u>{_UNIT}) from (?:now|today))",
        r"(?P<end>(?:the )?end of (?:the |this )?(?P<end_u>week|month|year))",
        rf"(?P<this>(?P<which>this|next|last|coming) (?P<this_u>{_WEEKDAY}|week|weekend|month|year))",
        rf"(?P<om>(?:(?P<om_w>{_WEEKDAY}),? )?(?:the )?(?P<om_d>{_ORDINAL}) of (?P<om_m>{_MONTH})(?:,? (?P<om_y>\d{{4}}))?)",
        rf"(?P<mo>(?P<mo_m>{_MONTH}) the (?P<mo_d>{_ORDINAL})(?:,? (?P<mo_y>\d{{4}}))?)",
        rf"(?P<dm>(?:(?P<dm_w>{_WEEKDAY}),? )?(?:the )?(?P<dm_d>\d{{1,2}})(?:st|nd|rd|th)?(?: of)? (?P<dm_m>{_MONTH})\.?"
        r"(?:,? (?P<dm_y>\d{4}))?)",
        rf"(?P<md>(?:(?P<md_w>{_WEEKDAY}),? )?(?P<md_m>{_MONTH})\.? (?P<md_d>\d{{1,2}})(?:st|nd|rd|th)?"
        r"(?:,? (?P<md_y>\d{4}))?)",
        rf"(?P<weekday>{_WEEKDAY})(?: (?P<week_on>week|fortnight))?",
        r"(?P<nth>the (?P<nth_d>\d{1,2})(?:st|nd|rd|th))",
        rf"(?P<worded>the (?P<worded_d>{_ORDINAL}))",
        r"(?P<num>(?P<num_a>\d{1,2})[/.](?P<num_b>\d{1,2})(?:[/.](?P<num_y>\d{4}))?)",
    )
)
CLOCK = "|".join(
    (
        rf"(?P<half>(?P<half_w>half past|quarter past|quarter to|half) (?P<half_h>{_HOUR})(?: ?(?P<half_x>am|pm))?)",
        r"(?P<twelve>(?P<h12>\d{1,2})(?:[:.](?P<m12>\d{2}))? ?(?P<x12>am|pm|a\.m\.|p\.m\.))",
        r"(?P<hm>(?P<h24>[01]?\d|2[0-3])[:](?P<m24>[0-5]\d))(?: ?h)?",
        r"(?P<dotted>(?:at|@) ?(?P<dot_h>[01]?\d|2[0-3])\.(?P<dot_m>[0-5]\d))",
        r"(?P<four>(?:(?:at|@) ?(?P<four_h>[01]\d|2[0-3])(?P<four_m>[0-5]\d)"
        r"|(?P<hrs_h>[01]\d|2[0-3])(?P<hrs_m>[0-5]\d) ?(?:hrs|hours)))",
        r"(?P<oclock>(?P<oh>\d{1,2}) o['’]clock)",
        rf"(?:(?:in )?(?:the )?(?P<part>{'|'.join(PARTS_OF_DAY)}))",
        r"(?P<bare>(?:at|@) ?(?P<bare_h>\d{1,2}))",
    )
)
_BEFORE = "(?:on |by |until |till |due |for |from |before )"
_DAY = cut(rf"(?<![\w-]){_BEFORE}?(?:{DAY})(?![\w-])", worst="the end of ", flags=re.I)
_CLOCK = cut(rf"(?<![\w:.])(?:at |@ ?|by )?(?:{CLOCK})(?![\w:])", worst="at 1 ", flags=re.I)
_RECURS = cut(r"\b(?:every|each)\s+(?:(?:other|second|third|\d{1,3})\s+)?$", worst="every ", flags=re.I)
_ASKED_FOR = cut(r"(?:at|by) |@", worst="@", flags=re.I)
_PREPOSITION_ANY = cut(_BEFORE, worst="on ", flags=re.I)
_PREPOSITION = cut(r"(?:on|by|until|till|due) ", worst="on ", flags=re.I)
_WORD = cut(r"[\s\0]+\w", worst=" ")  # used pieces of a line are NUL
_BETWEEN = cut(r"\s*,?\s*", worst=" ")


@dataclass(frozen=True)
class Said:
    """Where in the text a date stands, and what it means; `timed` says whether a time was named, `clock` where that stands
    beside the day; `dayless` whether no day was."""

    start: int
    end: int
    at: datetime
    timed: bool
    clock: tuple[int, int] | None = None
    dayless: bool = False

    @property
    def day(self) -> date:
        return self.at.date()


def find(text: str, now: datetime, zone: ZoneInfo, order: str | None = None, since: int = 0) -> Said | None:
    """Return the first date or time in a text, with what belongs to it on either side, that begins no earlier than `since`.
    `now` has a zone; the answer's is `zone`."""
    here = now.astimezone(zone)
    for match in _starts(text):
        found = _at(text, match, here, zone, order) if match[1].start() >= since else None
        if found is not None and _RECURS.search(text[: found.start]):
            since = found.end  # what recurs is not one date, and neither is the time that belongs to it
        elif found is not None:
            return found
    return None


def _starts(text: str) -> list[tuple[str, re.Match[str]]]:
    days = [("day", m) for m in _DAY.finditer(text)]
    clocks = [("clock", m) for m in _CLOCK.finditer(text)]
    return sorted([*days, *clocks], key=lambda found: (found[1].start(), found[0] != "day"))


def _at(text: str, found: tuple[str, re.Match[str]], now: datetime, zone: ZoneInfo, order: str | None) -> Said | None:
    kind, match = found
    if kind == "day":
        day = _day(match, now, order)
        if day is None or (_is_doubtful(match) and not _stands_apart(text, match)):
            return None
        if isinstance(day, datetime):
            return Said(match.start(), match.end(), _real(day, zone), True)
        clock = _CLOCK.match(text, _skip(text, match.end()))
        if clock and (moment := _time(clock)) is not None:
            at = _real(datetime.combine(day, moment), zone)
            return Said(match.start(), clock.end(), at, True, (clock.start(), clock.end()))
        tonight = (match["word"] or "").lower() == "tonight"
        moment = PARTS_OF_DAY["night"] if tonight else time(0)
        return Said(match.start(), match.end(), _real(datetime.combine(day, moment), zone), tonight)
    moment = _time(match)
    if moment is None:
        return None
    after = _DAY.match(text, _skip(text, match.end()))
    if after and isinstance(day := _day(after, now, order), date) and not isinstance(day, datetime):
        return Said(match.start(), after.end(), _real(datetime.combine(day, moment), zone), True, (match.start(), match.end()))
    if (match["half_w"] or "").lower() == "half" and not match["half_x"] and not _ASKED_FOR.match(match[0]):
        return None  # half 12 pipes
    if match["part"] and match["part"].lower() not in ("noon", "midday", "midnight"):
        return None  # "morning" alone is a greeting more often than a time
    day = now.date() if moment > now.time() else now.date() + timedelta(days=1)
    return Said(match.start(), match.end(), _real(datetime.combine(day, moment), zone), True, dayless=True)


def doubts(text: str, now: datetime, zone: ZoneInfo, order: str | None = None) -> list[str]:
    """Return what reads as a date and is none, or could be two: a sentence for each. What `find` takes is not among it."""
    here, said = now.astimezone(zone), []
    for kind, match in _starts(text):
        words = " ".join(match[0].split())
        if kind == "clock":
            if match["twelve"] and _time(match) is None:
                said.append(f"“{words}” is not a valid time")
            continue
        if _day(match, here, order) is not None or _RECURS.search(text[: match.start()]):
            continue
        if _is_doubtful(match) and not _stands_apart(text, match):
            continue
        words = words[len(found[0]) :] if (found := _PREPOSITION_ANY.match(words)) else words
        if match["num"] and order is None and (pair := _either(match)):
            said.append(f"“{words}” could be {pair[0]} or {pair[1]}; write the month as a word")
        elif match["num"] or not (match["this"] or match["weekday"]):
            said.append(f"“{words}” is not a valid date")
    return said


def _either(m: re.Match[str]) -> tuple[str, str] | None:
    """Both readings of a day and a month in figures, where there are two."""
    first, second = int(m["num_a"]), int(m["num_b"])
    if not (1 <= first <= 12 and 1 <= second <= 12):
        return None
    return f"{first} {calendar.month_name[second]}", f"{second} {calendar.month_name[first]}"


def _is_doubtful(m: re.Match[str]) -> bool:
    """Whether it is written as other things are: the cat sat, sun cream, may 5 pipes, 3/4 inch, 24/7, the 3rd movement."""
    weekday = (m["weekday"] or "").lower() in ("sat", "sun", "wed") and not m["week_on"]
    month = (m["md_m"] or "").lower() in ("may", "mar", "march") and not m["md_y"]
    return weekday or month or bool(m["nth"] or m["worded"]) or bool(m["num"] and not m["num_y"])


def _stands_apart(text: str, m: re.Match[str]) -> bool:
    if _PREPOSITION.match(m[0]):
        return True
    if m["worded"]:  # the second movement, and never the third
        return False
    if m["num"] and ("." in m["num"] or m["num"] == "24/7"):  # 2.5 is a number
        return False
    named = m["weekday"] and m["weekday"][0].isupper() and bool(text[: m.start()].strip())
    return bool(named) or not _WORD.match(text, m.end()) or _CLOCK.match(text, _skip(text, m.end())) is not None


def _skip(text: str, at: int) -> int:
    between = _BETWEEN.match(text, at)
    return between.end() if between else at


def _real(naive: datetime, zone: ZoneInfo) -> datetime:
    """In the zone; a time that is left out there is taken an hour later, as the clock then shows."""
    return naive.replace(tzinfo=zone).astimezone(UTC).astimezone(zone)


def _time(m: re.Match[str]) -> time | None:
    if m["half"]:
        hour = _hour(_count(m["half_h"]), m["half_x"])
        if hour is None:
            return None
        minutes = {"half": 30, "half past": 30, "quarter past": 15, "quarter to": -15}[m["half_w"].lower()]
        return (datetime(2000, 1, 1, hour) + timedelta(minutes=minutes)).time()
    if m["twelve"]:
        hour, minute = _hour(int(m["h12"]), m["x12"]), int(m["m12"] or 0)
        return time(hour, minute) if hour is not None and minute < 60 else None
    if m["hm"]:
        return time(int(m["h24"]), int(m["m24"]))
    if m["dotted"]:
        hour = _hour(int(m["dot_h"]), None)
        return time(hour, int(m["dot_m"])) if hour is not None else None
    if m["four"]:
        return time(int(m["four_h"] or m["hrs_h"]), int(m["four_m"] or m["hrs_m"]))
    if m["part"]:
        return PARTS_OF_DAY[m["part"].lower()]
    hour = _hour(int(m["oh"] or m["bare_h"]), None)
    return time(hour) if hour is not None else None


def _hour(hour: int, half: str | None) -> int | None:
    """Without am or pm, an hour from 1 to 6 is in the afternoon."""
    if half:
        if not 1 <= hour <= 12:
            return None
        return hour % 12 + (12 if half.lower().startswith("p") else 0)
    if hour > 23:
        return None
    return hour + 12 if 1 <= hour <= 6 else hour


def _day(m: re.Match[str], now: datetime, order: str | None) -> date | datetime | None:
    today = now.date()
    try:
        if m["iso"]:
            return date.fromisoformat(m["iso"])
        if m["after"]:
            return today + timedelta(days=2)
        if m["before"]:
            return today - timedelta(days=2)
        if m["word"]:
            ahead = {"tomorrow": 1, "tmrw": 1, "yesterday": -1}.get(m["word"].lower(), 0)
            return today + timedelta(days=ahead + WEEKS.get((m["word_on"] or "").lower(), 0))
        if m["weeks"]:
            days = _count(m["weeks_n"]) * WEEKS[m["weeks_u"].lower().rstrip("s")]
            return _named_day(today, m["weeks_d"]) + timedelta(days=days)
        if m["om"]:
            return _of_month(today, _ordinal(m["om_d"]), m["om_m"], m["om_y"], m["om_w"])
        if m["mo"]:
            return _of_month(today, _ordinal(m["mo_d"]), m["mo_m"], m["mo_y"], None)
        if m["in"]:
            return _later(now, _count(m["in_n"]), m["in_u"])
        if m["from"]:
            return _later(now, _count(m["from_n"]), m["from_u"])
        if m["ago"]:
            return _later(now, -_count(m["ago_n"]), m["ago_u"])
        if m["end"]:
            return _end(today, m["end_u"].lower())
        if m["this"]:
            return _which(today, m["which"].lower(), m["this_u"].lower())
        if m["dm"]:
            return _of_month(today, int(m["dm_d"]), m["dm_m"], m["dm_y"], m["dm_w"])
        if m["md"]:
            return _of_month(today, int(m["md_d"]), m["md_m"], m["md_y"], m["md_w"])
        if m["weekday"]:
            return _named_day(today, m["weekday"]) + timedelta(days=WEEKS.get((m["week_on"] or "").lower(), 0))
        if m["nth"]:
            return _next_with(today, int(m["nth_d"]))
        if m["worded"]:
            return _next_with(today, _ordinal(m["worded_d"]))
        return _numbers(today, int(m["num_a"]), int(m["num_b"]), m["num_y"], order)
    except (ValueError, OverflowError):
        return None


def _named_day(today: date, name: str) -> date:
    """Today, tomorrow, or the next such weekday to come."""
    if name.lower() in ("today", "tomorrow"):
        return today + timedelta(days=int(name.lower() == "tomorrow"))
    return today + timedelta(days=(_number(name) - today.weekday() - 1) % 7 + 1)


def _ordinal(word: str) -> int:
    return ORDINALS.index(word.lower().replace("-", " ")) + 1


def _count(word: str) -> int:
    word = word.lower()
    if word.isdecimal():
        return int(word)
    return {"an": 1, "a couple of": 2, "a few": 3}.get(word) or max(1, WORDED.index(word))


def _later(now: datetime, count: int, unit: str) -> date | datetime:
    unit = unit.lower().rstrip("s")
    if unit in ("minute", "min"):
        return _clock_later(now, timedelta(minutes=count))
    if unit in ("hour", "hr"):
        return _clock_later(now, timedelta(hours=count))
    if unit in ("month", "year"):
        return _months_later(now.date(), count * (12 if unit == "year" else 1))
    return now.date() + timedelta(days=count * {"day": 1, "week": 7, "fortnight": 14}[unit])


def _clock_later(now: datetime, by: timedelta) -> datetime:
    """Minutes that pass, over a change of the clocks too; to the minute."""
    return ((now.astimezone(UTC) + by).astimezone(now.tzinfo)).replace(second=0, microsecond=0, tzinfo=None)


def _months_later(day: date, months: int) -> date:
    at = day.year * 12 + day.month - 1 + months
    year, month = divmod(at, 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


def _end(today: date, unit: str) -> date:
    """Return the last day of a week, month or year; a week's working days end on Friday."""
    if unit == "week":
        ahead = (4 - today.weekday()) % 7
        return today + timedelta(days=ahead)
    if unit == "month":
        return today.replace(day=calendar.monthrange(today.year, today.month)[1])
    return date(today.year, 12, 31)


def _which(today: date, which: str, unit: str) -> date:
    week = {"this": 0, "coming": 0, "next": 1, "last": -1}[which]
    monday = today - timedelta(days=today.weekday())
    if unit == "week":
        return monday + timedelta(weeks=week) if week else today
    if unit == "weekend":
        return monday + timedelta(weeks=week, days=5)
    if unit == "month":
        return _months_later(today.replace(day=1), week) if week else today
    if unit == "year":
        return date(today.year + week, 1, 1) if week else today
    if which == "coming":
        return today + timedelta(days=(_number(unit) - today.weekday() - 1) % 7 + 1)
    return monday + timedelta(weeks=week, days=_number(unit))


def _number(weekday: str) -> int:
    return next(n for n, name in enumerate(WEEKDAYS) if name.startswith(weekday.lower()[:3]))


def _of_month(today: date, day: int, month: str, year: str | None, weekday: str | None) -> date | None:
    number = MONTHS.index(month.lower()[:3]) + 1
    if year:
        return date(int(year), number, day)
    for ahead in range(5):  # the 29th of February comes within four years, but for the turn of most centuries
        try:
            found = date(today.year + ahead, number, day)
        except ValueError:
            continue
        if found >= today and (weekday is None or ahead or found.weekday() == _number(weekday)):
            return found
    return None


def _next_with(today: date, day: int) -> date | None:
    if not 1 <= day <= 31:
        return None
    at = today.replace(day=1)
    for _ in range(12):
        if day <= calendar.monthrange(at.year, at.month)[1] and at.replace(day=day) >= today:
            return at.replace(day=day)
        at = _months_later(at, 1)
    return None


def _numbers(today: date, first: int, second: int, year: str | None, order: str | None) -> date | None:
    """Day and month by the workspace's order; where that is unsaid, only what can be read one way."""
    day_first = order == "DMY" or (order is None and (first > 12 or first == second))
    month_first = order == "MDY" or (order is None and (second > 12 or first == second))
    if not day_first and not month_first:
        return None
    day, month = (first, second) if day_first else (second, first)
    if year:
        return date(int(year), month, day)
    found = date(today.year, month, day)
    return found if found >= today else date(today.year + 1, month, day)
