"""Run another workflow: what is handed to it, by the names that it declares."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from kelvix.core.cells import Cell, Finding, PartResult
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import coerce
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, Problem, StartWorkflow
from kelvix.core.sources import CanRun
from kelvix.core.values import Unfit, Value, shorten
from kelvix.core.workflow import Filling, Given, Line


@dataclass(frozen=True)
class RunAnother(Line):
    """Start another workflow, one that takes requests, with the values that it declares."""

    id: str
    workflow: int | None = None
    given: tuple[Given, ...] = ()
    within: str = ""
    verb: Literal["run_another"] = "run_another"


def given_of(line: RunAnother, key: str) -> Given:
    return next((g for g in line.given if g.key == key), Given(key))


def values(line: RunAnother, to: CanRun, carried: Carried, env: Env) -> tuple[dict[str, Value], tuple[PartResult, ...]]:
    """Return what is handed over, by name, and what each value comes to."""
    handed: dict[str, Value] = {}
    parts: list[PartResult] = []
    for one in to.inputs:
        filling = given_of(line, one.key).filling
        try:
            value = coerce(compute(filling, carried, env), one.type, env.zone, (), env.order, grows=True) if filling else None
            if value is None and one.required:
                raise Unfit(f"{one.key} is required")
            handed[one.key] = value
            parts.append(PartResult(one.key, "fits" if value is not None else "empty", value))
        except Unfit as unfit:
            parts.append(PartResult(one.key, "put_right", None, str(unfit)))
    return handed, tuple(parts)


def step(line: RunAnother, others: Mapping[int, CanRun], carried: Carried, env: Env) -> Cell:
    """Return what would be handed over with a sample."""
    to = others.get(line.workflow or 0)
    if to is None:
        said = (
            "choose a workflow to run" if line.workflow is None else "its workflow was deleted, or no longer accepts requests"
        )
        return Cell(line.id, UNREADY if line.workflow is None else Problem(), said)
    _, parts = values(line, to, carried, env)
    wrong = [p.sentence for p in parts if p.state == "put_right"]
    if wrong:
        return Cell(line.id, Problem(), shorten(wrong[0], 120), parts=parts)
    return Cell(line.id, StartWorkflow(), f"runs: {shorten(to.name, 60)}", parts=parts)


def check(line: RunAnother, others: Mapping[int, CanRun], carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    to = others.get(line.workflow or 0)
    if to is None:
        lost = "this workflow was deleted, or no longer accepts requests. Choose another"
        return [Finding(line.id, "choose a workflow to run" if line.workflow is None else lost)]
    found: list[Finding] = []
    for one in to.inputs:
        filling = given_of(line, one.key).filling
        if one.required and not is_filled(filling):
            found.append(Finding(line.id, f"{one.key} is required", key=one.key))
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, f"{one.key} is filled with a value that is not available here", key=one.key))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, f"the formula for {one.key} has an error", key=one.key))
    return found


class RunAnotherKind(Kind[RunAnother]):
    line, verb = RunAnother, "run_another"
    acts = True

    def step(self, line: RunAnother, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, context.others, carried, context.env), carried

    def check(
        self, line: RunAnother, carried: Carried, context: Context, within: Callable[[], Carried | None]
    ) -> list[Finding]:
        return check(line, context.others, carried)

    def fillings(self, line: RunAnother) -> Iterator[Filling]:
        yield from (g.filling for g in line.given)

    def says(self, line: RunAnother, names: Mapping[int, str]) -> str:
        return "run another workflow"


KIND = RunAnotherKind()
