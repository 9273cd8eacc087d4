"""Ask lines: what a person is asked, what they see and may edit, and what lines below can use of the answer."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from kelvix.core import shaping
from kelvix.core.cells import Cell, Finding, PartResult
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import coerce
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.kind import Kind, check_keys
from kelvix.core.outcome import AskPerson, Problem
from kelvix.core.schema import CarriedField
from kelvix.core.values import Type, Unfit, Value, as_text, shorten
from kelvix.core.workflow import Filled, Filling, Line, Shaped


@dataclass(frozen=True)
class Ask(Line):
    """Ask a person, who says yes or no and may edit the values that are shown. `no`: what becomes of the item then."""

    id: str
    asking: Filling = ()
    shown: tuple[Shaped, ...] = ()
    no: Literal["pass_by", "go_on"] = "pass_by"
    within: str = ""
    verb: Literal["ask"] = "ask"


HEAD = (CarriedField("approved", ("Answer", "Is it yes"), "yes_no"), CarriedField("by", ("Answer", "By"), "text"))


@dataclass(frozen=True)
class Answered:
    """A person's answer: `values` as they left them, by key."""

    approved: bool
    by: str
    values: Mapping[str, Value]


def fields_of(line: Ask, carried: Carried) -> tuple[CarriedField, ...]:
    """Return what lines below can use: whether the answer was yes, whose it was, and the values that were shown."""
    return (*HEAD, *(CarriedField(v.key, ("Answer", v.name or "Unnamed"), _type(v, carried)) for v in line.shown))


def _type(value: Shaped, carried: Carried) -> Type:
    return shaping.type_of(value, dict(carried.types))


def step(line: Ask, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    """Return what would be asked with a sample. Lines below are rehearsed as if the answer were yes, with the values as they
    are."""
    parts: list[PartResult] = []
    values: dict[str, Value] = {}
    for one in line.shown:
        try:
            values[one.key] = made = shaping.shape(one, _type(one, carried), carried, env)
            parts.append(PartResult(one.key, "fits" if made is not None else "empty", made))
        except Unfit as unfit:
            parts.append(PartResult(one.key, "put_right", None, str(unfit)))
    below = carry_on(line, Answered(True, "", values), carried)
    wrong = [p.sentence for p in parts if p.state == "put_right"]
    try:
        said = question(line, carried, env)
    except Unfit as unfit:
        wrong.append(str(unfit))
    if wrong:
        return Cell(line.id, Problem(), shorten(wrong[0], 120), parts=tuple(parts)), below
    return Cell(line.id, AskPerson(), f"asks: {shorten(said, 120)}", parts=tuple(parts)), below


def question(line: Ask, carried: Carried, env: Env) -> str:
    """Return the question in words. Raises Unfit."""
    return as_text(compute(line.asking, carried, env), env.zone).strip() or "Continue?"


def carry_on(line: Ask, answer: Answered, carried: Carried) -> Carried:
    """Return what lines below can use of an answer."""
    values = {**answer.values, "approved": answer.approved, "by": answer.by or None}
    return carried.plus(line.id, fields_of(line, carried), values)


def edited(line: Ask, given: Mapping[str, str], types: Mapping[str, Type], env: Env) -> tuple[dict[str, Value], dict[str, str]]:
    """Values that a person edited, as they are kept; and what is wrong with others, by key."""
    values: dict[str, Value] = {}
    wrong: dict[str, str] = {}
    for one in line.shown:
        if one.key in given:
            try:
                values[one.key] = coerce(given[one.key] or None, types[one.key], env.zone, (), env.order, grows=True)
            except Unfit as unfit:
                wrong[one.key] = str(unfit)
    return values, wrong


def check(line: Ask, carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    if not is_filled(line.asking):
        return [Finding(line.id, "enter a question")]
    found: list[Finding] = []
    for key, filling in ((None, line.asking), *((v.key, v.made.filling) for v in line.shown if isinstance(v.made, Filled))):
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, "this shows a value that is not available here", key=key))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, "this formula has an error", key=key))
    found += [Finding(line.id, "this value needs a name", key=v.key) for v in line.shown if not v.name.strip()]
    return found


class AskKind(Kind[Ask]):
    line, verb = Ask, "ask"

    def step(self, line: Ask, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context.env)

    def makes(self, line: Ask, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, fields_of(line, carried), {})

    def check(self, line: Ask, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, carried)

    def check_document(self, line: Ask) -> None:
        check_keys(v.key for v in line.shown)

    def fillings(self, line: Ask) -> Iterator[Filling]:
        yield line.asking
        yield from (v.made.filling for v in line.shown if isinstance(v.made, Filled))

    def says(self, line: Ask, names: Mapping[int, str]) -> str:
        return "ask"


KIND = AskKind()
