"""Kinds of line: one module each, found by its place; more of them from other Python packages, by entry points."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator, Mapping
from importlib.metadata import entry_points
from typing import Any

from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Filling, Line, Workflow

GROUP = "kelvix.lines"


def _found() -> dict[str, Kind[Any]]:
    """By verb. What a kind of another package does for real is found by the engine (engine/effects)."""
    modules = [importlib.import_module(f"{__name__}.{m.name}") for m in pkgutil.iter_modules(__path__)]
    kinds: list[Kind[Any]] = [m.KIND for m in modules if hasattr(m, "KIND")]
    kinds += [point.load() for point in entry_points(group=GROUP)]
    return {kind.verb: kind for kind in kinds}


KINDS = _found()


def kind_of(line: Line) -> Kind[Any]:
    return KINDS[line.verb]


def fillings_of(line: Line) -> Iterator[Filling]:
    """Yield all that is filled on a line."""
    return kind_of(line).fillings(line)


def connections_of(workflow: Workflow, places: Mapping[int, int]) -> set[int]:
    """Return the connections that a workflow reads, writes or sends by. `places`: those of places of apps, by number."""
    sends = {c for line in workflow.lines for c in kind_of(line).connections(line)}
    works = {places.get(kind_of(line).works_on(line) or 0) for line in workflow.lines}
    return {c for c in (*sends, *works, workflow.when.connection) if c is not None}
