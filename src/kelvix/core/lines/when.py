"""When lines: what starts a workflow."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal

from kelvix.core import sources, watching
from kelvix.core.cells import Cell, Finding, count_of
from kelvix.core.context import Context, SourceWords
from kelvix.core.filling import Carried, Held
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import GoOn
from kelvix.core.workflow import Reference, When


class WhenKind(Kind[When]):
    line, verb = When, "when"
    stays = True
    fixed = starts = True

    def step(self, line: When, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return Cell(line.id, GoOn("in"), _told(line, carried, context.words)), carried

    def check(self, line: When, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        if line.own is not None:
            return sources.check(line.id, line.own, context.databases, context.env)
        if line.connection is None or line.container is None:
            words = context.words
            return [Finding(line.id, f"choose a connection and a {words.place}")]
        return watching.check(line.id, line.awaited, context.place)

    def makes(self, line: When, carried: Carried, context: Context) -> Carried:
        database = context.place or sources.database_of(line.own, context.databases)
        carried = carried.plus(line.id, context.source, {}, Held(database.id) if database else None)
        for one in context.lists:
            carried = carried.plus_list(line.id, one, None)
        return carried


def _told(when: When, carried: Carried, words: SourceWords) -> str:
    """Return what is told at once of an item."""
    if words.counted is None:
        return ""
    key, one, many = words.counted
    count = carried.values.get(Reference(when.id, key))
    return count_of(int(count), one, many) if isinstance(count, Decimal) and count else ""


KIND = WhenKind()
