"""Delete lines: the record that a line above holds is put into the trash."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from kelvix.core import writing
from kelvix.core.cells import Cell
from kelvix.core.context import Context
from kelvix.core.filling import Carried, Held
from kelvix.core.lines.records import ChangingKind
from kelvix.core.outcome import ChangeRecord, GoOn
from kelvix.core.schema import CarriedField, Database
from kelvix.core.values import shorten
from kelvix.core.workflow import Writes
from kelvix.core.writing import Target


@dataclass(frozen=True)
class Delete(Writes):
    """Put the record that the line `of` found, added or updated into the trash."""

    id: str
    of: str = ""
    within: str = ""
    verb: Literal["delete"] = "delete"


class DeleteKind(ChangingKind[Delete]):
    line, verb = Delete, "delete"
    needs = frozenset(("delete",))
    does = "delete"

    def of(self, line: Delete) -> str:
        return line.of

    def fields(self, database: Database | None) -> tuple[CarriedField, ...]:
        return ()

    def makes(self, line: Delete, carried: Carried, context: Context) -> Carried:
        return carried

    def below(
        self, line: Delete, held: Held, database: Database, carried: Carried, to: Target, is_new: bool = False
    ) -> Carried:
        return carried.plus(line.of, (), {}, Held(database.id))  # so that lines below do not change it any more

    def write(self, line: Delete, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        held = carried.records[line.of]
        gone = self.below(line, held, database, carried, to)
        if not held.there:
            return Cell(line.id, GoOn("found_none"), f"no {database.record_word} to delete"), gone
        title = shorten(writing.title_of(held.values, database, to.env), 60)
        return Cell(line.id, ChangeRecord({}), f"{'deletes' if database.outside else 'to the trash'}: {title}"), gone

    def says(self, line: Delete, names: Mapping[int, str]) -> str:
        return "delete it"


KIND = DeleteKind()
