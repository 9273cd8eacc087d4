"""Kinds of line: one module each, found by its place."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator
from typing import Any

from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Filling, Line, Workflow


def _found() -> dict[str, Kind[Any]]:
    """By verb."""
    modules = [importlib.import_module(f"{__name__}.{m.name}") for m in pkgutil.iter_modules(__path__)]
    return {m.KIND.verb: m.KIND for m in modules if hasattr(m, "KIND")}


KINDS = _found()


def kind_of(line: Line) -> Kind[Any]:
    return KINDS[line.verb]


def fillings_of(line: Line) -> Iterator[Filling]:
    """Yield all that is filled on a line."""
    return kind_of(line).fillings(line)


def connections_of(workflow: Workflow) -> set[int]:
    """Return the connections that a workflow reads or sends by."""
    sends = {c for line in workflow.lines for c in kind_of(line).connections(line)}
    return {c for c in (*sends, workflow.when.connection) if c is not None}
