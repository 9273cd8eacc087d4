"""Add lines: a record is added."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core import writing
from kelvix.core.cells import Cell, count_of
from kelvix.core.filling import Carried, Held, fill_record
from kelvix.core.lines.records import AddingKind
from kelvix.core.schema import Database
from kelvix.core.workflow import Adds, FieldFilling, Line
from kelvix.core.writing import Target


@dataclass(frozen=True)
class Add(Adds):
    """Add a record to a database. A field that is not named is left empty."""

    id: str
    database: int | None = None
    fillings: tuple[FieldFilling, ...] = ()
    within: str = ""
    verb: Literal["add"] = "add"


class AddKind(AddingKind[Add]):
    line, verb = Add, "add"
    needs = frozenset(("create",))
    does = "add to"
    did = "added"

    def write(self, line: Add, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        results = fill_record(line, database, carried, to.env)
        fit = sum(r.state in ("fits", "look") for r in results)
        held = Held(database.id, True, None, writing.written(tuple(results)))
        below = self.below(line, held, database, carried, to)
        return writing.cell(line, count_of(fit, "field fits", "fields fit"), results), below

    def bare(self, line: Add) -> Add:
        return replace(line, fillings=writing.bare(line.fillings))

    def named(self, line: Add, earlier: Line | None, databases: Mapping[int, Database]) -> Add:
        return replace(line, fillings=writing.named(line.fillings, earlier, databases, line.database))

    def says(self, line: Add, names: Mapping[int, str]) -> str:
        return f"add a record to {names.get(line.database or 0, 'a database')}"


KIND = AddKind()
