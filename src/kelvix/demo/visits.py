"""The demo's tuning calendar: visits to organs, those of this week and the weeks around it, and some that have no date yet."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from kelvix.core.values import Span
from kelvix.demo.days import NOW

KINDS = ("Tuning", "Survey", "Voicing", "Repair")
STATES = ("Asked", "Agreed", "Done")
ZONE = ZoneInfo("Europe/London")
# Days from this Monday, hour, hours, whom, where, what. A visit without an hour takes the whole days.
PLAN = (
    (-14, 9.0, 2.0, ("Wim",), "St Mildred", "Tuning"),
    (-13, 13.0, 3.0, ("Petra", "Ivo"), "Oxbow Priory", "Voicing"),
    (-11, 10.0, 1.5, ("Joss",), "Wick Chapel", "Survey"),
    (-7, 9.5, 2.5, ("Maren",), "Holy Rood", "Repair"),
    (-6, None, 3.0, ("Silas", "Wim"), "Thornmere School", "Repair"),
    (-5, 14.0, 2.0, ("Petra",), "St Petroc", "Tuning"),
    (-3, 9.0, 4.0, ("Ivo",), "All Saints, Ferry Reach", "Tuning"),
    (0, 9.0, 2.0, ("Ivo",), "St Bride, Nether Wend", "Tuning"),
    (0, 10.0, 1.5, ("Joss",), "Wick Chapel", "Survey"),
    (1, 8.5, 3.0, ("Maren", "Joss"), "Marl Hall", "Survey"),
    (1, 13.0, 1.5, ("Petra",), "Thornmere School", "Tuning"),
    (2, 10.0, 4.0, ("Petra", "Ivo"), "Oxbow Priory", "Voicing"),
    (2, None, 3.0, ("Wim",), "St Osyth", "Repair"),
    (3, 9.5, 1.5, ("Orla",), "All Saints, Ferry Reach", "Survey"),
    (3, 13.5, 2.0, ("Silas",), "Thornmere School", "Tuning"),
    (4, 9.0, 3.0, ("Maren",), "Holy Rood", "Repair"),
    (4, 14.0, 1.5, ("Wim",), "St Petroc", "Tuning"),
    (7, 9.0, 2.0, ("Ivo",), "St Hewen", "Tuning"),
    (8, 10.0, 3.0, ("Petra",), "St Mildred", "Voicing"),
    (9, None, 2.0, ("Silas", "Joss"), "Marl Hall", "Repair"),
    (10, 13.0, 2.0, ("Maren",), "All Saints, Ferry Reach", "Tuning"),
    (15, 9.0, 2.5, ("Wim",), "St Bride, Nether Wend", "Tuning"),
    (17, 9.0, 6.0, ("Petra", "Ivo"), "Oxbow Priory", "Voicing"),
)
OPEN = (
    ("St Osyth", "Tuning", "Twice a year; after the heating is mended"),
    ("Wick Chapel", "Tuning", "Asked by email on the 20th"),
    ("St Hewen", "Repair", "When the leather has come"),
    ("Marl Hall", "Tuning", "Before the concert"),
)


@dataclass(frozen=True)
class Visit:
    where: str
    kind: str
    who: tuple[str, ...]
    when: Span | None
    state: str
    text: str


def all_visits() -> Iterator[Visit]:
    """Yield what is planned, in order, then what has no date."""
    today = NOW.astimezone(ZONE).date()
    monday = today - timedelta(days=today.weekday())
    for days, hour, length, who, where, kind in PLAN:
        day = monday + timedelta(days=days)
        state = "Done" if day < today else "Asked" if days % 4 == 3 else "Agreed"
        yield Visit(where, kind, who, _when(day, hour, length), state, "")
    for where, kind, text in OPEN:
        yield Visit(where, kind, (), None, "Asked", text)


def _when(day: date, hour: float | None, length: float) -> Span:
    """Return some hours of a day, or as many days."""
    if hour is None:
        return Span(day, day + timedelta(days=int(length) - 1))
    start = datetime.combine(day, time(int(hour), int(hour % 1 * 60)), ZONE)
    return Span(start, start + timedelta(hours=length))
