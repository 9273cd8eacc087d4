"""The environment in which an expression is carried out: time, zone, language, limits, and notes on what came to nothing."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.feel.errors import TooMuch
from kelvix.core.feel.values import write

MOST_STEPS = 200_000  # rounds of loops and calls of functions, for one evaluation
MOST_ITEMS = 100_000  # in a list
MOST_TEXT = 1_000_000  # characters of a string
DEEPEST_CALLS = 60  # of functions made in the expression
MOST_NOTES = 5
Failure = (ValueError, ArithmeticError, TypeError, IndexError, KeyError, OverflowError)


@dataclass
class Env:
    """What an expression may know besides the values it is given. `now` is set once, so that a run's times agree; `locale` is
    a language as Babel names it, `order` how the workspace writes day and month (DMY, MDY), where it has said so."""

    now: datetime
    zone: ZoneInfo
    locale: str = "en_GB"
    order: str | None = None
    notes: list[str] = field(default_factory=list)
    steps: int = MOST_STEPS
    calls: int = 0

    def note(self, sentence: str) -> Any:
        """Say why something is null. Gives null."""
        if len(self.notes) < MOST_NOTES and sentence not in self.notes:
            self.notes.append(sentence)
        return None

    def failed(self, error: Exception, name: str) -> Any:
        if isinstance(error, TooMuch):
            raise error
        said = str(error) if isinstance(error, ValueError) else "it cannot be worked out with these values"
        return self.note(f"{name}: {said}")

    def spend(self, steps: int = 1) -> None:
        self.steps -= steps
        if self.steps < 0:
            raise TooMuch(f"this takes more than {MOST_STEPS:,} steps")


def shown(value: object) -> str:
    text = write(value, True)
    return text if len(text) <= 40 else f"{text[:39]}…"


def charged(env: Env, value: object) -> object:
    """A text or list that was made within a loop, counted by its size, so that loops cannot fill the memory."""
    if isinstance(value, (str, list)):
        env.spend(len(value) // (256 if isinstance(value, str) else 16))
    return value


def sized(value: list[object]) -> list[object]:
    if len(value) > MOST_ITEMS:
        raise TooMuch(f"a list has at most {MOST_ITEMS:,} items")
    return value


def sized_text(value: str) -> str:
    if len(value) > MOST_TEXT:
        raise TooMuch(f"a text has at most {MOST_TEXT:,} characters")
    return value
