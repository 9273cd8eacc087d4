"""Add or update lines: the record that is there is updated, else one is added."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines.kind import Kind, check_comparisons
from kelvix.core.schema import Database
from kelvix.core.values import FieldId
from kelvix.core.workflow import AddOrUpdate, Filling, Line


class AddOrUpdateKind(Kind[AddOrUpdate]):
    verb = "add_or_update"
    acts = True
    stays = True

    def step(self, line: AddOrUpdate, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return writing.step(line, carried, context.target)

    def makes(self, line: AddOrUpdate, carried: Carried, context: Context) -> Carried:
        return writing.makes(line, carried, context.databases)

    def check(
        self, line: AddOrUpdate, carried: Carried, context: Context, within: Callable[[], Carried | None]
    ) -> list[Finding]:
        return writing.check(line, carried, context.target)

    def check_document(self, line: AddOrUpdate) -> None:
        writing.check_document(line)
        check_comparisons(len(line.by))

    def compares(self, line: AddOrUpdate) -> tuple[int | None, tuple[FieldId, ...]]:
        return line.database, line.by

    def bare(self, line: AddOrUpdate) -> AddOrUpdate:
        return writing.bare(line)

    def named(self, line: AddOrUpdate, earlier: Line | None, databases: Mapping[int, Database]) -> AddOrUpdate:
        return writing.named(line, earlier, databases)

    def fillings(self, line: AddOrUpdate) -> Iterator[Filling]:
        yield from (f.filling for f in line.fillings)

    def says(self, line: AddOrUpdate, names: Mapping[int, str]) -> str:
        return f"add or update a record in {names.get(line.database or 0, 'a database')}"


KIND = AddOrUpdateKind()
