"""What workflows cost in calls and runs: seen on a connection, and warned of before a workflow is turned on."""

from __future__ import annotations

from datetime import UTC, datetime

from kelvix.core import limits
from kelvix.engine import costing
from kelvix.engine.costing import Costs, RunningOut
from kelvix.engine.engine import Engine
from kelvix.store import calls, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.workflows import Kept
from kelvix.workspace import Space, connections


def of_connection(engine: Engine, space: Space, connection_id: int) -> tuple[Costs, RunningOut | None]:
    """Return what a connection costs, with the calls of this moment, and what is to be said where they will not last. Raises
    NotFoundError."""
    connections.get(space, connection_id)
    engine.tallies.write()
    now = datetime.now(UTC)
    costs = space.read(lambda t: costing.of_connections(t, engine, space, workflows.list_all(t, space.id), now))[connection_id]
    return costs, costing.running_out(engine, space, costs, now)


def bearable_pause(engine: Engine, space: Space, connection_id: int) -> int:
    """Return how many seconds between checks of a source the limits of its app bear, as far as they are known."""
    engine.tallies.write()
    return limits.bearable_pause(space.read(lambda t: calls.limits(t, space.id)).get(connection_id, ()))


def before_turning_on(engine: Engine, space: Space, kept: Kept) -> list[RunningOut]:
    """Return what will not last once a workflow is turned on beside those that are on."""
    engine.tallies.write()
    now = datetime.now(UTC)

    def work(t: Transaction) -> list[RunningOut | None]:
        all_of_them = workflows.list_all(t, space.id)
        costs = costing.of_connections(t, engine, space, all_of_them, now, kept.id).values()
        used = [c for c in costs if any(share.workflow == kept.id for share in c.shares)]
        found = [costing.running_out(engine, space, c, now) for c in used]
        return [*found, costing.too_many_runs(t, space, all_of_them, now, kept.id)]

    return [one for one in space.read(work) if one is not None]
