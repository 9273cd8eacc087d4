"""The trial grid: what every line does with a sample, computed without writing anything.

The engine decides with the same functions when a run is real, so that a rehearsal and a run cannot disagree.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from kelvix.core import nesting
from kelvix.core.cells import Cell, count_of
from kelvix.core.context import Context
from kelvix.core.filling import Carried, ListRow
from kelvix.core.lines import kind_of
from kelvix.core.lines.held import Deciding, Repeating
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, End, GoOn, Leave, NotReached, PassBy, Problem, ReadFirst
from kelvix.core.steps import carried_from_item, step
from kelvix.core.values import Unfit, Value
from kelvix.core.walking import LEFT, Place, Walk, Ways
from kelvix.core.workflow import Line, Reference, Workflow

SHOWN_ROUNDS = 20  # of what is repeated, that a rehearsal goes through


@dataclass(frozen=True)
class Rehearsed:
    """What became of a sample: a cell for each line in their order, how the whole ended, and the values that the lines made. Of
    what is repeated, one round is shown: the first that is not right, else the first."""

    cells: list[Cell]
    end: str
    values: Mapping[Reference, Value]
    carried: Carried


class _Rehearsal(Walk):
    """Below a line that stops the sample, lines are not reached; below one that is not right yet, they are still shown what
    they would do."""

    def __init__(self, workflow: Workflow, context: Context):
        super().__init__(workflow)
        self.context = context
        self.cells: dict[str, Cell] = {}
        self.values: dict[Reference, Value] = {}
        self._rounds: dict[str, list[tuple[dict[str, Cell], dict[Reference, Value]]]] = {}
        self._of: dict[str, int] = {}  # rows of a list, of which some only are gone through
        self._waits = False

    def keep(self, cell: Cell) -> Cell:
        """Note a cell; while something is still being read, what is not right may be only that."""
        self._waits = self._waits or isinstance(cell.would, ReadFirst)
        if self._waits and isinstance(cell.would, Problem | PassBy | Leave):
            cell = Cell(cell.line, ReadFirst(), "waiting for data")
        self.cells[cell.line] = cell
        return cell

    def line(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        cell, carried = step(line, carried, self.context)
        cell = self.keep(settled(cell, line))
        self.values |= {ref: value for ref, value in carried.values.items() if ref.line == line.id}
        return carried, end_of(cell)

    def decide(
        self, kind: Deciding[Any], line: Line, ways: Ways, carried: Carried, place: Place
    ) -> tuple[str | None, Carried, str]:
        choice = kind.choose(line, ways, carried, self.context.env)
        for cell in choice.cells:
            self.keep(cell)
        self.values[Reference(line.id, "way")] = choice.name or None
        return choice.taken, kind.below(line, choice.name, carried), ""

    def rows(self, kind: Repeating[Any], line: Line, carried: Carried, place: Place) -> tuple[tuple[ListRow, ...], str]:
        if kind.list_of(line, carried) is None:
            ready = kind.is_ready(line)
            gone = "the list is no longer available" if ready else "choose a list"
            self.keep(Cell(line.id, Problem() if ready else UNREADY, gone))
            return (), ""
        try:
            rows = kind.rows_of(line, carried)
        except Unfit as unfit:
            self.keep(Cell(line.id, Problem(), str(unfit)))
            return (), ""
        self.keep(Cell(line.id, GoOn("rounds"), "empty list" if not rows else count_of(len(rows), "time", "times")))
        self._of[line.id] = len(rows)
        return rows[:SHOWN_ROUNDS], ""

    def round(self, line: Line, carried: Carried, place: Place) -> tuple[Carried, str]:
        before = self.cells, self.values
        self.cells, self.values = {}, {ref: v for ref, v in carried.values.items() if ref.line == line.id}
        inner, end = super().round(line, carried, place)
        self._rounds.setdefault(line.id, []).append((self.cells, self.values))
        self.cells, self.values = before
        if end:
            self._show_round(line)
        return inner, end

    def round_done(
        self, kind: Repeating[Any], line: Line, number: int, of: int, inner: Carried, carried: Carried, place: Place
    ) -> tuple[tuple[str, ...], str]:
        try:
            return kind.collected(line, inner, self.context.env), ""
        except Unfit as unfit:
            self.keep(Cell(line.id, Problem(), str(unfit)))
            return (), ""

    def repeated(
        self, kind: Repeating[Any], line: Line, rounds: int, collected: tuple[str, ...], carried: Carried, place: Place
    ) -> Carried:
        self._show_round(line)
        below = kind.after(line, self._of.get(line.id, rounds), collected, carried)
        self.values |= {Reference(line.id, f.key): below.values.get(Reference(line.id, f.key)) for f in kind.after_fields}
        return below

    def _show_round(self, line: Line) -> None:
        """Show the cells of the round that most wants a look, each saying in how many rounds its line is not right."""
        rounds = self._rounds.pop(line.id, [])
        if not rounds:
            return
        wrong = {id: sum(_wrong(r[0].get(id, cell)) for r in rounds) for id, cell in rounds[0][0].items()}
        at, (cells, values) = next(((n, r) for n, r in enumerate(rounds, 1) if any(map(_wrong, r[0].values()))), (1, rounds[0]))
        for id, cell in cells.items():
            self.cells[id] = replace(cell, round=at, rounds=len(rounds), wrong_rounds=wrong.get(id, 0))
        self.values |= values
        if any(wrong.values()) and not _wrong(self.cells[line.id]):
            number = sum(any(map(_wrong, r[0].values())) for r in rounds)
            note = f"{self.cells[line.id].note}, {number} with problems"
            self.cells[line.id] = replace(self.cells[line.id], note=note)


def _wrong(cell: Cell) -> bool:
    return isinstance(cell.would, Problem) and cell.would != UNREADY


def settled(cell: Cell, line: Line) -> Cell:
    """Within another line, what passes a sample by leaves only what stands there with it."""
    return replace(cell, would=Leave()) if isinstance(cell.would, PassBy) and line.within else cell


def end_of(cell: Cell) -> str:
    """How a cell ends what is gone through, if it does."""
    match cell.would:
        case Leave():
            return LEFT
        case End(how=how):
            return how
        case PassBy():
            return "passed_by"
    return ""


def rehearse(workflow: Workflow, item: Mapping[str, object], context: Context) -> list[Cell]:
    """Return a cell for each line."""
    return rehearse_whole(workflow, item, context).cells


def rehearse_whole(workflow: Workflow, item: Mapping[str, object], context: Context) -> Rehearsed:
    """Return what every line would do with a sample."""
    walk = _Rehearsal(workflow, context)
    carried, end = walk.through("", carried_from_item(workflow, context, item), ())
    cells = [walk.cells.get(line.id) or Cell(line.id, NotReached()) for line in workflow.lines]
    return Rehearsed(cells, end or "done", walk.values, carried)


def carried_to(workflow: Workflow, line: str, item: Mapping[str, object], context: Context) -> Carried:
    """Return what a line can use of a sample, whichever way the sample goes; in the first round of what is repeated. Its own
    values, and those of the lines within it, are among it where it sees them."""
    carried = carried_from_item(workflow, context, item)
    one = workflow.line(line)
    lines = nesting.above(workflow, line)
    if one is not None and kind_of(one).sees != "above":
        lines.append(one)
        lines += nesting.within(workflow, one.id)
    inside = {*(nesting.ancestors(workflow, one) if one else ()), line}
    for above in lines:
        match kind_of(above):
            case Kind(is_way=True):
                pass
            case Deciding() as kind:
                carried = kind.below(above, "", carried)
            case Repeating() as kind:
                found = kind.list_of(above, carried)
                if above.id not in inside or found is None:
                    carried = kind.after(above, 0, (), carried)
                else:
                    rows = kind.rows_of(above, carried)[:1]
                    carried = kind.inside(above, carried, context)
                    carried = kind.enter(above, found, 1, rows[0], carried) if rows else carried
            case _:
                _, carried = step(above, carried, context)
    return carried
