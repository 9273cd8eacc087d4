"""Decide lines: which of their ways a sample goes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from kelvix.core import conditions
from kelvix.core.cells import Cell
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.filling import Carried
from kelvix.core.lines.held import Choice, Deciding
from kelvix.core.lines.otherwise import Otherwise
from kelvix.core.lines.way import Way
from kelvix.core.outcome import GoOn, NotTaken, Problem
from kelvix.core.schema import CarriedField
from kelvix.core.values import Unfit
from kelvix.core.workflow import Line


@dataclass(frozen=True)
class Decide(Line):
    """Goes one of several ways: its Way lines, from the top, and the Otherwise line at their end."""

    id: str
    within: str = ""
    verb: Literal["decide"] = "decide"


FIELDS = (CarriedField("way", ("Decision", "Branch"), "text"),)


def name_of(way: Line, number: int) -> str:
    """Return what a way is called; `number` counts the ways from 1."""
    if isinstance(way, Way):
        return way.name.strip() or f"branch {number}"
    return "otherwise"


class DecideKind(Deciding[Decide]):
    line, verb = Decide, "decide"
    stays = True

    def makes(self, line: Decide, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, FIELDS, {})

    def inside(self, line: Decide, carried: Carried, context: Context) -> Carried:
        return self.makes(line, carried, context)

    def choose(self, line: Decide, ways: Sequence[Line], carried: Carried, env: Env) -> Choice:
        """Return the first way whose conditions hold, else the Otherwise line. A way whose conditions cannot be decided leaves
        those below it undecided."""
        taken: str | None = None
        name, problem = "", ""
        cells: list[Cell] = []
        for number, way in enumerate(ways, 1):
            here = False
            rows: tuple[bool | None, ...] = ()
            if isinstance(way, Way):
                rows = conditions.row_results(way.conditions, carried, env)
                try:
                    here = conditions.goes_on(way, carried, env)
                except Unfit as unfit:
                    if taken is None and not problem:
                        problem = str(unfit)
                    cells.append(Cell(way.id, Problem(), str(unfit), rows=rows))
                    continue
            elif isinstance(way, Otherwise):
                here = True
            if here and taken is None and not problem:
                taken, name = way.id, name_of(way, number)
            cells.append(Cell(way.id, GoOn("taken") if way.id == taken else NotTaken(), rows=rows))
        head = Cell(line.id, Problem(), problem) if problem else Cell(line.id, GoOn(), name)
        return Choice(taken, name, (head, *cells))

    def below(self, line: Decide, way: str, carried: Carried) -> Carried:
        return carried.plus(line.id, FIELDS, {"way": way or None})

    def says(self, line: Decide, names: Mapping[int, str]) -> str:
        return "decide"


KIND = DecideKind()
