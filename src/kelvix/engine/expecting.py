"""How many runs a month a workflow will have: from its own times, from what happened, from a backcast, or from when its newest
samples came, in this order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kelvix.core import schedule
from kelvix.core.limits import MONTH
from kelvix.core.values import Unfit
from kelvix.core.workflow import Schedule
from kelvix.store import backcasts, statistics, workflows
from kelvix.store.backcasts import Span
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.workflows import Kept

DAYS = 30  # that are looked back on
FEWEST = timedelta(days=2)  # that are looked back on, before they say something
SAMPLES = 3  # at least, before they say something


@dataclass(frozen=True)
class Past:
    """What is known of what happened, by workflow: the events of the last thirty days, the newest backcast, and when the
    samples came that were fetched from its source."""

    happened: Mapping[int, int]
    backcasts: Mapping[int, Span]
    came: Mapping[int, Sequence[datetime]]


def past(t: Transaction, space: Space, kept: Sequence[Kept]) -> Past:
    """Read it for these workflows."""
    sources = {w.id: (w.draft.when.app, w.draft.when.container_name) for w in kept if w.draft.when.own is None}
    return Past(
        statistics.by_workflow(t, space.id, DAYS),
        backcasts.spans(t, space.id, [w.id for w in kept]),
        workflows.fetched(t, space.id, sources),
    )


def a_month(space: Space, kept: Kept, known: Past, now: datetime) -> tuple[int | None, str]:
    """Return the number, and what it is told from."""
    own = kept.draft.when.own
    if isinstance(own, Schedule):
        try:
            return schedule.a_month(own, space.zone, now), "based on its schedule"
        except Unfit:  # half typed: what is wrong with it is said where it is edited
            return None, ""
    if kept.state == "on" and kept.turned_on_at and now - kept.turned_on_at > FEWEST:
        days = min(DAYS, (now - kept.turned_on_at) / timedelta(days=1))
        return round(known.happened.get(kept.id, 0) / days * MONTH), f"based on the last {round(days)} days"
    if looked := known.backcasts.get(kept.id):
        days = max((looked.newest - looked.oldest) / timedelta(days=1), MONTH)
        return round(looked.seen / days * MONTH), "based on past events"
    came = known.came.get(kept.id, ())  # the newest items of the source, which were fetched to build with
    if len(came) < SAMPLES or now - min(came) < FEWEST:
        return None, ""
    return round(len(came) / ((now - min(came)) / timedelta(days=1)) * MONTH), f"based on the latest {len(came)} items"
