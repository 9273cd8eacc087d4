"""Going through a workflow's lines in the order in which they are carried out: into the way that is taken, and through each
round of what is repeated. A rehearsal and a run go the same way; what they do at a line is theirs."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any

from kelvix.core.filling import Carried, ListRow
from kelvix.core.lines import kind_of
from kelvix.core.lines.held import Deciding, Repeating
from kelvix.core.schema import CarriedList
from kelvix.core.workflow import Line, Workflow

Place = tuple[int, ...]  # the rounds that a line is carried out in, the outermost first
Ways = list[Line]
LEFT = "left"  # an end: of the lines on this level only


@dataclass(frozen=True)
class Repeated:
    """What is being gone through, round by round, at a place: its rows, and what the line within which they are carries."""

    kind: Repeating[Any]
    line: Line
    found: CarriedList
    rows: tuple[ListRow, ...]
    carried: Carried
    place: Place

    def enter(self, number: int, row: ListRow) -> Carried:
        """Return what the lines within can use in a round."""
        return self.kind.enter(self.line, self.found, number, row, self.carried)


class Walk(ABC):
    """`end`, which the methods give: nothing to go on, LEFT, or any other word, which ends the whole walk."""

    def __init__(self, workflow: Workflow):
        self.workflow = workflow
        self.blocks: dict[str, list[Line]] = {}
        self.repeating: list[Repeated] = []  # the outermost first
        for line in workflow.lines:
            self.blocks.setdefault(line.within, []).append(line)

    @abstractmethod
    def line(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Carry out a line that has no others within it."""

    @abstractmethod
    def decide(
        self, kind: Deciding[Any], line: Line, ways: Ways, carried: Carried, place: Place
    ) -> tuple[str | None, Carried, str]:
        """Return the way that is taken, if any; what lines below can use; an end."""

    @abstractmethod
    def rows(self, kind: Repeating[Any], line: Line, carried: Carried, place: Place) -> tuple[tuple[ListRow, ...], str]:
        """Return what is gone through."""

    @abstractmethod
    def round_done(
        self, kind: Repeating[Any], line: Line, number: int, of: int, inner: Carried, carried: Carried, place: Place
    ) -> tuple[tuple[str, ...], str]:
        """End a round, whose lines carry `inner` at its end: what it adds to what is collected; an end."""

    @abstractmethod
    def repeated(
        self, kind: Repeating[Any], line: Line, rounds: int, collected: tuple[str, ...], carried: Carried, place: Place
    ) -> Carried:
        """All rounds are over: what lines below can use."""

    def through(self, block: str, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Go through the lines that stand directly within a line."""
        for line in self.blocks.get(block, ()):
            match kind_of(line):
                case Deciding() as kind:
                    carried, end = self._decide(kind, line, carried, place)
                case Repeating() as kind:
                    carried, end = self._repeat(kind, line, carried, place)
                case _:
                    carried, end = self.line(line, carried, place)
            if end == LEFT:
                break
            if end:
                return carried, end
        return carried, ""

    def _decide(self, kind: Deciding[Any], line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        ways = self.blocks.get(line.id, [])
        taken, below, end = self.decide(kind, line, ways, carried, place)
        if end or taken is None:
            return below, end
        inner, end = self.through(taken, below, place)
        return below.after(inner), end

    def _repeat(self, kind: Repeating[Any], line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        found = kind.list_of(line, carried)
        rows, end = self.rows(kind, line, carried, place)
        if end or found is None:
            return carried, end
        collected: list[str] = []
        for number, row in enumerate(rows, 1):
            self.repeating.append(Repeated(kind, line, found, rows, carried, place))
            inner, end = self.round(line, self.repeating[-1].enter(number, row), (*place, number))
            self.repeating.pop()
            carried = carried.after(inner)
            if end:
                return carried, end
            more, end = self.round_done(kind, line, number, len(rows), inner, carried, place)
            if end:
                return carried, end
            collected += more
        return self.repeated(kind, line, len(rows), tuple(collected), carried, place), ""

    def round(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Carry out the lines within for one row."""
        return self.through(line.id, carried, place)
