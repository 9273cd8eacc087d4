"""What is told of workflows beside what they are: read for all of them in as many journeys as for one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kelvix.engine import expecting, holding
from kelvix.store import connections, consumers, journal, listening, places, runs, subscriptions, usage
from kelvix.store.consumers import Consumer
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.inbox import Held
from kelvix.store.listening import Listening
from kelvix.store.subscriptions import Subscription
from kelvix.store.workflows import Kept

RECENT = 30  # runs whose states are shown


@dataclass(frozen=True)
class Overview:
    """All by workflow, but for the databases' names, the connections that apps refuse, how often subscriptions are checked, and
    whether the workspace has had its runs of a day. `delay`: how late changes of the one that was asked for are read."""

    consumers: Mapping[int, Consumer]
    subscriptions: Mapping[int, Subscription]
    listens: Mapping[int, Listening]
    held: Mapping[int, Held]
    recent: Mapping[int, list[str]]
    past: expecting.Past
    names: Mapping[int, str]
    refused: frozenset[int]
    is_over: bool
    every: Mapping[int, int]
    delay: float | None


def collect(t: Transaction, space: Space, kept: Sequence[Kept]) -> Overview:
    """Read what is told of these workflows."""
    held = holding.by_workflow(t, space.id)
    listened = subscriptions.by_workflow(t, space.id)
    of = listened.get(kept[0].id) if len(kept) == 1 else None
    return Overview(
        consumers.by_workflow(t, space.id),
        listened,
        listening.by_workflow(t, space.id),
        held,
        runs.recent_states(t, space.id, [w.id for w in kept], RECENT),
        expecting.past(t, space, kept),
        places.names(t, space.id),
        frozenset(c.id for c in connections.list_all(t, space.id) if c.state == "refused") if held else frozenset(),
        bool(held) and usage.is_over(t, space.id),
        consumers.every_by_subscription(t, space.id),
        journal.delay(t, of.id) if of else None,
    )
