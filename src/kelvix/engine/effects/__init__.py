"""What lines do for real: one module for each kind that acts, asks or is read back, by its verb, found by its place;
more of them from other Python packages, by entry points that are named like the verb."""

from __future__ import annotations

import importlib
import pkgutil
from importlib.metadata import entry_points
from typing import Any

from kelvix.core.workflow import Line
from kelvix.engine.effects.effect import Effect

GROUP = "kelvix.effects"


def _found() -> dict[str, Effect[Any]]:
    """By verb."""
    brought = {point.name: point.load() for point in entry_points(group=GROUP)}
    modules = [(m.name, importlib.import_module(f"{__name__}.{m.name}")) for m in pkgutil.iter_modules(__path__)]
    return {name: module.EFFECT for name, module in modules if hasattr(module, "EFFECT")} | brought


EFFECTS = _found()


def effect_of(line: Line) -> Effect[Any] | None:
    """Return what a line does for real; none of one that only decides or makes values."""
    return EFFECTS.get(line.verb)
