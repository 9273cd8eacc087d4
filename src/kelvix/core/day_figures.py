"""Figures of runs by the day: how many, how well, how fast."""

from __future__ import annotations

import statistics
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo


@dataclass(frozen=True)
class Ended:
    """A run: `seconds` from its beginning to its end, none where it has not ended."""

    state: str
    at: datetime
    seconds: float | None


@dataclass(frozen=True)
class Day:
    """`success` is the share of those that were carried or failed, none on a day without; delays are in seconds."""

    day: date
    done: int
    passed_by: int
    failed: int
    others: int
    success: float | None
    usual_delay: float | None
    long_delay: float | None

    @property
    def total(self) -> int:
        return self.done + self.passed_by + self.failed + self.others


def nearest_rank(values: list[float], share: float) -> float | None:
    """Return the value below which a share of the others lies, by the nearest-rank method."""
    if not values:
        return None
    ranked = sorted(values)
    return ranked[max(0, -(-int(share * 100) * len(ranked) // 100) - 1)]


def figures(day: date, runs: list[Ended]) -> Day:
    states = [r.state for r in runs]
    done, failed, passed_by = (states.count(s) for s in ("done", "failed", "passed_by"))
    delays = [r.seconds for r in runs if r.seconds is not None and r.state == "done"]
    return Day(
        day,
        done,
        passed_by,
        failed,
        len(runs) - done - failed - passed_by,
        done / (done + failed) if done + failed else None,
        statistics.median(delays) if delays else None,
        nearest_rank(delays, 0.95),
    )


def by_day(runs: Iterable[Ended], zone: ZoneInfo, today: date, days: int) -> list[Day]:
    """One for each day, the oldest first, days without runs among them."""
    kept: dict[date, list[Ended]] = {today - timedelta(days=n): [] for n in reversed(range(days))}
    for run in runs:
        day = run.at.astimezone(zone).date()
        if day in kept:
            kept[day].append(run)
    return [figures(day, of) for day, of in kept.items()]
