"""Events that items of apps make, each once: that one arrived, or one of its later changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from kelvix.store import events, lanes
from kelvix.store.database_server import Row, Transaction
from kelvix.store.secrets import digest


@dataclass(frozen=True)
class Arrival:
    """What an app tells of: the arrival of an item, or one of its later changes, by number."""

    item: str
    revision: int = 0

    @staticmethod
    def of(item: str, told: str, revision: int, kinds: Sequence[str]) -> Arrival | None:
        """Return what a change is to who listens to these kinds; none where it starts nothing. An item that comes back is a
        change of it to who listens to changes, and nothing new to who does not."""
        if told not in kinds:
            return None
        arrives = told == "new" and (revision <= 1 or tuple(kinds) == ("new",))
        return Arrival(item, 0 if arrives else revision)

    def digest(self, scope: str, place: str) -> bytes:
        """Return what makes two tellings the same event: the arrival of this item at this place, or this change of it. `scope`
        tells accounts apart (store/consumers.py)."""
        what = (self.item, self.revision) if self.revision else (self.item,)
        return digest("changes" if self.revision else "arrives", *((scope,) if scope else ()), place, *what)


def enter(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    scope: str,
    place: str,
    one: Arrival,
    came_by: str,
    at: datetime | None = None,
    catch_up: int | None = None,
) -> bool:
    """Within the caller's transaction, an event and the work that it makes: whether it is new."""
    item = one.item[:200]
    lane = lanes.lane_of(events.order_of(t, workspace_id, workflow_id), workflow_id, item)
    event = t.row(
        "INSERT IGNORE INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by, lane, catch_up_id, at) "
        "VALUES (%s,%s,%s,%s,%s,%s,%s,%s, COALESCE(%s, NOW(3))) RETURNING id",
        (workspace_id, workflow_id, version_id, one.digest(scope, place), item, came_by, lane, catch_up, at),
    )
    if event is None:
        return False
    events.line_up(t, workspace_id, workflow_id, event["id"], lane, catch_up is not None)
    return True


def known(
    t: Transaction, workspace_id: int, workflow_id: int, scope: str, place: str, several: Sequence[Arrival]
) -> set[Arrival]:
    """Return those that were taken in."""
    by_digest = {one.digest(scope, place): one for one in several}
    if not by_digest:
        return set()
    marks = ",".join(["%s"] * len(by_digest))
    rows = t.rows(
        f"SELECT digest FROM event WHERE workspace_id=%s AND workflow_id=%s AND digest IN ({marks})",
        (workspace_id, workflow_id, *by_digest),
    )
    return {by_digest[r["digest"]] for r in rows}


def event_of(t: Transaction, workspace_id: int, workflow_id: int, scope: str, place: str, item: str) -> Row | None:
    """Return the event of an item's arrival."""
    return t.row(
        "SELECT id, came_by, at FROM event WHERE workspace_id=%s AND workflow_id=%s AND digest=%s",
        (workspace_id, workflow_id, Arrival(item).digest(scope, place)),
    )
