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
from kelvix.core.schema import LINK, CarriedField, Database, Field, is_outside
from kelvix.core.values import Value
from kelvix.core.workflow import Adds, Filling, Fills, Writes
from kelvix.core.writing import Target

W = TypeVar("W", bound=Writes)
A = TypeVar("A", bound=Adds)


class RecordKind(Kind[W]):
    """`does`: what it does to a record, or to the database it stands in. `gone` is said where what was chosen is not there.
    `did`: how the record that it wrote is called among the values that lines below can use. `needs`: the kinds of write that a
    place of an app must take."""

    acts = True
    stays = True
    does: ClassVar[str]
    gone: ClassVar[str]
    did: ClassVar[str] = ""
    needs: ClassVar[frozenset[str]] = frozenset()

    @abstractmethod
    def database_of(self, line: W, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
        """Return the database that it writes to."""

    @abstractmethod
    def missing(self, line: W) -> str:
        """Return what is to be chosen, where nothing was."""

    @abstractmethod
    def write(self, line: W, database: Database, carried: Carried, to: Target) -> tuple[Cell, Carried]:
        """Return what it would write for a sample, and what lines below can use."""

    def fields(self, database: Database | None) -> tuple[CarriedField, ...]:
        """Return what lines below can use of the record that it wrote: how it is called, its link, its identity, and its other
        fields."""
        name = self.name_of(database)
        own = CarriedField("title", (name, "Name"), "text"), CarriedField("link", (name, "Link"), "link")
        if database is None:
            return own
        identity = CarriedField("identity", (name, "Identity" if database.outside else "Number"), "text")
        taken = {one.name for one in (*own, identity)}
        others = (f.carried(f"f_{f.id}", (name, f.name)) for f in _others(database))
        return (*own, identity, *(one for one in others if one.name not in taken))

    def is_named_whole(self, key: str) -> bool:
        """Let fields of what it wrote be: each is called like what it was filled with."""
        return key == "identity" or key.startswith("f_")

    def name_of(self, database: Database | None) -> str:
        """Return how the record that it wrote is called: Record added."""
        return f"{(database.record_word if database else 'record').capitalize()} {self.did}"

    def step(self, line: W, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        database = self.database_of(line, carried, context.databases)
        if database is None:
            missing = self.missing(line)
            return Cell(line.id, UNREADY if missing else Problem(), missing or self.gone), carried
        return self.write(line, database, carried, context.target)

    def makes(self, line: W, carried: Carried, context: Context) -> Carried:
        database = self.database_of(line, carried, context.databases)
        return carried.plus(line.id, self.fields(database), {}, Held(database.id) if database else None)

    def below(self, line: W, held: Held, database: Database, carried: Carried, to: Target, is_new: bool = False) -> Carried:
        """Return what lines below can use of the record that it wrote."""
        record = "provisional" if held.record is None else held.record
        values: dict[str, Value] = {"title": None, "link": None, "identity": None}
        values |= {f"f_{f.id}": None for f in _others(database)}
        if held.there:
            link = to.link(database, record, held.values)
            values |= {"title": writing.title_of(held.values, database, to.env) or None, "link": link}
            values |= {f"f_{f.id}": f.named(held.values.get(f.id)) for f in _others(database)}
            values["identity"] = None if held.record is None else str(held.record)
            if held.record is None:  # what the app will say of it is not known before it is written
                unknown = {"identity", *(f"f_{f.id}" for f in _others(database) if not f.can_write)}
                values = {key: value for key, value in values.items() if key not in unknown}
        return carried.plus(line.id, self.fields(database), values, held)

    def fillings(self, line: W) -> Iterator[Filling]:
        if isinstance(line, Fills):
            yield from (f.filling for f in line.fillings)

    def check_document(self, line: W) -> None:
        if isinstance(line, Fills):
            writing.check_document(line.fillings)


def _others(database: Database) -> Iterator[Field]:
    """Yield the fields by which a record is not called."""
    return (f for f in database.fields[1:] if f.id != LINK)


class AddingKind(RecordKind[A]):
    """Of lines that name their database themselves."""

    gone = "its database was deleted"

    def works_on(self, line: A) -> int | None:
        return line.database

    def is_local(self, line: A) -> bool:
        return not is_outside(line.database)

    def database_of(self, line: A, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
        return databases.get(line.database) if line.database is not None else None

    def missing(self, line: A) -> str:
        return f"choose a database to {self.does}" if line.database is None else ""

    def check(self, line: A, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        database = self.database_of(line, carried, context.databases)
        if database is None:
            lost = f"the database of this line was deleted. Choose another to {self.does}"
            return [Finding(line.id, self.missing(line) or lost)]
        if database.outside and not self.needs <= database.outside.writes:
            return [Finding(line.id, f"{database.outside.refuses(f'{self.does} {database.name}')}. Choose another")]
        return writing.check(line, database, carried, context.target)


class ChangingKind(RecordKind[W]):
    """Of lines that change the record that a line above holds."""

    gone = "the line of its record was deleted"

    @abstractmethod
    def of(self, line: W) -> str:
        """Return the line that holds the record."""

    def database_of(self, line: W, carried: Carried, databases: Mapping[int, Database]) -> Database | None:
        held = carried.records.get(self.of(line))
        return databases.get(held.database) if held else None

    def missing(self, line: W) -> str:
        return "" if self.of(line) else f"choose a record to {self.does}"

    def check(self, line: W, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        database = self.database_of(line, carried, context.databases)
        if database is None:
            lost = "the line of this record was deleted or moved below. Choose another"
            return [Finding(line.id, self.missing(line) or lost)]
        if database.outside and not self.needs <= database.outside.writes:
            of = database.outside
            return [Finding(line.id, of.refuses(f"{self.does} its {of.items_word}"))]
        return self.check_record(line, database, carried, context.target)

    def check_record(self, line: W, database: Database, carried: Carried, to: Target) -> list[Finding]:
        """Return what must be put right of what it does to the record, whatever the sample."""
        return []
