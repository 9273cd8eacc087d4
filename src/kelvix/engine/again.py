"""Running something again: from the line that failed, or from the start.

The cause was mended in one of two places. Where it was in the workflow, a run goes on as the version that is live now, if
what it finished is the same there; else, and where nothing was changed, as the version that it began with.
"""

from __future__ import annotations

from kelvix.core.not_found import NotFoundError
from kelvix.core.outcome import UNDER_WAY, Failed
from kelvix.core.workflow import Workflow
from kelvix.engine import undoing
from kelvix.engine.engine import Engine
from kelvix.engine.undoing import Undone
from kelvix.store import runs, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space


class CannotRepeat(Exception):
    """The message says why, and what to do."""


def same_so_far(before: Workflow, now: Workflow, finished: set[str]) -> bool:
    """Whether all lines that a run finished stand in another version as they were, in the same order."""
    kept = [line for line in before.lines if line.id in finished or line is before.when]
    return kept == [line for line in now.lines if any(line.id == k.id for k in kept)]


def _live(t: Transaction, space: Space, workflow_id: int) -> tuple[int, Workflow] | None:
    kept = workflows.get(t, space.id, workflow_id)
    if kept is None or kept.live is None:
        return None
    return kept.live, workflows.version(t, space.id, kept.live)[1]


def from_failed(space: Space, run_id: int) -> int:
    """Take a failed run up after its last finished line: the number of the version as which it goes on. Raises
    NotFoundError, CannotRepeat."""

    def work(t: Transaction) -> int:
        run = runs.get(t, space.id, run_id)
        if run is None:
            raise NotFoundError("run not found")
        number, before = workflows.version(t, space.id, run.version_id)
        recorded = runs.lines(t, space.id, [run_id])[run_id].values()
        done = {r.line for r in recorded if not isinstance(r.outcome, Failed) and r.outcome.code not in UNDER_WAY}
        live = _live(t, space, run.workflow_id)
        version = run.version_id
        if live and live[0] != version and same_so_far(before, live[1], done):
            version, number = live[0], workflows.version(t, space.id, live[0])[0]
        if not runs.again(t, space.id, run_id, version):
            raise CannotRepeat("only a failed run can continue from its failed line. Run it again from the start instead")
        return number

    return space.transact(work)


def from_start(engine: Engine, space: Space, run_id: int, undo: bool, person: str) -> tuple[int, Undone | None]:
    """Run an item again from the first line, as the version that is live now: the new run, and what was undone first. Raises
    NotFoundError, CannotRepeat."""
    run = space.read(lambda t: runs.get(t, space.id, run_id))
    if run is None:
        raise NotFoundError("run not found")
    if run.pruned:
        raise CannotRepeat("this run’s content has expired. Process the item by catching up instead")
    if run.kind == "try":
        raise CannotRepeat("this was a try. Try the sample again instead")
    if run.state not in runs.ENDED:
        raise CannotRepeat("this run is still running. Wait until it has ended")
    undone = undoing.undo_run(engine, space, run_id, person) if undo and run.undone_at is None else None

    def work(t: Transaction) -> int:
        live = _live(t, space, run.workflow_id)
        return runs.repeat(t, space.id, run_id, live[0] if live else run.version_id)

    return space.transact(work), undone
