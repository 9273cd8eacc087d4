"""Going through a workflow's lines in the order in which they are carried out: into the way that is taken, and through each
round of what is repeated. A rehearsal and a run go the same way; what they do at a line is theirs."""

from __future__ import annotations

from abc import ABC, abstractmethod

from kelvix.core.filling import Carried, ListRow
from kelvix.core.lines import repeat
from kelvix.core.nesting import within_of
from kelvix.core.workflow import Decide, Line, Otherwise, Repeat, Way, Workflow

Place = tuple[int, ...]  # the rounds that a line is carried out in, the outermost first
Ways = list[Way | Otherwise]
LEFT = "left"  # an end: of the lines on this level only


class Walk(ABC):
    """`end`, which the methods give: nothing to go on, LEFT, or any other word, which ends the whole walk."""

    def __init__(self, workflow: Workflow):
        self.workflow = workflow
        self.blocks: dict[str, list[Line]] = {}
        for line in workflow.lines:
            self.blocks.setdefault(within_of(line), []).append(line)

    @abstractmethod
    def line(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Carry out a line that has no others within it."""

    @abstractmethod
    def decide(self, line: Decide, ways: Ways, carried: Carried, place: Place) -> tuple[str | None, Carried, str]:
        """Return the way that is taken, if any; what lines below can use; an end."""

    @abstractmethod
    def rows(self, line: Repeat, carried: Carried, place: Place) -> tuple[tuple[ListRow, ...], str]:
        """Return what is gone through."""

    @abstractmethod
    def round_done(
        self, line: Repeat, number: int, of: int, inner: Carried, carried: Carried, place: Place
    ) -> tuple[tuple[str, ...], str]:
        """End a round, whose lines carry `inner` at its end: what it adds to what is collected; an end."""

    @abstractmethod
    def repeated(self, line: Repeat, rounds: int, collected: tuple[str, ...], carried: Carried, place: Place) -> Carried:
        """All rounds are over: what lines below can use."""

    def through(self, block: str, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Go through the lines that stand directly within a line."""
        for line in self.blocks.get(block, ()):
            match line:
                case Decide():
                    carried, end = self._decide(line, carried, place)
                case Repeat():
                    carried, end = self._repeat(line, carried, place)
                case _:
                    carried, end = self.line(line, carried, place)
            if end == LEFT:
                break
            if end:
                return carried, end
        return carried, ""

    def _decide(self, line: Decide, carried: Carried, place: Place) -> tuple[Carried, str]:
        ways = [w for w in self.blocks.get(line.id, ()) if isinstance(w, Way | Otherwise)]
        taken, below, end = self.decide(line, ways, carried, place)
        if end or taken is None:
            return below, end
        inner, end = self.through(taken, below, place)
        return below.after(inner), end

    def _repeat(self, line: Repeat, carried: Carried, place: Place) -> tuple[Carried, str]:
        found = repeat.list_of(line, carried)
        rows, end = self.rows(line, carried, place)
        if end or found is None:
            return carried, end
        collected: list[str] = []
        for number, row in enumerate(rows, 1):
            inner, end = self.round(line, repeat.enter(line, found, number, row, carried), (*place, number))
            carried = carried.after(inner)
            if end:
                return carried, end
            more, end = self.round_done(line, number, len(rows), inner, carried, place)
            if end:
                return carried, end
            collected += more
        return self.repeated(line, len(rows), tuple(collected), carried, place), ""

    def round(self, line: Repeat, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Carry out the lines within for one row."""
        return self.through(line.id, carried, place)
