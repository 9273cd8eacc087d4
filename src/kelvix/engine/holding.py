"""What is held goes on by itself: once its workflow is resumed, or its workspace has room for runs again. Requests are held in
the inbox; what apps told of waits in the journal, where its consumer stands."""

from __future__ import annotations

from functools import partial

from kelvix.engine.engine import Engine
from kelvix.store import consumers, inbox, usage
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.inbox import Held

BATCH_SIZE = 100  # rows in one transaction


def let_go_on(engine: Engine, server: DatabaseServer) -> int:
    """Let held items that can go on become events: how many there were."""
    released = 0
    for workspace_id, workflow_id in server.read(inbox.can_go_on):
        some = server.transact(partial(inbox.release, workspace_id=workspace_id, workflow_id=workflow_id, limit=BATCH_SIZE))
        if some:
            engine.dispatch.announce(workspace_id, "ready", "workflows", f"workflow:{workflow_id}")
        released += some
    return released


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Held]:
    """Return what is held in a workspace, by workflow."""
    waits, found = inbox.by_workflow(t, workspace_id), consumers.held(t, workspace_id)
    for workflow_id, one in waits.items():
        more = found.get(workflow_id)
        found[workflow_id] = Held(one.count + more.count, min(one.since, more.since)) if more else one
    return found


def drop(t: Transaction, workspace_id: int, workflow_id: int) -> int:
    """Drop what is held of a workflow, as a person said: how much there was."""
    return inbox.drop(t, workspace_id, workflow_id) + consumers.drop(t, workspace_id, workflow_id)


def count_runs(engine: Engine, workspace_id: int) -> None:
    """Note whether a workspace has had its runs of the last 24 hours; then what arrives is held."""
    space = engine.directory.open(workspace_id)
    if space.transact(partial(usage.count_runs, workspace_id=workspace_id, most=space.limits.runs_a_day)):
        engine.dispatch.announce(workspace_id, "workflows")
