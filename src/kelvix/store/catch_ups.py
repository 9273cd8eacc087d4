"""Catch-ups: chosen past items that are carried for real, with how far they have come."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from kelvix.core.values import FieldId
from kelvix.store import arrivals, events
from kelvix.store.arrivals import Arrival, To
from kelvix.store.database_server import Row, Transaction

State = Literal["running", "paused", "done", "undone"]
Recognises = dict[str, tuple[FieldId, ...]]  # by an Add line's id, the fields by which a record is known


@dataclass(frozen=True)
class CatchUp:
    """`account`: in which its items lie, where that is not the first that its workflow listened to."""

    id: int
    workspace_id: int
    workflow_id: int
    version_id: int
    container: str
    recognises: Recognises
    state: State
    total: int
    by_person: str
    started_at: datetime
    ended_at: datetime | None
    account: str


@dataclass(frozen=True)
class Progress:
    """How many items are still to come, were carried before, and how the runs of the others are: `there` of those that are done
    found all their records there already."""

    to_come: int
    known: int
    on_the_way: int
    done: int
    passed_by: int
    failed: int
    there: int


def _catch_up(row: Row) -> CatchUp:
    recognises = {line: tuple(map(str, fields)) for line, fields in json.loads(row["recognises"]).items()}
    return CatchUp(**(row | {"recognises": recognises}))


def start(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    account: str,
    container: str,
    recognises: Recognises,
    items: Sequence[Arrival],
    person: str,
) -> int:
    made = t.insert(
        "INSERT INTO catch_up (workspace_id, workflow_id, version_id, account, container, recognises, total, by_person) "
        "VALUES (%s,%s,%s,%s,%s,%s,%s,%s)",
        (workspace_id, workflow_id, version_id, account, container, json.dumps(recognises), len(items), person[:200]),
    )
    t.many(
        "INSERT INTO catch_up_item (catch_up_id, position, item_id, revision) VALUES (%s,%s,%s,%s)",
        [(made, n, one.item[:200], one.revision) for n, one in enumerate(items)],
    )
    return made


def get(t: Transaction, workspace_id: int, catch_up_id: int, lock: bool = False) -> CatchUp | None:
    row = t.row(
        "SELECT * FROM catch_up WHERE workspace_id=%s AND id=%s" + (" FOR UPDATE" if lock else ""), (workspace_id, catch_up_id)
    )
    return _catch_up(row) if row else None


def latest(t: Transaction, workspace_id: int, workflow_id: int) -> CatchUp | None:
    row = t.row(
        "SELECT * FROM catch_up WHERE workspace_id=%s AND workflow_id=%s ORDER BY id DESC LIMIT 1", (workspace_id, workflow_id)
    )
    return _catch_up(row) if row else None


def running(t: Transaction) -> list[CatchUp]:
    return [_catch_up(r) for r in t.rows("SELECT * FROM catch_up WHERE state='running' ORDER BY id LIMIT 100")]


def set_state(t: Transaction, one: CatchUp, state: State) -> None:
    t.execute(
        "UPDATE catch_up SET state=%s, ended_at=IF(%s IN ('done','undone'), NOW(3), NULL) WHERE workspace_id=%s AND id=%s",
        (state, state, one.workspace_id, one.id),
    )


def progress(t: Transaction, one: CatchUp) -> Progress:
    items = {
        r["state"]: r["n"]
        for r in t.rows("SELECT state, COUNT(*) AS n FROM catch_up_item WHERE catch_up_id=%s GROUP BY state", (one.id,))
    }
    ended = {
        r["state"]: r["n"]
        for r in t.rows(
            "SELECT state, COUNT(*) AS n FROM run WHERE catch_up_id=%s AND workspace_id=%s AND finished_at IS NOT NULL "
            "GROUP BY state",
            (one.id, one.workspace_id),
        )
    }
    there = t.row(
        "SELECT COUNT(DISTINCT r.id) AS n FROM run r JOIN run_line l ON l.run_id = r.id AND l.outcome='there' "
        "WHERE r.catch_up_id=%s AND r.workspace_id=%s AND r.state='done' "
        "AND NOT EXISTS (SELECT 1 FROM run_line a WHERE a.run_id = r.id AND a.outcome='added')",
        (one.id, one.workspace_id),
    )
    assert there
    return Progress(
        items.get("to_come", 0),
        items.get("known", 0),
        items.get("fed", 0) - sum(ended.values()),
        ended.get("done", 0),
        ended.get("passed_by", 0),
        ended.get("failed", 0),
        int(there["n"]),
    )


def feed(t: Transaction, one: CatchUp, number: int) -> int:
    """Make events of the next items: how many were looked at. What was carried before is not carried again."""
    rows = t.rows(
        "SELECT position, item_id, revision FROM catch_up_item WHERE catch_up_id=%s AND state='to_come' ORDER BY position "
        "LIMIT %s FOR UPDATE",
        (one.id, number),
    )
    order = events.order_of(t, one.workspace_id, one.workflow_id)
    to = To(one.workspace_id, one.workflow_id, one.version_id, order, one.account, one.container)
    for row in rows:
        new = arrivals.enter(t, to, (Arrival(row["item_id"], row["revision"]), "catch_up", None), one.id)
        t.execute(
            "UPDATE catch_up_item SET state=%s WHERE catch_up_id=%s AND position=%s",
            ("fed" if new else "known", one.id, row["position"]),
        )
    return len(rows)


def runs_of(t: Transaction, one: CatchUp) -> list[int]:
    """Return the runs that can be undone, the newest first."""
    return [
        r["id"]
        for r in t.rows(
            "SELECT id FROM run WHERE catch_up_id=%s AND workspace_id=%s AND undone_at IS NULL AND state IN ('done','failed') "
            "ORDER BY id DESC",
            (one.id, one.workspace_id),
        )
    ]


def known_items(
    t: Transaction, workspace_id: int, workflow_id: int, items: Sequence[str]
) -> dict[str, tuple[Literal["carried", "failed", "tried"], int | None]]:
    """Which items were carried before, or failed, or are in a try that was not undone; each with its newest run."""
    if not items:
        return {}
    marks = ",".join(["%s"] * len(items))
    tried = t.rows(
        f"SELECT item_id, MAX(id) AS run FROM run WHERE workspace_id=%s AND workflow_id=%s AND kind='try' AND state='done' "
        f"AND undone_at IS NULL AND item_id IN ({marks}) GROUP BY item_id",
        (workspace_id, workflow_id, *items),
    )
    carried = t.rows(
        "SELECT e.item_id, r.id AS run, r.state FROM event e LEFT JOIN run r ON r.event_id = e.id "
        f"WHERE e.workspace_id=%s AND e.workflow_id=%s AND e.item_id IN ({marks}) ORDER BY e.id, r.id",
        (workspace_id, workflow_id, *items),
    )
    found: dict[str, tuple[Literal["carried", "failed", "tried"], int | None]]
    found = {r["item_id"]: ("tried", r["run"]) for r in tried}
    for row in carried:  # the newest run of an item says how it went
        found[row["item_id"]] = ("failed" if row["state"] == "failed" else "carried", row["run"])
    return found
