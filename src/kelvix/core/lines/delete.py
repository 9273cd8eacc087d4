"""Delete lines: the record that a line above holds is put into the trash."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Delete


class DeleteKind(Kind[Delete]):
    verb = "delete"
    acts = True
    stays = True

    def step(self, line: Delete, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return writing.step(line, carried, context.target)

    def check(self, line: Delete, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return writing.check(line, carried, context.target)

    def says(self, line: Delete, names: Mapping[int, str]) -> str:
        return "delete it"


KIND = DeleteKind()
