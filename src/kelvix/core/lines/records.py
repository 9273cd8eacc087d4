"""What the kinds of line that change a record have in common."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Iterator, Mapping
from typing import ClassVar, TypeVar

from kelvix.core import writing
from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.filling import Carried, Held
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, Problem
from kelvix.core.schema import CarriedField, Database
from kelvix.core.values import Value
from kelvix.core.workflow import Adds, Filling, Fills, Writes
from kelvix.core.writing import Target

W = TypeVar("W", bound=Writes)
A = TypeVar("A", bound=Adds)


class RecordKind(Kind[W]):
    """`does`: what it does to a record, or to the database it stands in. `gone` is said where what was chosen is not there.
    `kept`: how the record that it wrote is called among the values that lines below can use."""

    acts = True
    stays = True
    does: ClassVar[str]
    gone: ClassVar[str]
    kept: ClassVar[str] = ""

    @abstractmethod
    def database_of(self, line: W, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
        """Return the database that it writes to."""

    @abstractmethod
    def missing(self, line: W) -> str:
        """Return what is to be chosen, where nothing was."""

    @abstractmethod
    def write(self, line: W, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        """Return what it would write for a sample, and what lines below can use."""

    def fields(self) -> tuple[CarriedField, ...]:
        """Return what lines below can use of the record that it wrote."""
        name = self.kept
        return CarriedField("title", (name, "Name"), "text"), CarriedField("link", (name, "Link"), "link")

    def step(self, line: W, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        database = self.database_of(line, carried, context.databases)
        if database is None:
            missing = self.missing(line)
            return Cell(line.id, UNREADY if missing else Problem(), missing or self.gone), carried
        return self.write(line, database, carried, context.target)

    def makes(self, line: W, carried: Carried, context: Context) -> Carried:
        database = self.database_of(line, carried, context.databases)
        return carried.plus(line.id, self.fields(), {}, Held(database.id) if database else None)

    def below(self, line: W, held: Held, database: Database, carried: Carried, to: Target, is_new: bool = False) -> Carried:
        """Return what lines below can use of the record that it wrote."""
        record = "provisional" if held.record is None else held.record
        values: dict[str, Value] = {"title": None, "link": None}
        if held.there:
            values = {"title": writing.title_of(held.values, database, to.env) or None, "link": to.link(database, record)}
        return carried.plus(line.id, self.fields(), values, held)

    def fillings(self, line: W) -> Iterator[Filling]:
        if isinstance(line, Fills):
            yield from (f.filling for f in line.fillings)

    def check_document(self, line: W) -> None:
        if isinstance(line, Fills):
            writing.check_document(line.fillings)


class AddingKind(RecordKind[A]):
    """Of lines that name their database themselves."""

    gone = "the database it wrote to is gone"

    def database_of(self, line: A, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
        return databases.get(line.database) if line.database is not None else None

    def missing(self, line: A) -> str:
        return f"choose the database to {self.does}" if line.database is None else ""

    def check(self, line: A, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        database = self.database_of(line, carried, context.databases)
        if database is None:
            lost = f"the database that this line writes to was deleted; choose another to {self.does}"
            return [Finding(line.id, self.missing(line) or lost)]
        return writing.check(line, database, carried, context.target)


class ChangingKind(RecordKind[W]):
    """Of lines that change the record that a line above holds."""

    gone = "the line whose record it changes is gone"

    @abstractmethod
    def of(self, line: W) -> str:
        """Return the line that holds the record."""

    def database_of(self, line: W, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
        held = carried.records.get(self.of(line))
        return databases.get(held.database) if held else None

    def missing(self, line: W) -> str:
        return "" if self.of(line) else f"choose which record to {self.does}"

    def check(self, line: W, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        database = self.database_of(line, carried, context.databases)
        if database is None:
            lost = "the line whose record this changes is gone or stands below; choose another"
            return [Finding(line.id, self.missing(line) or lost)]
        return self.check_record(line, database, carried, context.target)

    def check_record(self, line: W, database: Database, carried: Carried, to: Target) -> list[Finding]:
        """Return what must be put right of what it does to the record, whatever the sample."""
        return []
