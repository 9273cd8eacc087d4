"""Undoing what a run wrote in our own databases."""

from __future__ import annotations

from dataclasses import dataclass

from kelvix.collections import undo
from kelvix.collections.write import Actor
from kelvix.core.not_found import NotFoundError
from kelvix.engine.engine import Engine
from kelvix.store import changes, runs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Origin


@dataclass(frozen=True)
class Undone:
    """How many changes were undone, how many of these put a record into the trash, and why others were not."""

    undone: int
    trashed: int
    kept: tuple[str, ...]


def undo_run(engine: Engine, space: Space, run_id: int, person: str) -> Undone:
    """Undo a run's changes, the last first. What was changed again since stays, and is said. Raises NotFoundError."""

    def work(t: Transaction) -> Undone:
        made = changes.of_run(t, space.id, run_id)
        if not runs.mark_undone(t, space.id, run_id):
            raise NotFoundError("there is no such run, or it was undone already")
        undone, trashed, kept = 0, 0, []
        for change in reversed(made):
            try:
                undo.undo(t, space.id, change.seq, Actor(Origin(person=person, undoes=change.seq)), run_id)
                undone += 1
                trashed += change.kind == "add"
            except (undo.CannotUndo, NotFoundError) as why:
                kept.append(str(why))
        for line in runs.lines(t, space.id, [run_id])[run_id].values():
            if line.outcome.stays:
                kept.append(line.outcome.stays)
        return Undone(undone, trashed, tuple(kept))

    result = space.transact(work)
    engine.dispatch.announce(space.id, "runs", "records")
    return result
