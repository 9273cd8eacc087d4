"""What is asked of a collection, in one language of conditions: Find asks in it, and so do filters.

A condition is printed as FEEL by `write`, with the same operators as the rows of Only if; `holds` carries that formula out on
values at hand, and `store/query.py` has a database server answer it. Both must come to the same.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from functools import lru_cache
from typing import Literal
from zoneinfo import ZoneInfo

from kelvix.core import formulas
from kelvix.core.feel import Env, compiled
from kelvix.core.feel import tree as t
from kelvix.core.feel.compiler import Compiled
from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.core.operators import OPERATORS, Comparing, Operator
from kelvix.core.periods import Period, one_day
from kelvix.core.schema import Field
from kelvix.core.values import Composite, FieldId, Span, Type, Value, as_text

FUNCTIONS: Mapping[Comparing, str] = {
    "mentions": "mentions",
    "same": "same text",
    "contains": "contains any",
    "begins": "begins",
    "ends": "ends",
    "has": "has any",
}
SIGNS: Mapping[Comparing, str] = {"same": "=", "less": "<", "more": ">"}
Tell = Callable[[Field, Value], Value]


@dataclass(frozen=True)
class Comparison:
    """A field compared with a value, which is as `Field.seek` gives it."""

    field: FieldId
    operator: Operator
    value: Value = None


@dataclass(frozen=True)
class Joined:
    """Conditions of which all, one at least, or none must hold. Without any, everything is let through."""

    mode: Literal["all", "any", "none"]
    tests: tuple[Where, ...]


Where = Comparison | Joined


@dataclass(frozen=True)
class Order:
    field: FieldId
    descending: bool = False


@dataclass(frozen=True)
class Query:
    """Items that are asked for: a page of at most `limit`, from where `after` of the page before says."""

    where: Where | None = None
    order: tuple[Order, ...] = ()
    limit: int = 100
    after: str | None = None


def fields_of(where: Where | None) -> tuple[FieldId, ...]:
    """Return the fields that a condition looks at, each once."""
    if where is None:
        return ()
    if isinstance(where, Comparison):
        return (where.field,)
    return tuple(dict.fromkeys(f for one in where.tests for f in fields_of(one)))


def settled(where: Where | None, fields: Mapping[FieldId, Field], today: date, zone: ZoneInfo) -> Where | None:
    """Return a condition in which days that are counted from today are dates. Raises Unfit where they are outside the
    calendar."""
    if isinstance(where, Joined):
        return Joined(where.mode, tuple(s for one in where.tests if (s := settled(one, fields, today, zone)) is not None))
    if where is None or where.field not in fields:
        return where
    if isinstance(where.value, Period):
        first, last = where.value.days(today)
    elif where.operator == "within":
        first = last = _day(where.value, zone)
    else:
        return where
    field, meaning = fields[where.field], OPERATORS[where.operator]
    if not TYPES[field.type].has_clock:
        spans = TYPES[field.type].keeps is Span

        def test(operator: Operator, day: date) -> Comparison:
            return Comparison(field.id, operator, Span(day, day) if spans else day)

        if meaning.compares == "same" and first == last:  # what is empty is another day, not an unknown one
            return test(where.operator, first)
        before, after = test("before", first), test("after", last)
        inside = Joined("all", (test("after", first - timedelta(days=1)), test("before", last + timedelta(days=1))))
        return _of_days(meaning.compares, before, after, inside)
    starts, ends = (datetime(d.year, d.month, d.day, tzinfo=zone).astimezone(UTC) for d in (first, last + timedelta(days=1)))
    before, ended = Comparison(field.id, "before", starts), Comparison(field.id, "before", ends)
    filled = Comparison(field.id, "filled")
    later = Joined("all", (filled, Joined("none", (ended,))))
    return _of_days(meaning.compares, before, later, Joined("all", (ended, Joined("none", (before,)))))


def _of_days(compares: Comparing, before: Where, after: Where, inside: Where) -> Where:
    return before if compares == "less" else after if compares == "more" else inside


def _day(value: Value, zone: ZoneInfo) -> date:
    """Return the day of a value."""
    start = value.start if isinstance(value, Span) else value
    assert isinstance(start, date)
    return start.astimezone(zone).date() if isinstance(start, datetime) else start


# As a formula


def counted(operator: Operator, days: Period) -> t.Node:
    """Return what a day is compared with where days are counted from today."""
    call, compares = t.Call(t.Name("period"), (t.String(days),)), OPERATORS[operator].compares
    if compares == "more":
        return t.Path(call, "end")
    return t.Path(call, "start") if compares == "less" or (compares == "same" and days.is_one) else call


def day_of(type_: Type, subject: t.Node) -> t.Node:
    """Return the day of what is compared of a value."""
    return t.Call(t.Name("date"), (subject,)) if TYPES[type_].has_clock else subject


def compare(type_: Type, operator: Operator, subject: t.Node, against: Sequence[t.Node]) -> t.Node:
    """Return the formula that compares a value of a type with literals, any of which may do. `subject` is the value itself, or
    the part of it by which it is compared."""
    meaning = OPERATORS[operator]
    if meaning.compares == "filled":
        return t.Binary("=" if meaning.negated else "!=", subject, t.Null())
    if not TYPES[type_].compares_values:
        called = t.Call(t.Name(FUNCTIONS[meaning.compares]), (subject, *against))
        return t.Call(t.Name("not"), (called,)) if meaning.negated else called
    if meaning.compares == "within":
        return t.In(subject, tuple(against))
    sign = SIGNS[meaning.compares]
    if len(against) == 1 and not isinstance(against[0], t.Call):
        return t.Binary("!=" if meaning.negated else sign, subject, against[0])
    if meaning.compares == "same":
        within = t.In(subject, tuple(against))
        return t.Call(t.Name("not"), (within,)) if meaning.negated else within
    return t.In(subject, tuple(t.Test(sign, one) for one in against))


def compared_part(type_: Type, value: t.Node) -> tuple[Type, t.Node]:
    """Return what is compared of a value: one of several parts by one of these, which may be compared by its day."""
    own = TYPES[type_]
    if own.compared_by is None:
        return type_, value
    part = t.Path(value, own.compared_by)
    return ("date", t.Call(t.Name("date"), (part,))) if own.as_day else (own.parts[own.compared_by], part)


def literal(value: Value, type_: Type, zone: ZoneInfo) -> t.Node:
    """Return a value as a literal of a formula."""
    if isinstance(value, bool):
        return t.Bool(value)
    if isinstance(value, Decimal):
        digits = t.Number(f"{abs(value):f}")
        return t.Negate(digits) if value < 0 else digits
    if not TYPES[type_].compares_values:
        return t.String(as_text(value, zone))
    return t.At(TYPES[type_].at(value, zone))


def joined(mode: Literal["all", "any", "none"], nodes: Iterable[t.Node]) -> t.Node:
    """Return the formula of conditions that go together."""
    whole: t.Node | None = None
    for one in nodes:
        whole = one if whole is None else t.Binary("or" if mode != "all" else "and", whole, one)
    if whole is None:
        return t.Bool(True)
    return t.Call(t.Name("not"), (whole,)) if mode == "none" else whole


def by_names(field: Field, value: Value) -> Value:
    """Tell a value as people read it."""
    return field.named(value)


def by_identity(field: Field, value: Value) -> Value:
    """Tell a value by what makes it the one it is, where names may be the same."""
    return TYPES[field.type].identity(field.named(value))


def write(where: Where | None, fields: Mapping[FieldId, Field], zone: ZoneInfo, tell: Tell = by_names) -> t.Node:
    """Return the formula of a condition, over values called by no line and the field's id. Raises NotFoundError for a field
    that is gone."""
    if where is None:
        return t.Bool(True)
    if isinstance(where, Joined):
        return joined(where.mode, [write(one, fields, zone, tell) for one in where.tests])
    if where.field not in fields:
        raise NotFoundError("field not found")
    return _write_one(where, fields[where.field], zone, tell)


def _write_one(one: Comparison, field: Field, zone: ZoneInfo, tell: Tell) -> t.Node:
    type_, value, own = field.type, t.Value("", one.field), TYPES[field.type]
    meaning = OPERATORS[one.operator]
    if not meaning.needs_value:
        return compare(type_, one.operator, value, ())
    if isinstance(one.value, Composite) and meaning.compares == "same":
        alike = [_same_part(type_, part, value, held, zone) for part, held in own.told_by(one.value).items()]
        whole = joined("all", alike)
        return t.Call(t.Name("not"), (whole,)) if meaning.negated else whole
    compared, subject = compared_part(type_, value)
    if isinstance(one.value, Period):
        return compare(compared, one.operator, day_of(compared, subject), [counted(one.operator, one.value)])
    told = tell(field, one.value)
    if meaning.compares == "within":
        return compare(compared, one.operator, day_of(compared, subject), [counted("within", one_day(_day(told, zone)))])
    if isinstance(told, Composite):  # what its parts tell is compared within what is the same in the others
        part = told.parts()[own.compared_by or ""]
        if part is None or part == "":  # a person of whom only the address is known
            return t.Bool(meaning.negated)
        day = part.astimezone(zone).date() if own.as_day and isinstance(part, datetime) else part
        within = [_same_part(type_, name, value, held, zone) for name, held in own.within(one.value).items()]
        return joined("all", [compare(type_, one.operator, subject, [literal(day, compared, zone)]), *within])
    return compare(type_, one.operator, subject, [literal(told, compared, zone)])


def _same_part(type_: Type, part: str, value: t.Node, held: Value, zone: ZoneInfo) -> t.Node:
    of = TYPES[type_].parts[part]
    kind = "date" if of == "datetime" and isinstance(held, date) and not isinstance(held, datetime) else of
    return compare(of, "is", t.Path(value, part), [literal(held, kind, zone)])


# Carried out here


@lru_cache(maxsize=1024)
def _plan(where: Where | None, fields: tuple[Field, ...], zone: ZoneInfo) -> Compiled:
    return compiled(write(where, {f.id: f for f in fields}, zone, by_identity))


def holds(where: Where | None, fields: Sequence[Field], values: Mapping[FieldId, Value], env: Env) -> bool:
    """Whether a condition is true of values; what is unknown is not. Raises NotFoundError, and Unfit where a formula goes on
    for too long."""
    used = set(fields_of(where))
    mine = formulas.fresh(env)
    known = tuple(f for f in fields if f.id in used)
    given = {("", f.id): formulas.to_feel(by_identity(f, values.get(f.id)), mine) for f in known}
    return _plan(where, known, env.zone).evaluate(given, mine) is True
