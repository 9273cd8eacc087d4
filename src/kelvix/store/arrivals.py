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


@dataclass(frozen=True)
class To:
    """Whose events they are: of which version of a workflow, in which order carried, of which place; `scope` tells accounts
    apart (store/consumers.py)."""

    workspace: int
    workflow: int
    version: int
    order: str
    scope: str
    place: str


Told = tuple[Arrival, str, datetime | None]  # what arrived, how, and when

INSERT = (
    "INSERT IGNORE INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by, lane, catch_up_id, at) VALUES "
)
ROW = "(%s,%s,%s,%s,%s,%s,%s,%s, COALESCE(%s, NOW(3)))"


def _values(to: To, told: Told, lane: bytes | None, catch_up: int | None) -> list[object]:
    one, came_by, at = told
    known_by = one.digest(to.scope, to.place)
    return [to.workspace, to.workflow, to.version, known_by, one.item[:200], came_by, lane, catch_up, at]


def enter(t: Transaction, to: To, told: Told, catch_up: int | None = None) -> bool:
    """Within the caller's transaction, an event and the work that it makes: whether it is new."""
    lane = lanes.lane_of(to.order, to.workflow, told[0].item[:200])
    event = t.row(f"{INSERT}{ROW} RETURNING id", _values(to, told, lane, catch_up))
    if event is None:
        return False
    events.line_up(t, to.workspace, to.workflow, event["id"], lane, catch_up is not None)
    return True


def enter_all(t: Transaction, to: To, several: Sequence[Told]) -> None:
    """Do the same for several, together with the commit where they need not be lined up."""
    if to.order != "any":
        for told in several:
            enter(t, to, told)
        return
    if not several:
        return
    t.later("DO LAST_INSERT_ID(9223372036854775807)")  # so that where all are known, none is taken for new
    t.later(INSERT + ",".join([ROW] * len(several)), [part for told in several for part in _values(to, told, None, None)])
    marks = ",".join(["%s"] * len(several))
    t.later(
        "INSERT INTO ready (workspace_id, queue, event_id) SELECT workspace_id, workflow_id, id FROM event "
        f"WHERE workspace_id=%s AND workflow_id=%s AND digest IN ({marks}) AND id >= LAST_INSERT_ID() ORDER BY id",
        [to.workspace, to.workflow, *(one.digest(to.scope, to.place) for one, _, _ in several)],
    )


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
