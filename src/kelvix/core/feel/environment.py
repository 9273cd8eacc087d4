"""The environment in which an expression is carried out: time, zone, language, limits, and notes on what came to nothing."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.feel.errors import TooMuch
from kelvix.core.feel.values import write

MAX_STEPS = 200_000  # rounds of loops and calls of functions, and texts and lists by their size, for one evaluation
FIRST_STEPS = 20_000  # of them that are taken at once, where there is an elsewhere for those that need more
MAX_ITEMS = 100_000  # in a list
MAX_TEXT = 1_000_000  # characters of a string
DEEPEST_CALLS = 60  # of functions made in the expression
MAX_NOTES = 5
Elsewhere = Callable[[Any, Mapping[Any, object], "Env"], object]  # a tree, its values, the environment: the result
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
    steps: int = MAX_STEPS
    calls: int = 0
    elsewhere: Elsewhere | None = None  # works a formula out in a process that can be killed

    def __post_init__(self) -> None:
        if self.elsewhere is not None:
            self.steps = FIRST_STEPS

    def note(self, sentence: str) -> Any:
        """Say why something is null. Gives null."""
        if len(self.notes) < MAX_NOTES and sentence not in self.notes:
            self.notes.append(sentence)
        return None

    def failed(self, error: Exception, name: str) -> Any:
        if isinstance(error, TooMuch):
            raise error
        said = str(error) if isinstance(error, ValueError) else "it can’t be computed with these values"
        return self.note(f"{name}: {said}")

    def spend(self, steps: int = 1) -> None:
        self.steps -= steps
        if self.steps < 0:
            if self.elsewhere is not None:
                raise Heavy
            raise TooMuch(f"this takes more than {MAX_STEPS:,} steps")


class Heavy(TooMuch):
    """The first steps were not enough: it goes on elsewhere, from the start."""

    def __init__(self) -> None:
        super().__init__(f"this takes more than {FIRST_STEPS:,} steps")


def touched(env: Env, weight: int, *values: object) -> None:
    """Charge a call by the size of the texts and lists that it is given: `weight` steps for 256 characters, or for 16 items."""
    for value in values:
        if value.__class__ is str:
            env.spend(len(value) * weight // 256)  # type: ignore[arg-type]
        elif value.__class__ is list:
            env.spend(len(value) * weight // 16)  # type: ignore[arg-type]


def shown(value: object) -> str:
    text = write(value, True)
    return text if len(text) <= 40 else f"{text[:39]}…"


def charged(env: Env, value: object) -> object:
    """Return a text or list that was made within a loop, counted by its size, so that loops cannot fill the memory."""
    if isinstance(value, (str, list)):
        env.spend(len(value) // (256 if isinstance(value, str) else 16))
    return value


def sized(value: list[object]) -> list[object]:
    if len(value) > MAX_ITEMS:
        raise TooMuch(f"a list has at most {MAX_ITEMS:,} items")
    return value


def sized_text(value: str) -> str:
    if len(value) > MAX_TEXT:
        raise TooMuch(f"a text has at most {MAX_TEXT:,} characters")
    return value
