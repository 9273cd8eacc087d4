"""What changed in a workspace, for those who look on."""

from __future__ import annotations

from functools import partial

from kelvix.engine.engine import Engine
from kelvix.store import changes
from kelvix.store.changes import Touched

__all__ = ["Touched"]


def before(engine: Engine, workspace_id: int, seconds: float, most: int) -> int:
    """Return the number of the change so many seconds ago, or of as many changes ago."""
    return engine.directory.open(workspace_id).read(lambda t: changes.before_moment(t, workspace_id, seconds, most))


def reached(engine: Engine, workspace_id: int) -> dict[str, int]:
    """Return the numbers that only go up, by what they count."""
    return engine.directory.open(workspace_id).read(lambda t: changes.reached(t, workspace_id))


def since(engine: Engine, workspace_id: int, seq: int, limit: int) -> list[Touched]:
    """Return the changes after one, in their order."""
    space = engine.directory.open(workspace_id)
    return space.read(partial(changes.touched, workspace_id=workspace_id, seq=seq, limit=limit))
