"""What can be wrong with an expression, said to the person who wrote it."""

from __future__ import annotations

from collections.abc import Iterable

from rapidfuzz import fuzz, process


class FeelError(ValueError):
    """An expression that cannot be read or carried out. `at` and `to` are character positions in its text (0, 0 where no
    text is at hand); `nearest` is the known name that was probably meant."""

    def __init__(self, sentence: str, at: int = 0, to: int = 0, nearest: str = ""):
        super().__init__(sentence)
        self.at, self.to, self.nearest = at, to, nearest


class TooMuch(FeelError):
    """A limit on steps, sizes or depth was met."""


def nearest_name(word: str, known: Iterable[str]) -> str:
    """Return the known name that is most like `word`, or nothing where none is near. Case does not count."""
    found = process.extractOne(word, list(known), scorer=fuzz.ratio, processor=str.lower, score_cutoff=70)
    return found[0] if found else ""
