"""Find lines: what a line asks of a database for a sample, and what its answer carries on.

The question is worked out here, without reading anything; whoever has the database answers it (`Context.find`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Literal

from rapidfuzz import fuzz

from kelvix.core.cells import Answer, Cell, Finding, PartResult
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.figures import Figure, as_list, check_figures, figure, figure_fields
from kelvix.core.filling import Carried, Held, ListRow, Remedy, compute, is_filled, references
from kelvix.core.finding import MAX_COUNTED, MAX_TAKEN, Question
from kelvix.core.lines.kind import Kind, check_comparisons
from kelvix.core.operators import OPERATORS
from kelvix.core.outcome import UNREADY, FoundRecords, GoOn, Outcome, PassBy, Plan, Problem, ReadFirst
from kelvix.core.query import Comparison
from kelvix.core.schema import LINK, CarriedField, CarriedList, Database, Field, is_outside
from kelvix.core.values import FieldId, NewChoice, Unfit, Value, as_text, fold, shorten, to_wire
from kelvix.core.workflow import Filling, Line, Reference, Sought


@dataclass(frozen=True)
class Find(Line):
    """Find a record of a database. `several` says which is taken where there are several, that all are, or that the line stops;
    `none` whether a sample goes on if none match. Where all are taken: the field `order` that they go by, else the order
    in which they were made; the `figures` made of them; and the fields that the text of them lists."""

    id: str
    database: int | None = None
    mode: Literal["all", "any"] = "all"
    sought: tuple[Sought, ...] = ()
    several: Literal["newest", "oldest", "stop", "all"] = "newest"
    none: Literal["go_on", "stop"] = "go_on"
    order: FieldId | None = None
    descending: bool = False
    figures: tuple[Figure, ...] = ()
    listed: tuple[FieldId, ...] = ()
    within: str = ""
    verb: Literal["find"] = "find"


Link = Callable[[object, Mapping[FieldId, Value]], str | None]  # a record's, by its id and its values


def question(line: Find, database: Database, carried: Carried, env: Env) -> tuple[Question | None, tuple[PartResult, ...]]:
    """Return what a line asks for a sample, and what each of its comparisons comes to. No question where one of them is to be
    put right, or where all records would be taken since there is nothing to look for."""
    compared: list[Comparison] = []
    parts: list[PartResult] = []
    for place, sought in enumerate(line.sought):
        part, one = _compare(str(place), sought, database, carried, env)
        parts.append(part)
        if one is not None:
            compared.append(one)
    whole = len(compared) == len(line.sought) or (line.mode == "any" and compared)
    wrong = any(p.state == "put_right" for p in parts)
    if not whole or wrong:
        return None, tuple(parts)
    if line.several == "all":
        order = line.order if line.order is not None and database.readable_field(line.order) else None
        return Question(database.id, line.mode, tuple(compared), "all", order, line.descending), tuple(parts)
    return Question(database.id, line.mode, tuple(compared), "oldest" if line.several == "oldest" else "newest"), tuple(parts)


def _compare(key: str, sought: Sought, database: Database, carried: Carried, env: Env) -> tuple[PartResult, Comparison | None]:
    field = database.readable_field(sought.field)
    if field is None:
        return PartResult(key, "put_right", None, gone(sought, database)), None
    if sought.operator not in TYPES[field.type].operators:
        return PartResult(key, "put_right", None, misfit(sought, field)), None
    if not OPERATORS[sought.operator].needs_value:
        return PartResult(key, "fits"), Comparison(field.id, sought.operator)
    try:
        value = field.seek(compute(sought.filling, carried, env), env.zone, env.order)
    except Unfit as unfit:
        return PartResult(key, "put_right", None, str(unfit)), None
    if value is None:
        return PartResult(key, "empty", None, "is empty in this item, so nothing can match"), None
    if isinstance(value, NewChoice):  # no record has it yet: whatever asks for others is so of each
        other = Comparison(field.id, sought.operator, "") if OPERATORS[sought.operator].negated else None
        return PartResult(key, "fits", str(value), f"no {database.record_word} has this choice yet"), other
    return PartResult(key, "fits", field.named(value)), Comparison(field.id, sought.operator, value)


def compared(line: Find) -> tuple[FieldId, ...]:
    """Return the fields whose values decide which record is meant; not those that are only asked whether they are filled."""
    return tuple(s.field for s in line.sought if (m := OPERATORS[s.operator]).needs_value and not m.negated)


def gone(sought: Sought, database: Database) -> str:
    return f"{database.name} no longer has the field {f'“{sought.named}”' if sought.named else 'that this compares'}"


def misfit(sought: Sought, field: Field) -> str:
    return f"“{OPERATORS[sought.operator].words}” does not go with {field.name}"


def name_of(database: Database) -> str:
    """How what was found is called among the carried values."""
    return f"Found in {database.name}"


def _own_fields(database: Database, above: tuple[str, ...]) -> tuple[CarriedField, ...]:
    """Return the fields of a record that was found, by the names of their choices."""
    return tuple(f.carried(f"f_{f.id}", (*above, f.name)) for f in database.readable if f.id != LINK)


def _own_values(database: Database, record: object, values: Mapping[FieldId, Value], link: Link) -> dict[str, Value]:
    named: dict[str, Value] = {f"f_{f.id}": f.named(values.get(f.id)) for f in database.readable if f.id != LINK}
    return {**named, "link": link(record, values)}


def _counted(name: str) -> tuple[CarriedField, ...]:
    return CarriedField("found", (name, "Is there one"), "yes_no"), CarriedField("count", (name, "How many"), "number")


def found_fields(line: Find, database: Database) -> tuple[CarriedField, ...]:
    """Return what a Find line carries on: whether and how many were found; the fields of one that is taken, or the figures
    and the list of all."""
    name = name_of(database)
    if line.several == "all":
        text = CarriedField("text", (name, "As a text"), "long_text")
        return (*_counted(name), text, *figure_fields(line.figures, database, name))
    return (*_counted(name), CarriedField("link", (name, _link_name(database)), "link"), *_own_fields(database, (name,)))


def found_list(database: Database) -> CarriedList:
    """Return the records that were found, where all are taken."""
    name = name_of(database)
    fields = (*_own_fields(database, ()), CarriedField("link", (_link_name(database),), "link"))
    return CarriedList("records", (name, database.records_word.capitalize()), fields, database.id)


def _link_name(database: Database) -> str:
    return f"Link to the {database.record_word}"


def known_below(line: Find, database: Database, carried: Carried) -> Carried:
    """Return what lines below can use, whatever the sample."""
    if line.several == "all":
        return carried.plus(line.id, found_fields(line, database), {}).plus_list(line.id, found_list(database), None)
    return carried.plus(line.id, found_fields(line, database), {}, Held(database.id))


def below(line: Find, database: Database, answer: Answer | None, carried: Carried, link: Link, env: Env) -> Carried:
    """Return what an answer carries on. Where nothing was found, the fields are empty."""
    there = answer is not None and answer.record is not None
    values: dict[str, Value] = {"found": there, "count": Decimal(answer.count if answer else 0)}
    fields = found_fields(line, database)
    if line.several == "all":
        records = answer.records if answer else ()
        values["text"] = as_list(line.listed, database, records, env) or None
        values |= {f.key: figure(f, database, records) for f in line.figures}
        rows = tuple(ListRow(_own_values(database, id, kept, link), Held(database.id, True, id, kept)) for id, kept in records)
        return carried.plus(line.id, fields, values).plus_list(line.id, found_list(database), rows)
    if there and answer:
        values |= _own_values(database, answer.record, answer.values, link)
    else:
        values |= dict.fromkeys([f.key for f in fields if f.key not in values])
    held = Held(database.id, there, answer.record if answer else None, answer.values if answer else {})
    return carried.plus(line.id, fields, values, held)


def said(line: Find, database: Database, answer: Answer, env: Env) -> str:
    """Return an answer in a few words: 1 found: St Bride."""
    if answer.count == 0:
        return "none found"
    if line.several == "all":
        return f"{answer.count} found"
    title = shorten(as_text(answer.values.get(database.fields[0].id), env.zone), 60)
    number = f"{MAX_COUNTED} or more" if answer.count > MAX_COUNTED else str(answer.count)
    which = f"; the {line.several}" if answer.count > 1 else ""
    return f"{number} found{which}: {title}"


def check(line: Find, database: Database | None, carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    if database is None:
        lost = "the database of this line was deleted. Choose another"
        return [Finding(line.id, "choose a database to search" if line.database is None else lost)]
    if not line.sought:
        return [Finding(line.id, "add a field to compare")]
    found: list[Finding] = []
    for place, sought in enumerate(line.sought):
        field, key = database.readable_field(sought.field), str(place)
        if field is None:
            found.append(Finding(line.id, gone(sought, database), key=key, remedies=_nearest(line, place, database)))
        elif sought.operator not in TYPES[field.type].operators:
            found.append(Finding(line.id, misfit(sought, field), key=key))
        elif OPERATORS[sought.operator].needs_value:
            if not is_filled(sought.filling):
                found.append(Finding(line.id, f"enter a value to compare {field.name} with", key=key))
            if any(ref not in carried.fields for ref in references(sought.filling)):
                found.append(Finding(line.id, f"{field.name} is compared with a value that is not available here", key=key))
            if any(p.formula is not None and not p.formula.tree for p in sought.filling):
                found.append(Finding(line.id, f"the formula for {field.name} has an error", key=key))
    if line.several == "all":
        if line.order is not None and database.readable_field(line.order) is None:
            found.append(Finding(line.id, f"{database.name} no longer has the field to sort by. Choose another"))
        found += check_figures(line.id, line.figures, database)
    return found


def _nearest(line: Find, place: int, database: Database) -> tuple[Remedy, ...]:
    """Look at the remaining field that is most like the one that is gone, or remove the comparison."""
    sought = line.sought[place]
    fits = [f for f in database.fields if sought.operator in TYPES[f.type].operators and TYPES[f.type].is_indexed]
    best = max(fits, key=lambda f: fuzz.WRatio(fold(f.name), fold(sought.named)), default=None)

    def instead(one: tuple[Sought, ...]) -> tuple[Sought, ...]:
        return (*line.sought[:place], *one, *line.sought[place + 1 :])

    away = Remedy("remove it", (), sought=instead(()))
    if best is None:
        return (away,)
    return Remedy(f"Compare {best.name}", (), sought=instead((replace(sought, field=best.id, named=best.name),))), away


def named(before: Find | None, now: Find, databases: Mapping[int, Database]) -> Find:
    """Return the line with the names of the fields that it looks at: as they were when each comparison was changed last."""
    database = databases.get(now.database) if now.database is not None else None
    kept = {(s.field, s.operator, s.filling): s.named for s in before.sought} if before else {}

    def one(sought: Sought) -> Sought:
        earlier = kept.get((sought.field, sought.operator, sought.filling))
        field = database.readable_field(sought.field) if database else None
        return replace(sought, named=earlier or (field.name if field else sought.named))

    return replace(now, sought=tuple(map(one, now.sought)))


def step(line: Find, carried: Carried, context: Context) -> tuple[Cell, Carried]:
    database = context.databases.get(line.database) if line.database is not None else None
    if database is None:
        why = "choose a database to search" if line.database is None else "its database was deleted"
        return Cell(line.id, UNREADY if line.database is None else Problem(), why), carried
    if not line.sought:
        return Cell(line.id, UNREADY, "choose a field to compare"), carry_found(line, database, None, carried, context)
    asked, parts = question(line, database, carried, context.env)
    answer = context.find(asked) if asked else Answer(0, None, {}, context.env.now)
    below = carry_found(line, database, answer, carried, context)
    wrong = [p for p in parts if p.state == "put_right"]
    if wrong:
        return Cell(line.id, Problem(), shorten(wrong[0].sentence, 120), parts=parts), below
    if answer is None:
        return Cell(line.id, ReadFirst(), "loading", parts=parts), below
    if answer.problem:
        return Cell(line.id, Problem(), shorten(answer.problem, 120), parts=parts, answer=answer), below
    would: Plan = GoOn("found") if answer.count else PassBy() if line.none == "stop" else GoOn("found_none")
    note = said(line, database, answer, context.env)
    if line.several == "all" and answer.count > MAX_TAKEN:
        would, note = Problem(), f"more than {MAX_TAKEN} found, the most allowed. Add a condition"
    if answer.count > 1 and line.several == "stop":
        would, note = Problem(), f"{answer.count} match, one allowed. Add a condition"
    return Cell(line.id, would, note, parts=parts, answer=answer if asked else None), below


def carry_found(line: Find, database: Database, answer: Answer | None, carried: Carried, context: Context) -> Carried:
    """Return what the lines below can use of what was found."""
    return below(line, database, answer, carried, lambda *of: context.target.link(database, *of), context.env)


def recorded(answer: Answer | None, code: str, database: Database, context: Context) -> FoundRecords:
    answer = answer or Answer(0, None, {}, context.env.now)
    return FoundRecords(
        code,
        database.id,
        database.name,
        answer.count,
        answer.record,
        as_text(answer.values.get(database.fields[0].id), context.env.zone),
        context.target.link(database, answer.record, answer.values) if answer.record is not None else None,
        {f: to_wire(v) for f, v in answer.values.items()},
        [[id, {f: to_wire(v) for f, v in kept.items()}] for id, kept in answer.records],
    )


class FindKind(Kind[Find]):
    line, verb = Find, "find"
    stays = True

    def works_on(self, line: Find) -> int | None:
        return line.database

    def is_local(self, line: Find) -> bool:
        return not is_outside(line.database)

    def step(self, line: Find, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context)

    def makes(self, line: Find, carried: Carried, context: Context) -> Carried:
        database = context.databases.get(line.database) if line.database is not None else None
        return known_below(line, database, carried) if database else carried

    def check(self, line: Find, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, context.databases.get(line.database or 0), carried)

    def check_document(self, line: Find) -> None:
        check_comparisons(len(line.sought))

    def fillings(self, line: Find) -> Iterator[Filling]:
        yield from (s.filling for s in line.sought)

    def bare(self, line: Find) -> Find:
        return replace(line, sought=tuple(replace(s, named="") for s in line.sought))

    def named(self, line: Find, earlier: Line | None, databases: Mapping[int, Database]) -> Find:
        return named(earlier if isinstance(earlier, Find) else None, line, databases)

    def compares(self, line: Find) -> tuple[int | None, tuple[FieldId, ...]]:
        return line.database, compared(line)

    def looks_at(self, line: Find) -> Iterable[Reference]:
        return dict.fromkeys(ref for filling in self.fillings(line) for ref in references(filling))

    def says(self, line: Find, names: Mapping[int, str]) -> str:
        return f"find {'records' if line.several == 'all' else 'a record'} in {names.get(line.database or 0, 'a database')}"

    def outcome(self, line: Find, cell: Cell, code: str, context: Context) -> Outcome:
        return recorded(cell.answer, code, context.databases[line.database or 0], context)


KIND = FindKind()
