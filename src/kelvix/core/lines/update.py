"""Update lines: the record that a line above holds is changed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind
from kelvix.core.schema import Database
from kelvix.core.workflow import Filling, Line, Update


class UpdateKind(Kind[Update]):
    verb = "update"
    acts = True
    stays = True

    def step(self, line: Update, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return writing.step(line, carried, context.target)

    def makes(self, line: Update, carried: Carried, context: Context) -> Carried:
        return writing.makes(line, carried, context.databases)

    def check(self, line: Update, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return writing.check(line, carried, context.target)

    def check_document(self, line: Update) -> None:
        writing.check_document(line)

    def bare(self, line: Update) -> Update:
        return writing.bare(line)

    def named(self, line: Update, earlier: Line | None, databases: Mapping[int, Database]) -> Update:
        return writing.named(line, earlier, databases)

    def fillings(self, line: Update) -> Iterator[Filling]:
        yield from (f.filling for f in line.fillings)

    def says(self, line: Update, names: Mapping[int, str]) -> str:
        return "update it"


KIND = UpdateKind()
