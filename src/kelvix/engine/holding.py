"""What is held in the inbox goes on by itself: once its workflow is resumed, or its workspace has room for runs again."""

from __future__ import annotations

from functools import partial

from kelvix.engine.engine import Engine
from kelvix.store import inbox, usage
from kelvix.store.database_server import DatabaseServer

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


def count_runs(engine: Engine, workspace_id: int) -> None:
    """Note whether a workspace has had its runs of the last 24 hours; then what arrives is held."""
    space = engine.directory.open(workspace_id)
    if space.transact(partial(usage.count_runs, workspace_id=workspace_id, most=space.limits.runs_a_day)):
        engine.dispatch.announce(workspace_id, "workflows")
