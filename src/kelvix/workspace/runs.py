"""Runs: the list, one with all that is recorded of it, and leaving failed ones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from kelvix.core.not_found import NotFoundError
from kelvix.core.workflow import Workflow
from kelvix.engine import recovering
from kelvix.store import places, runs, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.runs import Attempt, Run, RunLine
from kelvix.workspace import Space

__all__ = ["Attempt", "Run", "RunLine"]
BATCH_SIZE = 1_000  # runs that are taken up again at once
Lines = Mapping[tuple[str, str], RunLine]  # by line and place


@dataclass(frozen=True)
class Detail:
    """`document` is the version that ran; `field_names` names all fields by their id."""

    run: Run
    lines: Lines
    document: Workflow
    item: dict[str, Any] | None
    attempts: list[Attempt]
    field_names: dict[str, str]


def page(
    space: Space,
    workflow: int | None,
    state: str | None,
    since: date | None,
    until: date | None,
    words: str,
    before: int | None,
    limit: int,
) -> tuple[list[tuple[Run, Lines]], int | None]:
    """Return runs with their lines, the newest first, and the cursor of the following page. `since` and `until` are days of the
    workspace."""
    begin = datetime.combine(since, time(), space.zone) if since else None
    end = datetime.combine(until + timedelta(days=1), time(), space.zone) if until else None
    sought = runs.Sought(workflow, state, begin, end, words)

    def work(t: Transaction) -> tuple[list[tuple[Run, Lines]], int | None]:
        found, onward = runs.page(t, space.id, sought, before, limit)
        lines = runs.lines(t, space.id, [r.id for r in found])
        return [(r, lines[r.id]) for r in found], onward

    return space.read(work)


def get(space: Space, run_id: int) -> Detail:
    """Return a run with all that is recorded of it. Raises NotFoundError."""

    def work(t: Transaction) -> Detail:
        found = runs.get(t, space.id, run_id)
        if found is None:
            raise NotFoundError("run not found")
        _, document = workflows.version(t, space.id, found.version_id)
        names = {str(f.id): f.name for d in places.load_all(t, space.id).values() for f in d.fields}
        lines = runs.lines(t, space.id, [run_id])[run_id]
        item, attempts = runs.item(t, space.id, run_id), runs.attempts(t, space.id, run_id)
        return Detail(found, lines, document, item, attempts, names)

    return space.read(work)


def leave(space: Space, run_id: int) -> int:
    """Leave a failed run as it is: it needs nobody any more. Raises NotFoundError."""

    def work(t: Transaction) -> int:
        found = runs.get(t, space.id, run_id)
        if found is None:
            raise NotFoundError("run not found")
        return runs.leave(t, space.id, found.workflow_id, run_id)

    return space.transact(work)


def leave_failed(space: Space, workflow_id: int) -> int:
    """Leave all failed runs of a workflow as they are: how many there were."""
    return space.transact(lambda t: runs.leave(t, space.id, workflow_id, None))


def take_up_failed(space: Space, workflow_id: int) -> int:
    """Take failed runs of a workflow up again, each after its last finished line: how many."""
    return recovering.take_up(space, space.read(lambda t: runs.failed_of(t, space.id, workflow_id, BATCH_SIZE)))
