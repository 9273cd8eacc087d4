"""Versions of workflows, which never change, so that each is read once."""

from __future__ import annotations

from kelvix.core.workflow import Workflow
from kelvix.store import workflows
from kelvix.store.directory import Space


class Versions:
    def __init__(self) -> None:
        self._known: dict[tuple[int, int], Workflow] = {}

    def get(self, space: Space, version_id: int) -> Workflow:
        """Return the workflow of a version. Raises NotFoundError."""
        key = (space.id, version_id)
        if key not in self._known:
            self._known[key] = space.read(lambda t: workflows.version(t, space.id, version_id))[1]
        return self._known[key]
