"""Duplicating lines: a line with all that stands within it, referring to itself where the original does."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar, cast

from kelvix.core import formulas, nesting
from kelvix.core.feel import tree as t
from kelvix.core.lines import kind_of
from kelvix.core.workflow import BadDocument, Formula, Line, Workflow

NAMES_A_LINE = ("id", "within", "of", "line")
P = TypeVar("P")


def duplicated(workflow: Workflow, line_id: str, new_id: Callable[[], str]) -> tuple[Workflow, str]:
    """Return the workflow with a copy of a line below it, and the copy's id. Raises BadDocument."""
    line = workflow.line(line_id)
    if line is None or kind_of(line).fixed:
        raise BadDocument("only lines below the When line can be duplicated, and a decision has one Otherwise line")
    part = [line, *nesting.descendants(workflow, line)]
    ids = {one.id: new_id() for one in part}
    copies: list[Line] = [_renamed(one, ids) for one in part]
    end = workflow.lines.index(line) + len(part)
    return Workflow((*workflow.lines[:end], *copies, *workflow.lines[end:])), ids[line_id]


def _renamed(part: P, ids: Mapping[str, str]) -> P:
    """Return a part of a line with other ids in place of some."""
    if isinstance(part, Formula) and part.tree:
        return replace(part, tree=t.dump(_in_formula(formulas.loaded(part.tree), ids)))
    if isinstance(part, tuple):
        parts: Any = tuple(_renamed(p, ids) for p in part)
        return cast(P, parts)
    if not is_dataclass(part) or isinstance(part, type):
        return part
    changed: dict[str, Any] = {}
    for f in fields(part):
        value = getattr(part, f.name)
        changed[f.name] = ids.get(value, value) if f.name in NAMES_A_LINE and isinstance(value, str) else _renamed(value, ids)
    return replace(part, **changed)


def _in_formula(node: t.Node, ids: Mapping[str, str]) -> t.Node:
    def renamed(part: Any) -> Any:
        if isinstance(part, t.Value):
            return t.Value(ids.get(part.line, part.line), part.key)
        if isinstance(part, tuple):
            return tuple(renamed(p) for p in part)
        if not is_dataclass(part) or isinstance(part, type):
            return part
        return replace(part, **{f.name: renamed(getattr(part, f.name)) for f in fields(part)})

    found: t.Node = renamed(node)
    return found
