"""When a source that usually speaks has fallen silent: judged by the gaps between its own events, and by nothing else.

The longest gap so far holds nights, weekends and holidays that the source keeps; a silence half as long again is unlike it.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise

FEWEST = 8  # gaps, before anything is taken for usual
MAX_GAPS = 100  # gaps that are looked at, the newest
LONGER = 1.5
SHORTEST = timedelta(hours=1)  # no silence is shorter


@dataclass(frozen=True)
class Silence:
    """Since when nothing came, how often something comes at usual times, and how long it was silent at most."""

    since: datetime
    usual: timedelta
    longest: timedelta


def measure(times: Sequence[datetime], now: datetime) -> Silence | None:
    """Whether a source is silent, by the times of its events in any order; None where it is not, or nothing is usual yet."""
    known = sorted(times)[-MAX_GAPS - 1 :]
    gaps = [after - before for before, after in pairwise(known)]
    if len(gaps) < FEWEST:
        return None
    longest = max(gaps)
    if now - known[-1] <= max(SHORTEST, longest * LONGER):
        return None
    return Silence(known[-1], timedelta(seconds=statistics.median(g.total_seconds() for g in gaps)), longest)


def words(span: timedelta) -> str:
    """Return a span in the largest unit that it has two of: 36 hours, 3 days."""
    seconds = span.total_seconds()
    for size, unit in ((86_400 * 7, "weeks"), (86_400, "days"), (3600, "hours"), (60, "minutes")):
        if seconds >= 1.95 * size:  # a hair less than two hours is no 120 minutes
            return f"{round(seconds / size)} {unit}"
    return f"{max(1, round(seconds))} seconds"
