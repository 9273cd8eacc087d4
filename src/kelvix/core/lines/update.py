"""Update lines: the record that a line above holds is changed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.filling import Carried, Held, fill_record, is_filled
from kelvix.core.lines.records import ChangingKind
from kelvix.core.outcome import GoOn
from kelvix.core.schema import Database
from kelvix.core.workflow import FieldFilling, Fills, Line
from kelvix.core.writing import Target


@dataclass(frozen=True)
class Update(Fills):
    """Change the record that the line `of` found, added or updated. Fields that are not named stay as they are."""

    id: str
    of: str = ""
    fillings: tuple[FieldFilling, ...] = ()
    within: str = ""
    verb: Literal["update"] = "update"


class UpdateKind(ChangingKind[Update]):
    line, verb = Update, "update"
    needs = frozenset(("update",))
    does = "update"
    did = "changed"

    def of(self, line: Update) -> str:
        return line.of

    def write(self, line: Update, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        held = carried.records[line.of]
        if not held.there:
            none = Cell(line.id, GoOn("found_none"), f"no {database.record_word} to update")
            return none, self.below(line, held, database, carried, to)
        results = fill_record(line, database, carried, to.env, held)
        after = Held(database.id, True, held.record, {**held.values, **writing.written(tuple(results))})
        cell = writing.cell(line, writing.changes(results, held, database, to.env), results)
        return cell, self.below(line, after, database, carried, to)

    def check_record(self, line: Update, database: Database, carried: Carried, to: Target) -> list[Finding]:
        found = writing.check(line, database, carried, to, there=True)
        if not any(is_filled(f.filling) for f in line.fillings):
            found.append(Finding(line.id, "fill at least one field. The others don’t change"))
        return found

    def bare(self, line: Update) -> Update:
        return replace(line, fillings=writing.bare(line.fillings))

    def named(self, line: Update, earlier: Line | None, databases: Mapping[int, Database]) -> Update:
        return replace(line, fillings=writing.named(line.fillings, earlier, databases))

    def says(self, line: Update, names: Mapping[int, str]) -> str:
        return "update it"


KIND = UpdateKind()
