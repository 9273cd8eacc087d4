"""Patterns for text that came from outside: by RE2, whose time grows with the length of a text and never with its square.

Python's own `re` takes minutes for some patterns and texts (CWE-1333). Each is listed with the characters that, repeated, cost
it most; `bench/patterns.py` measures them all. RE2 knows neither look-around nor back-references: `standing` finds what stands
by itself, `short` is Python's own for whole texts that are short, and `cut` for the beginnings of longer ones.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Protocol

import re2

MAX_MEMORY = 8 << 20  # bytes that one pattern may take while it is used
MAX_CUT = 2_000  # characters of a text that patterns of Python's own look at
MAX_TRIES = 100  # places in a text at which something that stands by itself is looked for
LETTER = r"[\pL\pN_]"  # what Python's `re` takes for a character of a word; RE2's own \w knows ASCII only
NO_LETTER = r"[^\pL\pN_]"


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

    def search(self, text: str, pos: int = 0) -> Match | None: ...
    def match(self, text: str) -> Match | None: ...
    def fullmatch(self, text: str) -> Match | None: ...
    def findall(self, text: str) -> list[Any]: ...
    def finditer(self, text: str) -> Iterator[Match]: ...
    def split(self, text: str, maxsplit: int = 0) -> list[str]: ...
    def sub(self, replacement: str | Callable[[Match], str], text: str) -> str: ...


@dataclass(frozen=True)
class Listed:
    """A pattern, what costs it most when repeated, and what is measured: its search through a text."""

    source: str
    worst: str
    search: Callable[[str], object]


LISTED: list[Listed] = []


def pattern(source: str, *, worst: str) -> Pattern:
    """Compile a pattern and list it. Flags stand within it, as (?i). Raises re2.error where RE2 does not know it."""
    compiled = once(source)
    LISTED.append(Listed(source, worst, lambda text: sum(1 for _ in compiled.finditer(text))))
    return compiled


@lru_cache(maxsize=512)
def once(source: str) -> Pattern:
    """Compile a pattern that is made of a person's own words, and is not listed."""
    options = re2.Options()
    options.max_mem = MAX_MEMORY
    options.log_errors = False
    compiled: Pattern = re2.compile(source, options)
    return compiled


class Short:
    """A pattern of Python's own `re`, for whole texts that are short: what is longer is no match, and is not looked at."""

    def __init__(self, source: str, most: int, flags: re.RegexFlag = re.NOFLAG):
        self.most, self._compiled = most, re.compile(source, flags)

    def fullmatch(self, text: str) -> re.Match[str] | None:
        """Match the whole text."""
        return self._compiled.fullmatch(text) if len(text) <= self.most else None


def short(source: str, *, most: int, worst: str, flags: re.RegexFlag = re.NOFLAG) -> Short:
    """Compile a pattern for texts of at most so many characters, and list it."""
    compiled = Short(source, most, flags)
    LISTED.append(Listed(source, worst, compiled.fullmatch))
    return compiled


class Cut:
    """A pattern of Python's own `re`, with look-around, for texts of which only the beginning is looked at."""

    def __init__(self, source: str, flags: re.RegexFlag):
        self._compiled = re.compile(source, flags)

    def match(self, text: str, pos: int = 0) -> re.Match[str] | None:
        """Match at a place."""
        return self._compiled.match(text, pos, MAX_CUT)

    def search(self, text: str) -> re.Match[str] | None:
        """Find the first."""
        return self._compiled.search(text, 0, MAX_CUT)

    def finditer(self, text: str) -> Iterator[re.Match[str]]:
        """Find all."""
        return self._compiled.finditer(text, 0, MAX_CUT)

    def fullmatch(self, text: str) -> re.Match[str] | None:
        """Match the whole text, if it is no longer than what is looked at."""
        return self._compiled.fullmatch(text) if len(text) <= MAX_CUT else None


def cut(source: str, *, worst: str, flags: re.RegexFlag = re.NOFLAG) -> Cut:
    """Compile a pattern that looks at no more than the beginning of a text, and list it."""
    compiled = Cut(source, flags)
    LISTED.append(Listed(source, worst, lambda text: sum(1 for _ in compiled.finditer(text))))
    return compiled


@lru_cache(maxsize=512)
def cut_once(source: str, flags: re.RegexFlag = re.NOFLAG) -> Cut:
    """Compile one that is made of a person's own words, such as names of fields, and is not listed."""
    return Cut(source, flags)


class Standing:
    """A pattern for what stands by itself in a text: right after its beginning or a character that `after` allows, and right
    before its end or one that `before` allows. A match's first group is what was looked for."""

    def __init__(self, source: str, after: str, before: str):
        flags = found[0] if (found := re.match(r"\(\?[a-z]+\)", source)) else ""
        self._compiled = once(f"{flags}(?:^|{after})({source[len(flags) :]})(?:$|{before})")

    def finditer(self, text: str) -> Iterator[Match]:
        """Find all, up to a number: they may share the character between them, so each search is one of its own."""
        at = 0
        for _ in range(MAX_TRIES):
            found = self._compiled.search(text, at)
            if found is None:
                return
            yield found
            at = found.end(1)


def standing(source: str, *, after: str, before: str, worst: str) -> Standing:
    """Compile a pattern for what stands by itself, and list it."""
    compiled = Standing(source, after, before)
    LISTED.append(Listed(source, worst, lambda text: sum(1 for _ in compiled.finditer(text))))
    return compiled
