"""How many calls an app takes: what it declares, how many a workflow makes, and when they will have run out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from kelvix.core.lines import kind_of
from kelvix.core.workflow import Workflow

DAY = 86_400  # seconds
MONTH = 30.44  # days
PAUSES = (20, 60, 300, 900, 3_600, DAY)  # seconds: what is usually chosen between checks of a source
READ_FIRST = 2  # calls of a line that changes an item: it is read right before it is written


@dataclass(frozen=True)
class Limit:
    """An app takes `most` calls in each `window` of seconds; `left` of them, until `resets`, as it said last."""

    name: str
    most: int
    window: int
    left: int
    resets: datetime

    @property
    def is_long(self) -> bool:
        """Whether it is of days, so that it must be lived within; others are waited for."""
        return self.window >= DAY

    def at(self, now: datetime) -> Limit:
        """Return what of it is known by now: once it was reset, all its calls are left."""
        if now < self.resets:
            return self
        windows = (now - self.resets) // timedelta(seconds=self.window) + 1
        return Limit(self.name, self.most, self.window, self.most, self.resets + windows * timedelta(seconds=self.window))

    def runs_out(self, a_day: float, now: datetime) -> datetime | None:
        """Return when its calls will have been made, at so many a day; None where they last."""
        known = self.at(now)
        if known.left <= 0:
            return now
        if a_day <= 0:
            return None
        if (at := now + timedelta(days=known.left / a_day)) < known.resets:
            return at
        lasts = timedelta(days=known.most / a_day)  # whether they do in the times after this
        return known.resets + lasts if lasts < timedelta(seconds=known.window) else None


def wait(limits: tuple[Limit, ...], now: datetime) -> float:
    """Return for how many seconds no call is to be made, since the next one would be refused."""
    return max((((one.resets - now).total_seconds()) for one in limits if one.at(now).left <= 0), default=0.0)


def bearable_pause(limits: tuple[Limit, ...]) -> int:
    """Return the shortest usual pause between checks of a source, in seconds, that leaves half of the calls of the limits of
    days for runs."""
    needed = max((2 * one.window / one.most for one in limits if one.is_long), default=0.0)
    return next((pause for pause in PAUSES if pause >= needed), PAUSES[-1])


def polls_a_month(every: float) -> int:
    """Return how many calls it takes to ask a source every so many seconds."""
    return round(MONTH * DAY / every)


def calls_of_run(workflow: Workflow, places: Mapping[int, int]) -> Counter[int]:
    """Return how many calls a run makes by each connection, where it comes to each line once: its item is read, and each line
    reads or writes. `places`: the connections of places of apps, by number."""
    calls: Counter[int] = Counter()
    if workflow.when.own is None and workflow.when.connection is not None:
        calls[workflow.when.connection] += 1
    for line in workflow.lines:
        kind = kind_of(line)
        calls.update(c for c in kind.connections(line) if c is not None)
        if (there := places.get(kind.works_on(line) or 0)) is not None:
            calls[there] += READ_FIRST if kind.acts else 1
    return calls
