"""Ways of a decision."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal

from kelvix.core import conditions
from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Condition, Formula, Group, Mode, Narrows, Reference, Test


@dataclass(frozen=True)
class Way(Narrows):
    """One way of a Decide line: taken where its conditions hold, and those of the ways above it do not. `name` is what it is
    called."""

    id: str
    mode: Mode = "all"
    conditions: tuple[Condition | Group | Formula, ...] = ()
    name: str = ""
    within: str = ""
    verb: Literal["way"] = "way"


class WayKind(Kind[Way]):
    line, verb = Way, "way"
    stays = True
    is_way = True
    holds = "lines"

    def check(self, line: Way, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return conditions.check(line, "branch", carried, context.env)

    def tests(self, line: Way) -> tuple[Test, ...]:
        return line.conditions

    def looks_at(self, line: Way) -> Iterable[Reference]:
        return conditions.references(line.conditions)


KIND = WayKind()
