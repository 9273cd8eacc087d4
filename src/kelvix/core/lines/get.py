"""Get lines: one record or item, by its link or its identity, wherever that comes from."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from kelvix.core.cells import Answer, Cell, Finding, PartResult
from kelvix.core.context import Context
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.finding import Question
from kelvix.core.lines import find
from kelvix.core.lines.find import Find
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, GoOn, Outcome, PassBy, Plan, Problem, ReadFirst
from kelvix.core.schema import is_outside
from kelvix.core.values import Unfit, as_text, shorten
from kelvix.core.workflow import Filling, Line, Reference

MAX_LINK = 2_000  # characters


@dataclass(frozen=True)
class Get(Line):
    """Get the record that `what` leads to: its link, or its number or identity. `none`: whether a sample goes on where there is
    none."""

    id: str
    database: int | None = None
    what: Filling = ()
    none: Literal["go_on", "stop"] = "go_on"
    within: str = ""
    verb: Literal["get"] = "get"


def as_find(line: Get) -> Find:
    """Return the line that carries on the same: what one record is found with."""
    return Find(line.id, line.database, none=line.none, within=line.within)


class GetKind(Kind[Get]):
    line, verb = Get, "get"
    stays = True

    def works_on(self, line: Get) -> int | None:
        return line.database

    def is_local(self, line: Get) -> bool:
        return not is_outside(line.database)

    def step(self, line: Get, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        database = context.databases.get(line.database) if line.database is not None else None
        if database is None:
            why = "choose a database" if line.database is None else "its database was deleted"
            return Cell(line.id, UNREADY if line.database is None else Problem(), why), carried
        none = Answer(0, None, {}, context.env.now)
        empty = find.carry_found(as_find(line), database, none, carried, context)
        if not is_filled(line.what):
            return Cell(line.id, UNREADY, f"enter a link to {database.a_record}"), empty
        try:
            text = as_text(compute(line.what, carried, context.env), context.env.zone).strip()
        except Unfit as unfit:
            wrong = PartResult("what", "put_right", None, str(unfit))
            return Cell(line.id, Problem(), shorten(str(unfit), 120), parts=(wrong,)), empty
        part = PartResult("what", "fits", text) if text else PartResult("what", "empty", None, "is empty in this item")
        answer = context.find(Question(database.id, "all", (), "newest", identity=text[:MAX_LINK])) if text else none
        if answer is None:
            return Cell(line.id, ReadFirst(), "loading", parts=(part,)), empty
        if answer.problem:
            return Cell(line.id, Problem(), shorten(answer.problem, 120), parts=(part,), answer=answer), empty
        would: Plan = GoOn("found") if answer.count else PassBy() if line.none == "stop" else GoOn("found_none")
        below = find.carry_found(as_find(line), database, answer, carried, context)
        return Cell(
            line.id, would, find.said(as_find(line), database, answer, context.env), parts=(part,), answer=answer
        ), below

    def makes(self, line: Get, carried: Carried, context: Context) -> Carried:
        database = context.databases.get(line.database) if line.database is not None else None
        return find.known_below(as_find(line), database, carried) if database else carried

    def check(self, line: Get, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        if line.database is None or line.database not in context.databases:
            lost = "the database of this line was deleted. Choose another"
            return [Finding(line.id, "choose a database" if line.database is None else lost)]
        if not is_filled(line.what):
            return [Finding(line.id, "enter a link, or choose a value that is one", key="what")]
        if any(ref not in carried.fields for ref in references(line.what)):
            return [Finding(line.id, "the link uses a value that is not available here", key="what")]
        return []

    def fillings(self, line: Get) -> Iterator[Filling]:
        yield line.what

    def looks_at(self, line: Get) -> Iterable[Reference]:
        return references(line.what)

    def says(self, line: Get, names: Mapping[int, str]) -> str:
        return f"get a record of {names.get(line.database or 0, 'a database')} by its link"

    def outcome(self, line: Get, cell: Cell, code: str, context: Context) -> Outcome:
        return find.recorded(cell.answer, code, context.databases[line.database or 0], context)


KIND = GetKind()
