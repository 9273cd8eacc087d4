"""Add lines: a record is added."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind
from kelvix.core.schema import Database
from kelvix.core.workflow import Add, Filling, Line


class AddKind(Kind[Add]):
    verb = "add"
    acts = True
    stays = True

    def step(self, line: Add, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return writing.step(line, carried, context.target)

    def makes(self, line: Add, carried: Carried, context: Context) -> Carried:
        return writing.makes(line, carried, context.databases)

    def check(self, line: Add, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return writing.check(line, carried, context.target)

    def check_document(self, line: Add) -> None:
        writing.check_document(line)

    def bare(self, line: Add) -> Add:
        return writing.bare(line)

    def named(self, line: Add, earlier: Line | None, databases: Mapping[int, Database]) -> Add:
        return writing.named(line, earlier, databases)

    def fillings(self, line: Add) -> Iterator[Filling]:
        yield from (f.filling for f in line.fillings)

    def says(self, line: Add, names: Mapping[int, str]) -> str:
        return f"add a record to {names.get(line.database or 0, 'a database')}"


KIND = AddKind()
