"""Only if lines: whether a sample goes on."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal

from kelvix.core import conditions
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import GoOn, PassBy, Problem
from kelvix.core.values import Unfit
from kelvix.core.workflow import Condition, Formula, Group, Mode, Narrows, Reference, Test


@dataclass(frozen=True)
class OnlyIf(Narrows):
    id: str
    mode: Mode = "all"
    conditions: tuple[Condition | Group | Formula, ...] = ()
    within: str = ""
    verb: Literal["only_if"] = "only_if"


class OnlyIfKind(Kind[OnlyIf]):
    line, verb = OnlyIf, "only_if"
    stays = True

    def step(self, line: OnlyIf, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        rows = conditions.row_results(line.conditions, carried, context.env)
        try:
            on = conditions.goes_on(line, carried, context.env)
        except Unfit as unfit:
            return Cell(line.id, Problem(), str(unfit), rows=rows), carried
        return Cell(line.id, GoOn() if on else PassBy(), rows=rows), carried

    def check(self, line: OnlyIf, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return conditions.check(line, "line", carried, context.env)

    def tests(self, line: OnlyIf) -> tuple[Test, ...]:
        return line.conditions

    def looks_at(self, line: OnlyIf) -> Iterable[Reference]:
        return conditions.references(line.conditions)


KIND = OnlyIfKind()
