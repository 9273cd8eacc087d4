"""Wait lines: until when a run rests. Days go by the workspace's clock on the wall, also over a change to or from summer time;
hours and minutes are as long as they are."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Literal

from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import coerce
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import GoOn, Problem, Rest
from kelvix.core.values import Unfit, as_text
from kelvix.core.workflow import Filling, Line


@dataclass(frozen=True)
class Wait(Line):
    """Let a run rest: for a span; until the moment that `filling` gives; or until the next working hour, `days` being 1 for
    Monday to 7 for Sunday, `begins` and `ends` the workspace's time."""

    id: str
    kind: Literal["span", "moment", "working"] = "span"
    amount: int = 1
    unit: Literal["minutes", "hours", "days", "weeks"] = "hours"
    filling: Filling = ()
    days: tuple[int, ...] = (1, 2, 3, 4, 5)
    begins: str = "09:00"
    ends: str = "17:00"
    within: str = ""
    verb: Literal["wait"] = "wait"


MAX_WAIT = timedelta(days=366)
CLOCK = re.compile(r"([01][0-9]|2[0-3]):[0-5][0-9]")


def _wall(moment: datetime, env: Env) -> datetime:
    """Return a moment on the workspace's clock, without its zone."""
    return moment.astimezone(env.zone).replace(tzinfo=None)


def _moment(wall: datetime, env: Env) -> datetime:
    """Return the moment at which the workspace's clock shows this. An hour that summer time leaves out comes an hour later;
    of an hour that comes twice it is the first (PEP 495, fold=0)."""
    return wall.replace(tzinfo=env.zone).astimezone(UTC)


def until(line: Wait, since: datetime, carried: Carried, env: Env) -> datetime:
    """When a run that reached this line at `since` goes on; not later than that where there is nothing to wait for. Raises
    Unfit."""
    match line.kind:
        case "span":
            if not 1 <= line.amount <= 10_000:
                raise Unfit("enter a whole number of minutes, hours, days or weeks")
            if line.unit in ("days", "weeks"):
                days = line.amount * (7 if line.unit == "weeks" else 1)
                found = _moment(_wall(since, env) + timedelta(days=days), env)
            else:
                found = since + (timedelta(hours=line.amount) if line.unit == "hours" else timedelta(minutes=line.amount))
        case "moment":
            value = coerce(compute(line.filling, carried, env), "datetime", env.zone, (), env.order)
            if value is None:
                raise Unfit("the time to wait for is empty in this item")
            assert isinstance(value, datetime)
            found = value
        case "working":
            found = _working(line, since, env)
    if found - since > MAX_WAIT:
        raise Unfit(f"it would wait until {as_text(found, env.zone)}; a run can wait one year at most")
    return found.astimezone(UTC)


def _hours(line: Wait) -> tuple[time, time]:
    """Return the hours between which a run goes on. Raises Unfit."""
    if not (CLOCK.fullmatch(line.begins) and CLOCK.fullmatch(line.ends)):
        raise Unfit("write working hours like 09:00 and 17:00")
    begins, ends = time.fromisoformat(line.begins), time.fromisoformat(line.ends)
    if begins >= ends or not line.days or not set(line.days) <= set(range(1, 8)):
        raise Unfit("choose at least one working day, and a start before the end")
    return begins, ends


def _working(line: Wait, since: datetime, env: Env) -> datetime:
    begins, ends = _hours(line)
    wall = _wall(since, env)
    for later in range(8):
        day = wall.date() + timedelta(days=later)
        if day.isoweekday() not in line.days:
            continue
        opens, closes = datetime.combine(day, begins), datetime.combine(day, ends)
        if later == 0 and opens <= wall < closes:
            return since
        if opens > wall:
            return _moment(opens, env)
    raise AssertionError("there is a working day within a week")


def words(line: Wait) -> str:
    """Return what is waited for, in words."""
    match line.kind:
        case "span":
            return f"{line.amount} {line.unit[:-1] if line.amount == 1 else line.unit}"
        case "moment":
            return "until a time"
        case "working":
            return f"until working hours, {line.begins} to {line.ends}"


def check(line: Wait, carried: Carried, env: Env) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    if line.kind != "moment":
        try:
            until(line, env.now, carried, env)
        except Unfit as unfit:
            return [Finding(line.id, str(unfit))]
        return []
    if not is_filled(line.filling):
        return [Finding(line.id, "enter a time to wait for")]
    if any(ref not in carried.fields for ref in references(line.filling)):
        return [Finding(line.id, "this waits for a value that is not available here. Choose another")]
    if any(p.formula is not None and not p.formula.tree for p in line.filling):
        return [Finding(line.id, "the formula for the time has an error")]
    return []


def step(line: Wait, carried: Carried, env: Env) -> Cell:
    """Until when a run that came here now would rest."""
    try:
        due = until(line, env.now, carried, env)
    except Unfit as unfit:
        return Cell(line.id, Problem(), str(unfit))
    if due <= env.now:
        return Cell(line.id, GoOn(), "no wait needed")
    return Cell(line.id, Rest(due), f"until: {as_text(due, env.zone)}")


class WaitKind(Kind[Wait]):
    line, verb = Wait, "wait"

    def step(self, line: Wait, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context.env), carried

    def check(self, line: Wait, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, carried, context.env)

    def fillings(self, line: Wait) -> Iterator[Filling]:
        yield line.filling

    def says(self, line: Wait, names: Mapping[int, str]) -> str:
        return f"wait {words(line)}"


KIND = WaitKind()
