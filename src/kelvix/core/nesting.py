"""Which lines stand within which: the ways of a decision, and what is repeated.

A document is read from the top; a line that stands within another follows it, before the next line that does not.
"""

from __future__ import annotations

from collections.abc import Iterable

from kelvix.core.lines import kind_of
from kelvix.core.workflow import BadDocument, Line, Workflow

MAX_DEPTH_OF_VALUES = 6  # levels of lines within lines


def within(workflow: Workflow, block: str) -> tuple[Line, ...]:
    """Return the lines that stand directly within a line, in order; those within none for an empty id."""
    return tuple(line for line in workflow.lines if line.within == block)


def ancestors(workflow: Workflow, line: Line) -> list[str]:
    """Return the ids of the lines that a line stands within, the nearest first."""
    by_id = {ln.id: ln for ln in workflow.lines}
    found: list[str] = []
    at = line.within
    while at in by_id and at not in found:
        found.append(at)
        at = by_id[at].within
    return found


def descendants(workflow: Workflow, line: Line) -> list[Line]:
    """Return the lines that stand within a line, at any depth; they follow it."""
    inside = {line.id}
    found: list[Line] = []
    for one in workflow.lines[workflow.lines.index(line) + 1 :]:
        if one.within not in inside:
            break
        inside.add(one.id)
        found.append(one)
    return found


def above(workflow: Workflow, line_id: str) -> list[Line]:
    """Return the lines that have been carried out wherever a line begins, from the top: those before it on its own level, and
    on the levels that it stands within, these lines themselves included."""
    line = workflow.line(line_id)
    if line is None:
        return list(within(workflow, ""))
    context = ["", *ancestors(workflow, line)]
    before = workflow.lines[: workflow.lines.index(line)]
    return [ln for ln in before if ln.within in context and not (kind_of(ln).is_way and ln.id not in context)]


def check(lines: Iterable[Line]) -> None:
    """Check how lines stand within others. Raises BadDocument where lines do not stand where they can."""
    open_: list[Line] = []  # the lines that the next one can stand within, the outermost first
    ended: set[str] = set()  # decisions that have their last way
    decides: list[str] = []
    for line in lines:
        inside = line.within
        while open_ and open_[-1].id != inside:
            open_.pop()
        if inside and not open_:
            raise BadDocument("a line inside another must follow it")
        holder = open_[-1] if open_ else None
        kind, holds = kind_of(line), kind_of(holder).holds if holder else "nothing"
        if kind.is_way:
            if holder is None or holds != "ways":
                raise BadDocument("a branch belongs to a Decide line")
            if holder.id in ended:
                raise BadDocument("the Otherwise line is the last of a decision")
            if kind.is_last:
                ended.add(holder.id)
        elif holds == "ways":
            raise BadDocument("lines in a decision must be in one of its branches")
        if len(open_) > MAX_DEPTH_OF_VALUES * 2:
            raise BadDocument(f"lines can be nested at most {MAX_DEPTH_OF_VALUES} levels deep")
        if kind.holds == "ways":
            decides.append(line.id)
        if kind.holds != "nothing":
            open_.append(line)
    if len(ended) != len(decides):
        raise BadDocument("a decision ends with an Otherwise line")
