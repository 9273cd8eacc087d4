"""Find lines: what a line asks of a database for a sample, and what its answer carries on.

The question is worked out here, without reading anything; whoever has the database answers it (`Surroundings.find`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Literal

from rapidfuzz import fuzz

from kelvix.core.cells import Answer, Finding, PartResult
from kelvix.core.feel import Env
from kelvix.core.filling import Carried, Remedy, compute, is_filled, references
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import NewChoice, Type, Unfit, Value, as_text, coerce, fold, shorten
from kelvix.core.workflow import OPERATOR_WORDS, AddOrUpdate, Find, Operator, Sought

MOST = 100  # records that are counted
TEXTS: tuple[Operator, ...] = ("is", "begins", "filled", "empty")
OPERATORS: dict[Type, tuple[Operator, ...]] = {
    "text": TEXTS,
    "long_text": ("filled", "empty"),
    "email": TEXTS,
    "link": TEXTS,
    "choice": ("is", "is_not", "filled", "empty"),
    "yes_no": ("is",),
    "number": ("is", "less", "more", "filled", "empty"),
    "date": ("is", "before", "after", "filled", "empty"),
    "datetime": ("before", "after", "filled", "empty"),
    "labels": ("has", "has_none", "filled", "empty"),
}
NEEDS_NOTHING: tuple[Operator, ...] = ("filled", "empty")


@dataclass(frozen=True)
class Compared:
    """One comparison of a question, its value as the field keeps it."""

    field: int
    operator: Operator
    value: Value = None


@dataclass(frozen=True)
class Question:
    """What is asked of a database. `take`: which record, by when they were made, where there are several."""

    database: int
    mode: Literal["all", "any"]
    compared: tuple[Compared, ...]
    take: Literal["newest", "oldest"]


def question(line: Find, database: Database, carried: Carried, env: Env) -> tuple[Question | None, tuple[PartResult, ...]]:
    """What a line asks for a sample, and what each of its comparisons comes to. No question where one of them is to be put
    right, or where all records would be taken since there is nothing to look for."""
    compared: list[Compared] = []
    parts: list[PartResult] = []
    for place, sought in enumerate(line.sought):
        part, one = _compare(str(place), sought, database, carried, env)
        parts.append(part)
        if one is not None:
            compared.append(one)
    whole = len(compared) == len(line.sought) or (line.mode == "any" and compared)
    wrong = any(p.state == "put_right" for p in parts)
    take: Literal["newest", "oldest"] = "oldest" if line.several == "oldest" else "newest"
    return (Question(database.id, line.mode, tuple(compared), take) if whole and not wrong else None), tuple(parts)


def _compare(key: str, sought: Sought, database: Database, carried: Carried, env: Env) -> tuple[PartResult, Compared | None]:
    field = database.field(sought.field)
    if field is None:
        return PartResult(key, "put_right", None, gone(sought, database)), None
    if sought.operator not in OPERATORS[field.type]:
        return PartResult(key, "put_right", None, misfit(sought, field)), None
    if sought.operator in NEEDS_NOTHING:
        return PartResult(key, "fits"), Compared(field.id, sought.operator)
    try:
        value = _value(compute(sought.filling, carried, env), field, env)
    except Unfit as unfit:
        return PartResult(key, "put_right", None, str(unfit)), None
    if value is None:
        return PartResult(key, "empty", None, "is empty in this sample, so that nothing is found by it"), None
    if isinstance(value, NewChoice):  # no record has it yet: whatever asks for others is so of each
        other = Compared(field.id, sought.operator, "") if sought.operator in ("is_not", "has_none") else None
        return PartResult(key, "fits", str(value), "no record has this choice yet"), other
    shown = field.choice_name(value) if field.type == "labels" else field.named(value)
    return PartResult(key, "fits", shown), Compared(field.id, sought.operator, value)


def _value(value: Value, field: Field, env: Env) -> Value:
    """What a field is compared with, as it keeps it; labels are compared with one. Raises Unfit."""
    type_: Type = "choice" if field.type == "labels" else field.type
    return coerce(value, type_, env.zone, field.choices, env.order, grows=field.grows)


def compared(line: Find | AddOrUpdate) -> tuple[int, ...]:
    """The fields whose values decide which record is meant; not those that are only asked whether they are filled."""
    if isinstance(line, AddOrUpdate):
        return line.by
    return tuple(s.field for s in line.sought if s.operator not in (*NEEDS_NOTHING, "is_not"))


def gone(sought: Sought, database: Database) -> str:
    return f"{database.name} no longer has the field {f'“{sought.named}”' if sought.named else 'that this looks at'}"


def misfit(sought: Sought, field: Field) -> str:
    return f"“{OPERATOR_WORDS[sought.operator]}” does not go with {field.name}"


def name_of(database: Database) -> str:
    """How what was found is called among the carried values."""
    return f"Found in {database.name}"


def found_fields(database: Database) -> tuple[CarriedField, ...]:
    """What a Find line carries on: whether and how many were found, and the fields of the record that is taken, by the names of
    their choices."""
    name = name_of(database)
    own = tuple(CarriedField(f"f_{f.id}", (name, f.name), "text" if f.type == "choice" else f.type) for f in database.fields)
    return (
        CarriedField("found", (name, "Is there one"), "yes_no"),
        CarriedField("count", (name, "How many"), "number"),
        CarriedField("link", (name, "Link to the record"), "link"),
        *own,
    )


def found_values(database: Database, answer: Answer | None, link: str) -> dict[str, Value]:
    """What an answer carries on. Where nothing was found, the fields are empty."""
    there = answer is not None and answer.record is not None
    values: dict[str, Value] = {
        "found": there,
        "count": Decimal(answer.count if answer else 0),
        "link": link if there else None,
    }
    for field in database.fields:
        values[f"f_{field.id}"] = field.named(answer.values.get(field.id)) if there and answer else None
    return values


def said(line: Find, database: Database, answer: Answer, env: Env) -> str:
    """An answer in a few words: 1 found: St Bride."""
    if answer.count == 0:
        return "none found"
    title = shorten(as_text(answer.values.get(database.fields[0].id), env.zone), 60)
    number = f"{MOST} or more" if answer.count > MOST else str(answer.count)
    which = f"; the {line.several}" if answer.count > 1 else ""
    return f"{number} found{which}: {title}"


def check(line: Find, database: Database | None, carried: Carried) -> list[Finding]:
    """What must be put right whatever the sample."""
    if database is None:
        lost = "the database that this line looks in was deleted; choose another"
        return [Finding(line.id, "choose the database to look in" if line.database is None else lost)]
    if not line.sought:
        return [Finding(line.id, "say what is looked for: add a field to compare")]
    found: list[Finding] = []
    for place, sought in enumerate(line.sought):
        field, key = database.field(sought.field), str(place)
        if field is None:
            found.append(Finding(line.id, gone(sought, database), key=key, remedies=_nearest(line, place, database)))
        elif sought.operator not in OPERATORS[field.type]:
            found.append(Finding(line.id, misfit(sought, field), key=key))
        elif sought.operator not in NEEDS_NOTHING:
            if not is_filled(sought.filling):
                found.append(Finding(line.id, f"say what {field.name} is compared with", key=key))
            if any(ref not in carried.fields for ref in references(sought.filling)):
                found.append(
                    Finding(line.id, f"{field.name} is compared with a value that the lines above do not carry", key=key)
                )
            if any(p.formula is not None and not p.formula.tree for p in sought.filling):
                found.append(Finding(line.id, f"the formula that {field.name} is compared with cannot be read yet", key=key))
    return found


def _nearest(line: Find, place: int, database: Database) -> tuple[Remedy, ...]:
    """Look at the remaining field that is most like the one that is gone, or take the comparison away."""
    sought = line.sought[place]
    fits = [f for f in database.fields if sought.operator in OPERATORS[f.type] and f.type != "long_text"]
    best = max(fits, key=lambda f: fuzz.WRatio(fold(f.name), fold(sought.named)), default=None)

    def instead(one: tuple[Sought, ...]) -> tuple[Sought, ...]:
        return (*line.sought[:place], *one, *line.sought[place + 1 :])

    away = Remedy("take it away", (), sought=instead(()))
    if best is None:
        return (away,)
    return Remedy(f"look at {best.name}", (), sought=instead((replace(sought, field=best.id, named=best.name),))), away


def named(before: Find | None, now: Find, databases: Mapping[int, Database]) -> Find:
    """The line with the names of the fields that it looks at: as they were when each comparison was changed last."""
    database = databases.get(now.database) if now.database is not None else None
    kept = {(s.field, s.operator, s.filling): s.named for s in before.sought} if before else {}

    def one(sought: Sought) -> Sought:
        earlier = kept.get((sought.field, sought.operator, sought.filling))
        field = database.field(sought.field) if database else None
        return replace(sought, named=earlier or (field.name if field else sought.named))

    return replace(now, sought=tuple(map(one, now.sought)))
