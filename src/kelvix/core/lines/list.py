"""List lines: the options of a field, or the places that lie beside one of an app, as values to go through."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from kelvix.core.cells import Answer, Cell, Finding
from kelvix.core.context import Context
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, ListRow
from kelvix.core.finding import Question
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, FoundRecords, GoOn, Outcome, Problem, ReadFirst
from kelvix.core.schema import CarriedField, CarriedList, Database, is_outside
from kelvix.core.values import FieldId, Value, shorten, to_wire
from kelvix.core.workflow import Line

NAME, IDENTITY, ADDRESS = "name", "id", "link"
SHOWN = 3  # names that are said of what was listed


@dataclass(frozen=True)
class ListValues(Line):
    """List the options of `field`; without one, the places of the app that are shared beside the one that is chosen."""

    id: str
    database: int | None = None
    field: FieldId | None = None
    within: str = ""
    verb: Literal["list"] = "list"


@dataclass(frozen=True)
class Listed:
    """One of what was listed."""

    id: str
    name: str
    link: str | None = None


def options(database: Database, field_id: FieldId) -> tuple[Listed, ...] | None:
    """Return the options of a field; none where there is no such field, or it has no options."""
    field = database.readable_field(field_id)
    if field is None:
        return None
    if TYPES[field.type].has_choices:
        return tuple(Listed(c.id, c.name) for c in field.choices)
    return tuple(Listed(one, one) for one in TYPES[field.type].offered) or None


def places_of(answer: Answer) -> tuple[Listed, ...]:
    """Return the places with which an app answered."""
    return tuple(Listed(str(id), str(v.get(NAME) or ""), _text(v.get(ADDRESS))) for id, v in answer.records)


def _text(value: Value) -> str | None:
    return value if isinstance(value, str) else None


def asks(line: ListValues, database: Database) -> Question:
    return Question(database.id, "all", (), "all", lists="places")


def name_of(line: ListValues, database: Database | None) -> str:
    """Return how what is listed is called among the carried values."""
    field = database.readable_field(line.field) if database and line.field else None
    return f"Options of {field.name}" if field else f"Listed {_words(database)}"


def _words(database: Database | None) -> str:
    return database.outside.places_word if database and database.outside else "values"


def fields(line: ListValues, database: Database | None) -> tuple[CarriedField, ...]:
    name = name_of(line, database)
    return CarriedField("count", (name, "How many"), "number"), CarriedField("names", (name, "Names"), "labels")


def as_list(line: ListValues, database: Database | None) -> CarriedList:
    each = (
        CarriedField(NAME, ("Name",), "text"),
        CarriedField(IDENTITY, ("Identity",), "text"),
        CarriedField(ADDRESS, ("Link",), "link"),
    )
    return CarriedList("rows", (name_of(line, database), "Each"), each)


def below(line: ListValues, database: Database, listed: Sequence[Listed], carried: Carried) -> Carried:
    """Return what lines below can use of what was listed."""
    values: dict[str, Value] = {"count": Decimal(len(listed)), "names": tuple(one.name for one in listed) or None}
    rows = tuple(ListRow({NAME: one.name, IDENTITY: one.id, ADDRESS: one.link}) for one in listed)
    carried = carried.plus(line.id, fields(line, database), values)
    return carried.plus_list(line.id, as_list(line, database), rows)


class ListKind(Kind[ListValues]):
    line, verb = ListValues, "list"
    stays = True

    def works_on(self, line: ListValues) -> int | None:
        return line.database

    def is_local(self, line: ListValues) -> bool:
        return line.field is not None or not is_outside(line.database)

    def step(self, line: ListValues, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        database = context.databases.get(line.database or 0)
        if wrong := _wrong(line, database):
            return Cell(line.id, UNREADY, wrong), carried
        assert database
        if line.field is not None:
            listed = options(database, line.field) or ()
        else:
            answer = context.find(asks(line, database))
            if answer is None:
                return Cell(line.id, ReadFirst(), "loading"), below(line, database, (), carried)
            if answer.problem:
                return Cell(line.id, Problem(), shorten(answer.problem, 120)), below(line, database, (), carried)
            listed = places_of(answer)
        names = ", ".join(one.name for one in listed[:SHOWN]) + (" …" if len(listed) > SHOWN else "")
        note = f"{len(listed)} listed: {shorten(names, 80)}" if listed else "none"
        told = tuple((one.id, {NAME: one.name, ADDRESS: one.link}) for one in listed)
        answer = Answer(len(listed), None, {}, context.env.now, told)
        return Cell(line.id, GoOn("found" if listed else "found_none"), note, answer=answer), below(
            line, database, listed, carried
        )

    def makes(self, line: ListValues, carried: Carried, context: Context) -> Carried:
        database = context.databases.get(line.database or 0)
        if _wrong(line, database):
            return carried
        return carried.plus(line.id, fields(line, database), {}).plus_list(line.id, as_list(line, database), None)

    def check(
        self, line: ListValues, carried: Carried, context: Context, within: Callable[[], Carried | None]
    ) -> list[Finding]:
        wrong = _wrong(line, context.databases.get(line.database or 0))
        return [Finding(line.id, wrong, key="field")] if wrong else []

    def says(self, line: ListValues, names: Mapping[int, str]) -> str:
        return f"list what there is in {names.get(line.database or 0, 'a database')}"

    def outcome(self, line: ListValues, cell: Cell, code: str, context: Context) -> Outcome:
        database, answer = context.databases[line.database or 0], cell.answer
        told = answer.records if answer else ()
        kept = [[id, {key: to_wire(value) for key, value in values.items()}] for id, values in told]
        return FoundRecords(code, database.id, database.name, len(kept), None, cell.note, records=kept)


def _wrong(line: ListValues, database: Database | None) -> str:
    """Return what is to be put right, whatever the sample."""
    if database is None:
        return "choose a database" if line.database is None else "its database was deleted. Choose another"
    if line.field is None:
        return "" if database.outside else "choose a field whose options are listed"
    if database.readable_field(line.field) is None:
        return f"{database.name} no longer has the field whose options this lists. Choose another"
    return "" if options(database, line.field) is not None else "this field has no options. Choose another"


KIND = ListKind()
