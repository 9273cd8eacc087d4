"""How many runs a month a workflow will have: from its own times, from what happened, from a backcast, or from when its newest
samples came, in this order."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from kelvix.core import schedule
from kelvix.core.workflow import Schedule
from kelvix.store import backcasts, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.workflows import Kept

DAYS = 30  # that are looked back on
FEWEST = timedelta(days=2)  # that are looked back on, before they say something
SAMPLES = 3  # at least, before they say something
MONTH = 30.44  # days


def a_month(t: Transaction, space: Space, kept: Kept, happened: Mapping[int, int], now: datetime) -> tuple[int | None, str]:
    """The number, and what it is told from. `happened`: the events of the last thirty days, by workflow."""
    own = kept.draft.when.own
    if isinstance(own, Schedule):
        return schedule.a_month(own, space.zone, now), "by its times"
    if kept.state == "on" and kept.turned_on_at and now - kept.turned_on_at > FEWEST:
        days = min(DAYS, (now - kept.turned_on_at) / timedelta(days=1))
        return round(happened.get(kept.id, 0) / days * MONTH), f"as in the last {round(days)} days"
    past = backcasts.latest(t, space.id, kept.id)
    if past and past.seen and past.oldest and past.newest:
        days = max((past.newest - past.oldest) / timedelta(days=1), MONTH)
        return round(past.seen / days * MONTH), "as its past events"
    return _by_samples(t, space, kept, now)


def _by_samples(t: Transaction, space: Space, kept: Kept, now: datetime) -> tuple[int | None, str]:
    """From the newest items of the source, which were fetched to build with: nobody needs to ask for it."""
    when = kept.draft.when
    if when.own is not None:
        return None, ""
    came = [
        s.item_at
        for s in workflows.samples(t, space.id, kept.id)
        if s.kind == "fetched" and (s.item.get("app"), s.item.get("container")) == (when.app, when.container_name)
    ]
    if len(came) < SAMPLES or now - min(came) < FEWEST:
        return None, ""
    return round(len(came) / ((now - min(came)) / timedelta(days=1)) * MONTH), f"as its newest {len(came)} came"
