"""How a kind of line is offered, told and edited, where the browser has no view of its own for it: a form of blanks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Blank:
    """What can be filled in on a line. `key` is its name in the document. `takes`: text and carried values mixed, a text, a
    whole number, one of `choices`, each its code and its words, or yes and no. `help` stands below it."""

    key: str
    words: str
    takes: Literal["filling", "text", "number", "choice", "yes_no"]
    choices: tuple[tuple[str, str], ...] = ()
    help: str = ""


@dataclass(frozen=True)
class Form:
    """`rank`: its place among the kinds that can be added, which go from 1 to 16; `offered`: what it is called there. `verb`
    and `object` begin its sentence, and what is typed into the blank `detail` ends it. `mark` stands before what it does in the
    grid. `undone` says what becomes of that when a run is undone."""

    rank: int
    offered: str
    verb: str
    object: str
    blanks: tuple[Blank, ...]
    detail: str = ""
    mark: str = ""
    undone: str = ""
