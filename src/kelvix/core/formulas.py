"""Formulas in a workflow: what kept trees mean, what they give for a sample, and how simple calculations read as words."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from functools import lru_cache, reduce
from typing import Literal

from kelvix.core.feel import FUNCTIONS, Env, FeelError, TooMuch, compiled
from kelvix.core.feel import tree as t
from kelvix.core.feel.added.texts import as_words
from kelvix.core.feel.compiler import Compiled
from kelvix.core.feel.values import Months, read_at, read_duration
from kelvix.core.fields import TYPES, coerce, is_text
from kelvix.core.values import Composite, Type, Unfit, Value, span_words
from kelvix.core.workflow import Part


@lru_cache(maxsize=4096)
def loaded(tree: str) -> t.Node:
    """Return the node of a kept tree. Raises ValueError."""
    node = t.load(tree)
    try:
        compiled(node)
    except FeelError as error:
        raise ValueError(str(error)) from error
    return node


@lru_cache(maxsize=4096)
def _ready(tree: str) -> tuple[Compiled, tuple[t.Value, ...]]:
    node = loaded(tree)
    return compiled(node), t.values_in(node)


def values_of(tree: str) -> tuple[t.Value, ...]:
    """Return the carried values that a kept tree uses."""
    return _ready(tree)[1]


def fresh(env: Env) -> Env:
    """Return the same environment for another evaluation."""
    return Env(env.now, env.zone, env.locale, env.order, elsewhere=env.elsewhere)


def to_feel(value: Value, env: Env) -> object:
    """Return a carried value as the language has it: moments on the workspace's clock, so that its hours are those people
    mean."""
    if isinstance(value, tuple):
        return [str(one) for one in value]
    if isinstance(value, Composite):
        return {name: to_feel(part, env) for name, part in value.parts().items()}
    return value.astimezone(env.zone) if isinstance(value, datetime) else value


def evaluate(tree: str, values: Mapping[tuple[str, str], Value], env: Env) -> Value:
    """Return what a kept tree gives, as a value of ours. Raises Unfit, with the reason, where it comes to nothing for one."""
    return settle(raw(tree, values, env), env)


def raw(tree: str, values: Mapping[tuple[str, str], Value], env: Env) -> object:
    """Return what a kept tree gives, as the language has it. Raises Unfit."""
    ready, used = _ready(tree)
    mine = fresh(env)
    try:
        found = ready.evaluate({(v.line, v.key): to_feel(values.get((v.line, v.key)), mine) for v in used}, mine)
    except TooMuch as error:
        raise Unfit(str(error)) from error
    if found is None and mine.notes:
        raise Unfit(mine.notes[0])
    return found


def settle(value: object, env: Env) -> Value:
    """Return a value of the language as one of ours; what fields have no type for is text, as it reads."""
    if isinstance(value, datetime):
        found = coerce(value if value.tzinfo else value.replace(tzinfo=env.zone), "datetime", env.zone)
        assert isinstance(found, datetime)
        return found
    if value is None or isinstance(value, (str, bool, Decimal, date)):
        return value
    if isinstance(value, timedelta) or (isinstance(value, time) and value.tzinfo is None):
        return value
    if isinstance(value, Months):
        return duration_words(value)
    if isinstance(value, dict) and (type_ := next((x for x in TYPES.values() if x.parts and set(x.parts) == set(value)), None)):
        return type_.of_parts(value, env.zone)
    if isinstance(value, list) and all(isinstance(v, str) or v is None for v in value):
        return tuple(v for v in value if v) or None
    return as_words(env, value)


# Types, as far as they can be told without a sample

_BY_CLASS: dict[type, Type] = {t.of_class: t.code for t in TYPES.values() if t.of_class is not None}
NUMBER, TEXT, YES_NO, TEXTS = (_BY_CLASS[of] for of in (Decimal, str, bool, list))


def _is_day(type_: Type | None) -> bool:
    return type_ is not None and TYPES[type_].tells_day


def type_of(node: t.Node, types: Mapping[tuple[str, str], Type]) -> Type | None:
    """Return the type that a formula gives whatever the sample; None where that hangs on it."""
    match node:
        case t.Value(line, key):
            return types.get((line, key))
        case t.Path(of, name):
            whole = type_of(of, types)
            return TYPES[whole].parts.get(name) if whole else None
        case t.Number():
            return NUMBER
        case t.String():
            return TEXT
        case t.List(items) if items and all(type_of(i, types) == TEXT for i in items):
            return TEXTS
        case t.Bool() | t.Between() | t.In() | t.InstanceOf() | t.Quantified() | t.Tests():
            return YES_NO
        case t.At(text):
            return _BY_CLASS.get(type(read_at(text)), TEXT)
        case t.Binary(op, left, right):
            if op in ("and", "or", "=", "!=", "<", "<=", ">", ">="):
                return YES_NO
            found = type_of(left, types)
            if op in ("+", "-") and _is_day(found):
                other = type_of(right, types)
                return found if not _is_day(other) else _BY_CLASS[timedelta] if op == "-" else None
            if op == "+" and is_text(found):
                return TEXT
            return NUMBER if found == NUMBER and type_of(right, types) == NUMBER else None
        case t.Negate(of):
            return NUMBER if type_of(of, types) == NUMBER else None
        case t.If(_, then, otherwise):
            one = type_of(then, types)
            return one if one == type_of(otherwise, types) else None
        case t.Call(t.Name(name), args, names):
            form = FUNCTIONS.choose(name, len(args), names)
            if form and len(form.result) == 1:
                return _BY_CLASS.get(next(iter(form.result)))
    return None


# Simple calculations, as words

UNITS = {"days": "P{}D", "weeks": "", "hours": "PT{}H", "minutes": "PT{}M", "months": "P{}M", "years": "P{}Y"}


@dataclass(frozen=True)
class Calculation:
    """A value and a step from it: Date + 3 days, Total × 1.2. `unit` is empty for plain numbers."""

    line: str
    key: str
    sign: str
    amount: str
    unit: str


def duration_words(value: timedelta | Months) -> str:
    """Return a duration as people say it: 3 days, 4 hours."""
    if isinstance(value, timedelta):
        return span_words(value)
    years, months = divmod(abs(value.count), 12)
    said = ", ".join(f"{n} {unit}{'' if n == 1 else 's'}" for n, unit in ((years, "year"), (months, "month")) if n)
    return ("minus " if value.count < 0 else "") + (said or "0 months")


def calculation(tree: str) -> Calculation | None:
    """Return the step that a kept tree is, where it is one."""
    match loaded(tree):
        case t.Binary(("+" | "-") as sign, t.Value(line, key), t.Call(t.Name("duration"), (t.String(text),))):
            pass
        case t.Binary(("+" | "-") as sign, t.Value(line, key), t.At(text)):
            pass
        case t.Binary(("+" | "-" | "*" | "/") as sign, t.Value(line, key), t.Number(digits)):
            return Calculation(line, key, sign, digits, "")
        case _:
            return None
    try:
        span = read_duration(text)
    except (ValueError, OverflowError):
        return None
    if isinstance(span, Months):
        years, months = divmod(span.count, 12)
        return Calculation(line, key, sign, *((str(years), "years") if not months else (str(span.count), "months")))
    for unit, size in (("weeks", 7 * 86400), ("days", 86400), ("hours", 3600), ("minutes", 60)):
        if span > timedelta() and span % timedelta(seconds=size) == timedelta():
            return Calculation(line, key, sign, str(span // timedelta(seconds=size)), unit)
    return None


def of_calculation(step: Calculation) -> t.Node:
    """Return the tree of a step. Raises Unfit for an amount that is no number."""
    value = t.Value(step.line, step.key)
    if not step.unit:
        if not re.fullmatch(r"\d+(\.\d+)?", step.amount):
            raise Unfit(f"“{step.amount}” is not a number")
        return t.Binary(step.sign, value, t.Number(step.amount))
    if not re.fullmatch(r"\d{1,6}", step.amount) or step.unit not in UNITS or step.sign not in ("+", "-"):
        raise Unfit("a step in time is a whole number of days, weeks, hours, minutes, months or years")
    text = f"P{int(step.amount) * 7}D" if step.unit == "weeks" else UNITS[step.unit].format(int(step.amount))
    return t.Binary(step.sign, value, t.Call(t.Name("duration"), (t.String(text),)))


# A value with what stands in for it, and a part of a moment, as words


@dataclass(frozen=True)
class Fallback:
    """A value, or a text where it is empty."""

    line: str
    key: str
    text: str


@dataclass(frozen=True)
class MomentPart:
    """The day or the time of day of a moment."""

    line: str
    key: str
    part: Literal["date", "time"]


def fallback(tree: str) -> Fallback | None:
    """Return the value and its stand-in that a kept tree is, where it is that."""
    match loaded(tree):
        case t.Call(t.Name("first filled"), (t.Value(line, key), t.String(text))):
            return Fallback(line, key, text)
    return None


def of_fallback(one: Fallback) -> t.Node:
    return t.Call(t.Name("first filled"), (t.Value(one.line, one.key), t.String(one.text)))


def moment_part(tree: str) -> MomentPart | None:
    """Return the part of a moment that a kept tree is, where it is one."""
    match loaded(tree):
        case t.Call(t.Name("date"), (t.Value(line, key),)):
            return MomentPart(line, key, "date")
        case t.Call(t.Name("time"), (t.Value(line, key),)):
            return MomentPart(line, key, "time")
    return None


def of_moment_part(one: MomentPart) -> t.Node:
    return t.Call(t.Name(one.part), (t.Value(one.line, one.key),))


def of_filling(parts: Sequence[Part]) -> t.Node:
    """Return what a filling is as one formula: its texts and values put together. Raises Unfit for a formula with an error."""
    nodes: list[t.Node] = []
    for part in parts:
        if part.ref is not None:
            value = t.Value(part.ref.line, part.ref.value)
            nodes.append(value if len(parts) == 1 else t.Call(t.Name("as words"), (value,)))
        elif part.formula is not None:
            if not part.formula.tree:
                raise Unfit("this formula has an error")
            node = loaded(part.formula.tree)
            nodes.append(node if len(parts) == 1 else t.Call(t.Name("as words"), (node,)))
        elif part.text:
            nodes.append(t.String(part.text))
    return reduce(lambda left, right: t.Binary("+", left, right), nodes) if nodes else t.String("")


def calculation_words(step: Calculation, name: str) -> str:
    sign = {"*": "×", "/": "÷", "-": "−"}.get(step.sign, step.sign)
    unit = step.unit[:-1] if step.amount == "1" else step.unit
    return f"{name} {sign} {step.amount}{f' {unit}' if unit else ''}"
