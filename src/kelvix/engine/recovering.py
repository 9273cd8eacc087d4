"""What waits for a connection goes on by itself once that is well: after access was renewed, or an app came back. What failed
because of it is taken up again, all of it together; its workflows look at once, and are told of what arrives as before."""

from __future__ import annotations

from functools import partial

import structlog

from kelvix.core.collection import Health, PermanentError, TransientError
from kelvix.core.not_found import NotFoundError
from kelvix.engine import again
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import pushes
from kelvix.store import connections, runs, subscriptions, upkeep
from kelvix.store.directory import Space

BATCH_SIZE = 200  # runs at a look; the app's pace is kept by whoever carries them
log = structlog.stdlib.get_logger(__name__)


def recover(engine: Engine, workspace_id: int) -> int:
    """Take up again what failed because of a connection that is well now, and let its workflows look: how many runs. One
    question to the app stands for all who wait for it."""
    space = engine.directory.open(workspace_id)
    waiting = space.read(partial(runs.failed_by_connection, workspace_id=workspace_id))
    failing = {c.id for c in space.read(lambda t: connections.list_all(t, space.id)) if c.state == "failing"}
    total = 0
    for connection_id in sorted(waiting.keys() | failing):
        if look(engine, space, connection_id) is not None:
            total += take_up(space, waiting.get(connection_id, [])[:BATCH_SIZE])
    if total:
        log.info("retrying runs: their connection works again", workspace=workspace_id, runs=total)
        engine.dispatch.announce(workspace_id, "ready", "runs", "needs")
    return total


def take_up(space: Space, run_ids: list[int]) -> int:
    """Take failed runs up again, each after its last finished line: how many there were."""
    taken = 0
    for run_id in run_ids:
        try:
            again.from_failed(space, run_id)
            taken += 1
        except (NotFoundError, again.CannotRepeat):  # somebody else did, or it was deleted
            continue
    return taken


def look(engine: Engine, space: Space, connection_id: int) -> Health | None:
    """Ask an app what a connection sees, and note the answer: None where it is not well."""
    kept = space.read(lambda t: connections.get(t, space.id, connection_id))
    if kept is None or kept.state not in connections.WORKING:
        return None
    try:
        return see(engine, space, connection_id)
    except (TransientError, PermanentError):
        return None


def see(engine: Engine, space: Space, connection_id: int) -> Health:
    """Ask an app what a connection sees, and note the answer. Raises TransientError, PermanentError."""
    account = engine.account(space, connection_id)
    try:
        health = account.check()
    except PermanentError as failure:
        engine.note_failure(space, connection_id, failure)
        raise
    except TransientError as failure:
        why = str(failure)
        space.transact(lambda t: connections.note_failing(t, space.id, connection_id, why))
        raise
    was_refused = space.transact(lambda t: connections.mark(t, space.id, connection_id, "good", None))
    news = space.transact(
        lambda t: connections.saw(t, space.id, connection_id, [c.id for c in health.places], health.may_write)
    )
    if engine.pacer.note_answer(space, connection_id) or was_refused or news:
        engine.dispatch.announce(space.id, "connections", "ready")
    return health


def before_renewal(engine: Engine, space: Space, connection_id: int) -> None:
    """End the pushes that were agreed on by the old access, while that is still known: else the app would go on with them."""
    for one in space.read(lambda t: subscriptions.list_on(t, space.id, connection_id)):
        pushes.end(engine, space, one)


def renewed(engine: Engine, space: Space, connection_id: int) -> None:
    """Let all who use a connection take its new access at once: pushes are asked for anew, since those of the old access ended
    with it, sources are looked at, and what failed is taken up."""
    space.transact(lambda t: connections.take_up(t, space.id, connection_id))
    for one in space.read(lambda t: subscriptions.list_on(t, space.id, connection_id)):
        pushes.ask(engine, space, one)
    space.transact(lambda t: upkeep.bring_forward(t, "recover"))
    engine.dispatch.announce(space.id, "connections", "workflows", "ready")
