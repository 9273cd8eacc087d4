"""What failed because of a connection is taken up again by itself, all of it together, once that connection is well: after a
token was renewed, or an app came back."""

from __future__ import annotations

from functools import partial

import structlog

from kelvix.connectors.contract import Passing, Standing
from kelvix.engine import again
from kelvix.engine.engine import Engine
from kelvix.store import connections, runs
from kelvix.store.directory import Space

AT_ONCE = 200  # runs at a look; the app's pace is kept by whoever carries them
log = structlog.stdlib.get_logger(__name__)


def recover(engine: Engine, workspace_id: int) -> int:
    """Take up again what failed because of a connection that is well now: how many runs."""
    space = engine.directory.open(workspace_id)
    waiting = space.read(partial(runs.failed_by_connection, workspace_id=workspace_id))
    total = 0
    for connection_id in sorted(waiting):
        if _is_well(engine, space, connection_id):
            total += take_up(space, waiting[connection_id][:AT_ONCE])
    if total:
        log.info("runs are taken up again, since their connection is well", workspace=workspace_id, runs=total)
        engine.dispatch.announce(workspace_id, "ready", "runs", "needs")
    return total


def take_up(space: Space, run_ids: list[int]) -> int:
    """Take failed runs up again, each after its last finished line: how many there were."""
    taken = 0
    for run_id in run_ids:
        try:
            again.from_failed(space, run_id)
            taken += 1
        except (LookupError, again.CannotRepeat):  # somebody else did, or it was deleted
            continue
    return taken


def _is_well(engine: Engine, space: Space, connection_id: int) -> bool:
    """Say whether a connection is good, and its app answers it."""
    kept = space.read(lambda t: connections.get(t, space.id, connection_id))
    if kept is None or kept.state not in ("good", "expiring"):
        return False
    try:
        app, token = engine.access(space, connection_id)
        app.look(token)
    except Standing as failure:
        engine.note_failure(space, connection_id, failure)
        return False
    except Passing:
        return False
    return True
