"""Patterns for text that came from outside: by RE2, whose time grows with the length of a text and never with its square.

Python's own `re` takes minutes for some patterns and texts (CWE-1333). Each is listed with the characters that cost it most, when
repeated; `bench/patterns.py` measures all of them. RE2 knows neither look-around nor back-references: what needs
these is split into two steps.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Protocol

import re2

MOST_MEMORY = 8 << 20  # bytes that one pattern may take while it is used


class Match(Protocol):
    """A match, as Python's `re` has it."""

    def __getitem__(self, group: int | str, /) -> str: ...
    def group(self, *groups: int | str) -> str: ...
    def groups(self) -> tuple[str | None, ...]: ...
    def start(self, group: int = 0, /) -> int: ...
    def end(self, group: int = 0, /) -> int: ...
    def span(self, group: int = 0, /) -> tuple[int, int]: ...


class Pattern(Protocol):
    """A compiled pattern, with those methods of Python's `re` that are used here."""

    def search(self, text: str) -> Match | None: ...
    def match(self, text: str) -> Match | None: ...
    def fullmatch(self, text: str) -> Match | None: ...
    def findall(self, text: str) -> list[Any]: ...
    def finditer(self, text: str) -> Iterator[Match]: ...
    def split(self, text: str, maxsplit: int = 0) -> list[str]: ...
    def sub(self, replacement: str | Callable[[Match], str], text: str) -> str: ...


@dataclass(frozen=True)
class Listed:
    """A pattern and what, repeated, costs it most."""

    source: str
    worst: str
    compiled: Pattern


LISTED: list[Listed] = []


def pattern(source: str, *, worst: str) -> Pattern:
    """Compile a pattern and list it. Flags stand within it, as (?i). Raises re2.error where RE2 does not know it."""
    compiled = once(source)
    LISTED.append(Listed(source, worst, compiled))
    return compiled


def once(source: str) -> Pattern:
    """Compile a pattern that is made of a person's own words, and is not listed."""
    options = re2.Options()
    options.max_mem = MOST_MEMORY
    options.log_errors = False
    compiled: Pattern = re2.compile(source, options)
    return compiled
