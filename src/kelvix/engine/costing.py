"""What workflows cost in calls of apps: how many a month are expected by each connection, how many were made, and when the
calls that an app allows will have run out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from kelvix.core.limits import DAY, MONTH, Limit, calls_of_run, polls_a_month
from kelvix.core.values import as_text
from kelvix.engine import expecting
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions.polling import EVERY_WITH_PUSH
from kelvix.store import calls, connections, places
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.workflows import Kept

LOOKED_BACK = 30  # days
LATELY = 7  # whole days of which calls are averaged, where there were any before


@dataclass(frozen=True)
class Share:
    """What a workflow is expected to do in a month by a connection. `runs`: None where nothing says how many; `told_from` is
    how that is known."""

    workflow: int
    name: str
    runs: int | None
    told_from: str
    calls: int


@dataclass(frozen=True)
class Costs:
    """Of one connection. `made`: the calls of the last thirty days, by day in UTC; `had`: the runs of those who use it in that
    time; `limits`: as the app said last."""

    connection: int
    name: str
    app: str
    shares: tuple[Share, ...]
    made: Mapping[date, int]
    had: int
    limits: tuple[Limit, ...]

    @property
    def calls(self) -> int:
        """The calls that are expected in a month."""
        return sum(one.calls for one in self.shares)

    @property
    def runs(self) -> int:
        """The runs that are expected in a month, of workflows of which that can be told."""
        return sum(one.runs or 0 for one in self.shares)

    def a_day(self, now: datetime) -> float:
        """Return the calls of a day that are to be reckoned with: as many as are expected, or as there were lately, whichever
        are more."""
        today = now.date()
        days = {day: number for day, number in self.made.items() if today - timedelta(days=LATELY) <= day < today}
        lately = sum(days.values()) / len(days) if days else 0.0
        return max(self.calls / MONTH, lately)

    def run_out(self, now: datetime) -> tuple[Limit, datetime] | None:
        """Return the first limit of days whose calls will not last, and when they have run out."""
        a_day = self.a_day(now)
        found = ((one, at) for one in self.limits if one.is_long and (at := one.runs_out(a_day, now)))
        return min(found, key=lambda pair: pair[1], default=None)


def of_connections(
    t: Transaction, engine: Engine, space: Space, kept: Sequence[Kept], now: datetime, also: int | None = None
) -> dict[int, Costs]:
    """Return what workflows cost that are on, by connection; `also`: one that is reckoned with as though it were."""
    running = [w for w in kept if w.state == "on" or w.id == also]
    reached, known = places.connections(t, space.id), expecting.past(t, space, running)
    shares: dict[int, list[Share]] = {}
    had: dict[int, int] = {}
    connected = connections.list_all(t, space.id)
    accounts = {c.id: (c.app, c.server, c.account) for c in connected}
    polled: dict[object, int] = {}  # the workflow that has a place asked the most often; its calls are for all
    runs = {w.id: w.draft if w.id == also else w.running or w.draft for w in running}
    for w in sorted(running, key=lambda w: (runs[w.id].when.every, w.id)):
        if (when := runs[w.id].when).own is None and when.connection is not None:
            polled.setdefault((accounts.get(when.connection), when.container), w.id)
    for w in running:
        document = runs[w.id]
        when = document.when
        polls = polled.get((accounts.get(when.connection or 0), when.container)) == w.id
        number, told_from = expecting.a_month(space, w, known, now)
        for connection, each in calls_of_run(document, reached).items():
            needed = each * (number or 0)
            if polls and connection == when.connection:
                needed += polls_a_month(_every(engine, when.app, when.every))
            shares.setdefault(connection, []).append(Share(w.id, w.name, number, told_from, needed))
            had[connection] = had.get(connection, 0) + known.happened.get(w.id, 0)
    limits, made = calls.limits(t, space.id), calls.by_day(t, space.id, now.date() - timedelta(days=LOOKED_BACK))
    return {
        c.id: Costs(
            c.id,
            c.name,
            c.app,
            tuple(shares.get(c.id, ())),
            made.get(c.id, {}),
            had.get(c.id, 0),
            tuple(one.at(now) for one in limits.get(c.id, ())),
        )
        for c in connected
    }


def _every(engine: Engine, app: str, every: float) -> float:
    """Return how many seconds lie between the checks of a source: more where its app pushes."""
    found = engine.apps.get(app)
    return max(every, EVERY_WITH_PUSH) if found is not None and found.capabilities.push else every


@dataclass(frozen=True)
class RunningOut:
    """Calls or runs will not last. `sentence` says which, and until when; `advice` what to do."""

    at: datetime
    sentence: str
    advice: str


def running_out(engine: Engine, space: Space, costs: Costs, now: datetime) -> RunningOut | None:
    """Return what is to be said where the calls of a connection will not last."""
    found = costs.run_out(now)
    if found is None:
        return None
    limit, at = found
    advice = f"Check sources less often, or let fewer workflows use “{costs.name}”."
    app = engine.apps.get(costs.app)
    takes = f"{app.name if app else costs.app} allows {limit.most:,} calls in {_days(limit.window)}"
    if limit.left <= 0:
        said = f"{takes}, and all are used. Items are held until {_day(limit.resets, space)}, and run then"
        return RunningOut(at, said, advice)
    said = f"{takes}, and {limit.left:,} are left. At about {costs.a_day(now):,.0f} a day they run out on {_day(at, space)}"
    return RunningOut(at, said, advice)


def too_many_runs(t: Transaction, space: Space, kept: Sequence[Kept], now: datetime, also: int) -> RunningOut | None:
    """Return what is to be said where more runs are expected, with those of `also`, than the workspace may have."""
    running = [w for w in kept if w.state == "on" or w.id == also]
    known = expecting.past(t, space, running)
    a_day = sum(expecting.a_month(space, w, known, now)[0] or 0 for w in running) / MONTH
    if a_day <= space.limits.runs_a_day:
        return None
    said = f"About {a_day:,.0f} runs a day are expected, and this workspace allows {space.limits.runs_a_day:,} in 24 hours"
    return RunningOut(now, said, "Items beyond that are held and run later. Choose a narrower source, or add an Only if line.")


def _day(at: datetime, space: Space) -> str:
    return as_text(at.astimezone(space.zone).date(), space.zone)


def _days(seconds: int) -> str:
    days = round(seconds / DAY)
    return "24 hours" if days == 1 else f"{days} days"
