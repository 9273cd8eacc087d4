"""Stop lines: how they end a run, and why."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import End
from kelvix.core.values import Unfit, as_text, shorten
from kelvix.core.workflow import Filling, Line


@dataclass(frozen=True)
class Stop(Line):
    """Ends the run, in one of the ways in which runs end; `saying` is why."""

    id: str
    how: Literal["done", "passed_by", "failed"] = "passed_by"
    saying: Filling = ()
    within: str = ""
    verb: Literal["stop"] = "stop"


ENDS = {"done": "done", "passed_by": "skipped", "failed": "failed"}


def step(line: Stop, carried: Carried, env: Env) -> Cell:
    """Return what a Stop line says with a sample. That it cannot be said does not keep a run from ending."""
    try:
        said = as_text(compute(line.saying, carried, env), env.zone) if line.saying else ""
    except Unfit as unfit:
        said = str(unfit)
    reason = shorten(said, 200)
    return Cell(line.id, End(line.how, reason), f"{ENDS[line.how]}: {reason}" if reason else ENDS[line.how])


def check(line: Stop, carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    if line.how == "failed" and not is_filled(line.saying):
        return [Finding(line.id, "enter a reason, so people know what to do")]
    if any(ref not in carried.fields for ref in references(line.saying)):
        return [Finding(line.id, "the reason uses a value that is not available here")]
    if any(p.formula is not None and not p.formula.tree for p in line.saying):
        return [Finding(line.id, "the formula in the reason has an error")]
    return []


class StopKind(Kind[Stop]):
    line, verb = Stop, "stop"
    stays = True

    def step(self, line: Stop, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context.env), carried

    def check(self, line: Stop, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, carried)

    def fillings(self, line: Stop) -> Iterator[Filling]:
        yield line.saying


KIND = StopKind()
