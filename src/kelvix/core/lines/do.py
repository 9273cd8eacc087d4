"""Do lines: what an app offers to be done to an item, besides keeping it: add a comment."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried, Held, fill_record
from kelvix.core.lines.records import ChangingKind
from kelvix.core.outcome import UNREADY, GoOn, Problem
from kelvix.core.schema import CarriedField, Database, Operation
from kelvix.core.workflow import FieldFilling, Fills, Line
from kelvix.core.writing import Target


@dataclass(frozen=True)
class Do(Fills):
    """Do an operation of an app to the item that the line `of` holds. `fillings` are of what the operation takes."""

    id: str
    of: str = ""
    operation: str = ""
    fillings: tuple[FieldFilling, ...] = ()
    within: str = ""
    verb: Literal["do"] = "do"


def operation_of(line: Do, database: Database) -> Operation | None:
    operations = database.outside.operations if database.outside else ()
    return next((o for o in operations if o.code == line.operation), None)


class DoKind(ChangingKind[Do]):
    line, verb = Do, "do"
    stays = False
    does = "do something to"

    def of(self, line: Do) -> str:
        return line.of

    def fields(self, database: Database | None) -> tuple[CarriedField, ...]:
        return ()

    def makes(self, line: Do, carried: Carried, context: Context) -> Carried:
        return carried

    def below(self, line: Do, held: Held, database: Database, carried: Carried, to: Target, is_new: bool = False) -> Carried:
        return carried

    def write(self, line: Do, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        held, operation = carried.records[line.of], operation_of(line, database)
        if operation is None:
            return Cell(line.id, UNREADY if not line.operation else Problem(), _missing(line, database)), carried
        if not held.there:
            return Cell(line.id, GoOn("found_none"), f"no {database.record_word} to do this to"), carried
        results = fill_record(line, _inputs(operation, database), carried, to.env)
        return writing.cell(line, operation.words, results), carried

    def check_record(self, line: Do, database: Database, carried: Carried, to: Target) -> list[Finding]:
        operation = operation_of(line, database)
        if operation is None:
            return [Finding(line.id, _missing(line, database), key="operation")]
        return writing.check(line, _inputs(operation, database), carried, to)

    def bare(self, line: Do) -> Do:
        return replace(line, fillings=writing.bare(line.fillings))

    def named(self, line: Do, earlier: Line | None, databases: Mapping[int, Database]) -> Do:
        return line

    def says(self, line: Do, names: Mapping[int, str]) -> str:
        return "do something to it in its app"


def _inputs(operation: Operation, database: Database) -> Database:
    """Return what an operation takes, as if it were a record that is filled."""
    return Database(database.id, operation.words, operation.inputs)


def _missing(line: Do, database: Database) -> str:
    if database.outside is None or not database.outside.operations:
        where = database.outside.app_name if database.outside else database.name
        return f"{where} offers nothing else to do to {database.a_record}"
    lost = f"{database.outside.app_name} no longer offers what this line does. Choose another"
    return lost if line.operation else "choose what to do"


KIND = DoKind()
