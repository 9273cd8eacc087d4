"""The demo's workshop tasks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from kelvix.demo.days import moved

PEOPLE = ("Orla", "Ivo", "Maren", "Silas", "Petra", "Wim", "Joss")
WORK = (
    ("Re-leather {} bellows", "Split-skin, two layers. Keep the old gussets as patterns."),
    ("Wind the {} blower motor", ""),
    ("Voice the {} Trumpet", "Take the edge off; leave the bass."),
    ("Plane the {} sliders", ""),
    ("Draw the {} swell box", "Scale 1:10, for the faculty."),
    ("Clean the {} pipes", "Two at a time. Number the caps."),
    ("Glue the {} soundboard", "Hide glue; room above 18 degrees."),
    ("Order felt for {}", ""),
    ("Regulate the {} action", ""),
    ("Photograph the {} case", "Before and after."),
)
STAGES = ("To do", "On the bench", "Waiting", "Done")
PLACES = ("Nether Wend", "St Hewen", "Ferry Reach", "Thornmere", "Oxbow", "Lowmarket", "Wick", "Marl")


@dataclass(frozen=True)
class Task:
    name: str
    due: date
    who: str
    hours: str
    done: bool
    stage: str
    text: str
    at: datetime


def all_tasks() -> Iterator[Task]:
    """Two hundred and forty tasks over twelve weeks, always the same."""
    for n in range(240):
        work, text = WORK[n * 7 % len(WORK)]
        at = moved(datetime(2026, 9, 4, 7, 30, tzinfo=UTC) + timedelta(hours=n * 8 + n % 5))
        due = at.date() + timedelta(days=4 + n * 5 % 17)
        done = due < moved(datetime(2026, 11, 20, tzinfo=UTC)).date()
        yield Task(
            work.format(PLACES[n * 3 % len(PLACES)]),
            due,
            PEOPLE[n * 5 % len(PEOPLE)],
            f"{1 + n * 11 % 38 / 2:.1f}",
            done,
            "Done" if done else STAGES[(0, 0, 1, 0, 2)[n % 5]],
            text,
            at,
        )
