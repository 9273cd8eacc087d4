"""Shape lines: named values that are made for the lines below."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

from kelvix.core import shaping
from kelvix.core.cells import Cell, Finding, PartResult, count_of
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.filling import Carried, Remedy, is_filled, references
from kelvix.core.lines.kind import Kind, check_keys
from kelvix.core.outcome import GoOn, Outcome, Problem
from kelvix.core.outcome import Shaped as Made
from kelvix.core.schema import CarriedField
from kelvix.core.values import Unfit, Value, as_text, shorten, to_wire
from kelvix.core.workflow import DatePart, Filled, Filling, Formula, Line, Part, Reference, Shaped


@dataclass(frozen=True)
class Shape(Line):
    """Makes named values for the lines below."""

    id: str
    values: tuple[Shaped, ...] = ()
    within: str = ""
    verb: Literal["shape"] = "shape"


class ShapeKind(Kind[Shape]):
    line, verb = Shape, "shape"
    stays = True
    sees = "own"

    def step(self, line: Shape, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return _step(line, carried, context.env)

    def makes(self, line: Shape, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, fields_of(line, carried), {})

    def check(self, line: Shape, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return _check(line, carried)

    def check_document(self, line: Shape) -> None:
        check_keys(v.key for v in line.values)

    def fillings(self, line: Shape) -> Iterator[Filling]:
        yield from (v.made.filling for v in line.values if isinstance(v.made, Filled))

    def outcome(self, line: Shape, cell: Cell, code: str, context: Context) -> Outcome:
        values = {r.key: to_wire(r.value) for r in cell.parts}
        return Made(code, {v.name: values.get(v.key) for v in line.values})


def fields_of(line: Shape, carried: Carried) -> tuple[CarriedField, ...]:
    """Return what a Shape line makes, with the types that can be told without a sample."""
    types = dict(carried.types)
    made: list[CarriedField] = []
    for value in line.values:
        type_ = shaping.type_of(value, types)
        types[line.id, value.key] = type_
        made.append(CarriedField(value.key, (value.name or "Unnamed",), type_))
    return tuple(made)


def _step(line: Shape, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    """Each value can use those before it on the same line."""
    results: list[PartResult] = []
    for value, field in zip(line.values, fields_of(line, carried), strict=True):
        made: Value = None
        try:
            made = shaping.shape(value, field.type, carried, env)
            result = PartResult(
                value.key, "fits" if made is not None else "empty", made, "" if made is not None else "is empty"
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


def _check(line: Shape, carried: Carried) -> list[Finding]:
    if not line.values:
        return [Finding(line.id, "this line has no value. Add one, or remove the line")]
    found: list[Finding] = []
    known = set(carried.fields)
    for value in line.values:
        if not value.name.strip():
            found.append(Finding(line.id, "this value needs a name", key=value.key))
        try:
            node = shaping.formula(value.made)
        except Unfit as unfit:
            found.append(Finding(line.id, str(unfit), key=value.key))
            continue
        filling = (
            value.made.filling if isinstance(value.made, Filled) else (Part(formula=Formula(t.dump(node))),) if node else ()
        )
        if isinstance(value.made, Filled) and not is_filled(filling):
            found.append(Finding(line.id, "fill this value", key=value.key))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, "this formula has an error", key=value.key))
        if any(ref not in known for ref in references(filling)):
            found.append(Finding(line.id, "this uses a value that is not available here", key=value.key))
        known.add(Reference(line.id, value.key))
    return found


KIND = ShapeKind()
