"""Ways of a decision."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from kelvix.core import conditions
from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Reference, Test, Way


class WayKind(Kind[Way]):
    verb = "way"
    stays = True

    def check(self, line: Way, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return conditions.check(line, "way", carried, context.env)

    def tests(self, line: Way) -> tuple[Test, ...]:
        return line.conditions

    def looks_at(self, line: Way) -> Iterable[Reference]:
        return conditions.references(line.conditions)


KIND = WayKind()
