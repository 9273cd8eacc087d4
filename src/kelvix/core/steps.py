"""What one line does with what it is given, computed without writing anything."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property

from kelvix.core import (
    asking,
    conditions,
    finding,
    handing,
    mailing,
    saving,
    shaping,
    sources,
    stopping,
    waiting,
    web_request,
    writing,
)
from kelvix.core.cells import Answer, Cell, PartResult
from kelvix.core.feel import Env
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried, ListRow, Remedy
from kelvix.core.finding import Question
from kelvix.core.outcome import UNREADY, GoOn, PassBy, Plan, Problem, ReadFirst, Rest
from kelvix.core.schema import CarriedField, CarriedList, Database, Field
from kelvix.core.sources import CanRun
from kelvix.core.values import FieldId, Unfit, Value, as_text, shorten
from kelvix.core.workflow import (
    Add,
    AddOrUpdate,
    Ask,
    DatePart,
    Decide,
    Delete,
    Find,
    Line,
    OnlyIf,
    Otherwise,
    Reference,
    Repeat,
    RunAnother,
    SaveFile,
    SendMail,
    Shape,
    Shaped,
    Stop,
    Update,
    Wait,
    Way,
    WebRequest,
    When,
)


@dataclass(frozen=True)
class SourceWords:
    """How the source's app calls its places and what arrives in them; `counted`: a carried number that is worth telling at
    once, with its word for one and for several."""

    place: str = "place"
    items: str = "items"
    counted: tuple[str, str, str] | None = None


@dataclass(frozen=True)
class Context:
    """All that a rehearsal needs to know besides the document and the sample. `find` answers a Find line's question; nothing
    where that is still to be read."""

    source: tuple[CarriedField, ...]
    databases: Mapping[int, Database]
    env: Env
    find: Callable[[Question], Answer | None] = lambda _: None
    record_link: str = "http://127.0.0.1/databases/{database}/{record}"
    lists: tuple[CarriedList, ...] = ()  # that the source carries
    others: Mapping[int, CanRun] = dataclasses.field(default_factory=dict)  # the workflows that can be run
    words: SourceWords = SourceWords()

    @cached_property
    def fields(self) -> Mapping[FieldId, Field]:
        """All fields of all databases."""
        return {f.id: f for d in self.databases.values() for f in d.fields}

    @cached_property
    def target(self) -> writing.Target:
        return writing.Target(self.databases, self.env, self.find, self.record_link)


def _read(raw: object, field: CarriedField) -> Value:
    """Read a value of an item. Raises Unfit."""
    return from_wire(raw if raw is None or isinstance(raw, (str, bool, list)) else repr(raw), field.type)


def carried_from_item(when: When, context: Context, item: Mapping[str, object]) -> Carried:
    """Return a source item's values by reference: absent, empty and unreadable ones told apart."""
    values: dict[str, Value] = {}
    unreadable: dict[Reference, str] = {}
    for field in context.source:
        if field.key in item:
            try:
                values[field.key] = _read(item[field.key], field)
            except Unfit as unfit:
                unreadable[Reference(when.id, field.key)] = str(unfit)
    held = sources.held_of(when.own, context.databases, item)
    carried = Carried({}, {}, unreadable).plus(when.id, context.source, values, held)
    for one in context.lists:
        raw = item.get(one.key)
        rows: tuple[ListRow, ...] | None = None
        if isinstance(raw, list):
            try:
                rows = tuple(ListRow({f.key: _read(row.get(f.key), f) for f in one.fields}) for row in raw)
            except (Unfit, AttributeError):
                unreadable[Reference(when.id, one.key)] = "its rows cannot be read"
        carried = carried.plus_list(when.id, one, rows)
    return carried


def count_of(number: int, one: str, many: str) -> str:
    return f"{number} {one if number == 1 else many}"


def _told(when: When, carried: Carried, words: SourceWords) -> str:
    """Return what is told at once of an item."""
    if words.counted is None:
        return ""
    key, one, many = words.counted
    count = carried.values.get(Reference(when.id, key))
    return count_of(int(count), one, many) if isinstance(count, Decimal) and count else ""


def step(line: Line, carried: Carried, context: Context) -> tuple[Cell, Carried]:
    """Return what one line does with what it is given, and what the lines below it can use."""
    match line:
        case When():
            return Cell(line.id, GoOn("in"), _told(line, carried, context.words)), carried
        case OnlyIf():
            rows = conditions.row_results(line.conditions, carried, context.env)
            try:
                on = conditions.goes_on(line, carried, context.env)
            except Unfit as unfit:
                return Cell(line.id, Problem(), str(unfit), rows=rows), carried
            return Cell(line.id, GoOn() if on else PassBy(), rows=rows), carried
        case Shape():
            return _step_shape(line, carried, context.env)
        case Find():
            return _step_find(line, carried, context)
        case Wait():
            return _step_wait(line, carried, context.env), carried
        case Ask():
            return asking.step(line, carried, context.env)
        case RunAnother():
            return handing.step(line, context.others, carried, context.env), carried
        case SendMail():
            return mailing.step(line, carried, context.env)
        case SaveFile():
            return saving.step(line, carried, context.env)
        case WebRequest():
            return web_request.step(line, carried, context.env)
        case Stop():
            return stopping.step(line, carried, context.env), carried
        case Decide() | Way() | Otherwise() | Repeat():
            raise TypeError("a line with others within it is gone through by a walk")
        case Add() | AddOrUpdate() | Update() | Delete():
            return writing.step(line, carried, context.target)


def shaped_fields(line: Shape, carried: Carried) -> tuple[CarriedField, ...]:
    """Return what a Shape line makes, with the types that can be told without a sample."""
    types = dict(carried.types)
    made: list[CarriedField] = []
    for value in line.values:
        type_ = shaping.type_of(value, types)
        types[line.id, value.key] = type_
        made.append(CarriedField(value.key, (value.name or "Unnamed",), type_))
    return tuple(made)


def _step_shape(line: Shape, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    """Each value can use those before it on the same line."""
    results: list[PartResult] = []
    for value, field in zip(line.values, shaped_fields(line, carried), strict=True):
        made: Value = None
        try:
            made = shaping.shape(value, field.type, carried, env)
            result = PartResult(
                value.key, "fits" if made is not None else "empty", made, "" if made is not None else "comes to nothing"
            )
        except Unfit as unfit:
            result = PartResult(value.key, "put_right", None, str(unfit))
        doubt = _pattern_doubt(value, carried, env)
        if doubt and result.state != "put_right":
            result = replace(result, state="look", sentence=doubt[0], remedies=doubt[1])
        results.append(result)
        carried = carried.plus(line.id, (field,), {value.key: made})
    wrong = [r for r in results if r.state == "put_right"]
    filled = sum(r.state in ("fits", "look") for r in results)
    note = shorten(wrong[0].sentence, 120) if wrong else count_of(filled, "value", "values")
    looks = sum(r.state == "look" for r in results)
    return Cell(line.id, Problem() if wrong else GoOn("fits"), note, doubts=looks, parts=tuple(results)), carried


def _step_find(line: Find, carried: Carried, context: Context) -> tuple[Cell, Carried]:
    database = context.databases.get(line.database) if line.database is not None else None
    if database is None:
        said = "choose the database to look in" if line.database is None else "the database it looked in is gone"
        return Cell(line.id, UNREADY if line.database is None else Problem(), said), carried
    if not line.sought:
        return Cell(line.id, UNREADY, "say what is looked for"), carry_found(line, database, None, carried, context)
    question, parts = finding.question(line, database, carried, context.env)
    answer = context.find(question) if question else Answer(0, None, {}, context.env.now)
    below = carry_found(line, database, answer, carried, context)
    wrong = [p for p in parts if p.state == "put_right"]
    if wrong:
        return Cell(line.id, Problem(), shorten(wrong[0].sentence, 120), parts=parts), below
    if answer is None:
        return Cell(line.id, ReadFirst(), "being read", parts=parts), below
    would: Plan = GoOn("found") if answer.count else PassBy() if line.none == "stop" else GoOn("found_none")
    said = finding.said(line, database, answer, context.env)
    if line.several == "all" and answer.count > finding.MAX_TAKEN:
        would, said = Problem(), f"more than {finding.MAX_TAKEN} found, the most that a line takes: narrow what is looked for"
    if answer.count > 1 and line.several == "stop":
        would, said = Problem(), f"{answer.count} found, and this line takes only one: narrow what is looked for"
    return Cell(line.id, would, said, parts=parts, answer=answer if question else None), below


def _step_wait(line: Wait, carried: Carried, env: Env) -> Cell:
    """Until when a run that came here now would rest."""
    try:
        due = waiting.until(line, env.now, carried, env)
    except Unfit as unfit:
        return Cell(line.id, Problem(), str(unfit))
    if due <= env.now:
        return Cell(line.id, GoOn(), "no need to wait")
    return Cell(line.id, Rest(due), f"until: {as_text(due, env.zone)}")


def carry_found(line: Find, database: Database, answer: Answer | None, carried: Carried, context: Context) -> Carried:
    """Return what the lines below can use of what was found."""
    return finding.below(line, database, answer, carried, lambda r: context.target.link(database, r), context.env)


def _pattern_doubt(value: Shaped, carried: Carried, env: Env) -> tuple[str, tuple[Remedy, ...]] | None:
    """Return what is contradictory in a date pattern, and the corrected pattern with what it gives, one click away."""
    if not isinstance(value.made, DatePart):
        return None
    doubts = shaping.doubts(value.made.pattern)
    if not doubts:
        return None
    better = replace(value, made=replace(value.made, pattern=shaping.corrected(value.made.pattern)))
    said = "; ".join(d.sentence for d in doubts)
    try:
        gives = as_text(shaping.shape(better, "text", carried, env), env.zone)
    except Unfit:
        return said, ()
    return said, (
        Remedy(f"{better.made.pattern}, which gives {gives}" if isinstance(better.made, DatePart) else "", (), better),
    )
