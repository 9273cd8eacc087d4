"""Consumers: workflows that listen to what happens at a place of an account, or to the records of a database, each with how far
it has read: in the journal of the subscription (store/journal.py), or in the log of changes (store/changes.py). The sides of
mirrors are consumers too (store/mirror_consumers.py)."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from kelvix.store.arrivals import To
from kelvix.store.database_server import Row, Transaction
from kelvix.store.inbox import Held
from kelvix.store.journal import SourceChange

COLUMNS = (
    "id, workspace_id, workflow_id, version_id, state, subscription_id, connection_id, database_id, account, kinds, read_to, "
    "cursor_from, since, note, looks"
)
# Of a consumer `c`: it reads on. Not while it is off or paused, its connection refused, or its workspace has had its runs.
CAN_READ = (
    "c.state='on' AND COALESCE((SELECT u.is_over FROM workspace_usage u WHERE u.workspace_id=c.workspace_id), 0)=0 "
    "AND COALESCE((SELECT a.state FROM connection a WHERE a.id=c.connection_id), '')<>'refused'"
)


@dataclass(frozen=True)
class Consumer:
    """It listens to a subscription or to a database; neither where it never did. `account`: the first that it listened to.
    `cursor_from` is where the app's changes stood at `since`, when it began to listen, in whichever version. `note` says what
    was seen and not taken, and why. `looks`: what changed is told to it by comparing (core/watching.py)."""

    id: int
    workspace_id: int
    workflow_id: int
    version_id: int | None
    state: str
    subscription_id: int | None
    connection_id: int | None
    database_id: int | None
    account: str | None
    kinds: str
    read_to: int
    cursor_from: str | None
    since: datetime | None
    note: dict[str, Any]
    looks: int

    def scope(self, account: str | None) -> str:
        """Return what tells its events of this account from those of the first, in which items may have the same identities."""
        return "" if account is None or self.account in (None, account) else account


def _consumer(row: Row) -> Consumer:
    return Consumer(**(row | {"note": json.loads(row["note"]) if row["note"] else {}}))


def of_workflow(t: Transaction, workspace_id: int, workflow_id: int) -> Consumer | None:
    row = t.row(f"SELECT {COLUMNS} FROM consumer WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))
    return _consumer(row) if row else None


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Consumer]:
    """By workflow."""
    rows = t.rows(f"SELECT {COLUMNS} FROM consumer WHERE workspace_id=%s AND workflow_id IS NOT NULL", (workspace_id,))
    return {r["workflow_id"]: _consumer(r) for r in rows}


def of_subscription(t: Transaction, workspace_id: int, subscription_id: int) -> list[Consumer]:
    """Return those that are on or paused."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM consumer WHERE workspace_id=%s AND subscription_id=%s AND state<>'off' "
        "AND workflow_id IS NOT NULL",
        (workspace_id, subscription_id),
    )
    return [_consumer(r) for r in rows]


def know(t: Transaction, workspace_id: int, workflow_id: int, account: str) -> Consumer:
    """Return a workflow's consumer; one that never listened to an account has this as its first."""
    t.execute(
        "INSERT INTO consumer (workspace_id, workflow_id, state, account) VALUES (%s,%s,'off',%s) "
        "ON DUPLICATE KEY UPDATE account=COALESCE(account, VALUES(account))",
        (workspace_id, workflow_id, account),
    )
    found = of_workflow(t, workspace_id, workflow_id)
    assert found
    return found


def listen_to_place(
    t: Transaction,
    one: Consumer,
    version_id: int,
    subscription_id: int,
    connection_id: int,
    kinds: Sequence[str],
    cursor: str,
    looks: bool,
    every: int,
) -> None:
    """Listen to what a subscription takes in from now on, which read the app's changes to `cursor`."""
    t.execute(
        "UPDATE consumer c JOIN subscription s ON s.id=%s SET c.version_id=%s, c.state='on', c.subscription_id=s.id, "
        "c.connection_id=%s, c.database_id=NULL, c.kinds=%s, c.read_to=s.n, c.cursor_from=%s, c.since=NOW(3), c.note=NULL, "
        "c.looks=%s, c.every_seconds=%s WHERE c.id=%s",
        (subscription_id, version_id, connection_id, ",".join(kinds), cursor, looks, every, one.id),
    )


def resume(t: Transaction, one: Consumer, version_id: int, every: int) -> None:
    """Go on from where it is, as a version."""
    t.execute("UPDATE consumer SET state='on', version_id=%s, every_seconds=%s WHERE id=%s", (version_id, every, one.id))


def every(t: Transaction, subscription_id: int) -> int | None:
    """Return how many seconds there may be between checks of a subscription: as few as any who listens to it wishes."""
    row = t.row("SELECT MIN(every_seconds) AS n FROM consumer WHERE subscription_id=%s AND state<>'off'", (subscription_id,))
    return int(row["n"]) if row and row["n"] is not None else None


def every_by_subscription(t: Transaction, workspace_id: int) -> dict[int, int]:
    """Return the same of all of a workspace that somebody listens to."""
    rows = t.rows(
        "SELECT subscription_id, MIN(every_seconds) AS n FROM consumer WHERE workspace_id=%s AND subscription_id IS NOT NULL "
        "AND state<>'off' GROUP BY subscription_id",
        (workspace_id,),
    )
    return {r["subscription_id"]: int(r["n"]) for r in rows}


def listen_to_database(
    t: Transaction, workspace_id: int, workflow_id: int, version_id: int, database_id: int | None, seq: int
) -> None:
    """Listen to the records of a database, from a place in the log of changes; one that was on or paused there goes on from
    where it is, and what settles there settles on."""
    same = "state IN ('on','paused') AND database_id <=> VALUES(database_id) AND subscription_id IS NULL"
    t.execute(
        "DELETE s FROM settling s JOIN consumer c ON c.workspace_id=s.workspace_id AND c.workflow_id=s.workflow_id "
        "WHERE s.workspace_id=%s AND s.workflow_id=%s AND NOT (c.database_id <=> %s)",
        (workspace_id, workflow_id, database_id),
    )
    t.execute(
        "INSERT INTO consumer (workspace_id, workflow_id, version_id, state, database_id, read_to, since) "
        "VALUES (%s,%s,%s,'on',%s,%s,NOW(3)) ON DUPLICATE KEY UPDATE "
        f"read_to=IF({same}, read_to, VALUES(read_to)), since=IF({same}, since, VALUES(since)), "
        "note=IF(state IN ('on','paused'), note, NULL), subscription_id=NULL, connection_id=NULL, kinds='', cursor_from=NULL, "
        "looks=0, "
        "version_id=VALUES(version_id), state='on', database_id=VALUES(database_id)",
        (workspace_id, workflow_id, version_id, database_id, seq),
    )


def note_writing(t: Transaction, workspace_id: int, workflow_id: int, writes_in_apps: bool) -> None:
    """Note whether a workflow writes in apps, as the version that it goes on as."""
    t.execute(
        "UPDATE consumer SET writes_in_apps=%s WHERE workspace_id=%s AND workflow_id=%s",
        (writes_in_apps, workspace_id, workflow_id),
    )


def end(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Read no further. It stays where it is, and records that are settling are kept."""
    t.execute("UPDATE consumer SET state='off' WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, workflow_id))


def pause(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Stay where it is, for a workflow that is paused; what arrives is taken into the journal all the same."""
    t.execute(
        "UPDATE consumer SET state='paused' WHERE workspace_id=%s AND workflow_id=%s AND state='on'",
        (workspace_id, workflow_id),
    )


def behind(t: Transaction, limit: int) -> list[tuple[int, int]]:
    """Workspaces and consumers that have not read all of their subscription's journal, and can read on."""
    rows = t.rows(
        "SELECT c.workspace_id, c.id FROM consumer c JOIN subscription s ON s.id=c.subscription_id "
        f"WHERE c.workflow_id IS NOT NULL AND c.read_to < s.n AND c.looks=0 AND {CAN_READ} LIMIT %s",
        (limit,),
    )
    return [(r["workspace_id"], r["id"]) for r in rows]


def behind_looks(t: Transaction, limit: int) -> list[tuple[int, int]]:
    """Return the same of those to whom it is told what changed, and that have not read all that was looked at."""
    rows = t.rows(
        "SELECT c.workspace_id, c.id FROM consumer c JOIN subscription s ON s.id=c.subscription_id "
        f"WHERE c.read_to < s.looked_to AND c.looks=1 AND {CAN_READ} LIMIT %s",
        (limit,),
    )
    return [(r["workspace_id"], r["id"]) for r in rows]


def behind_of(t: Transaction, subscription_id: int) -> list[int]:
    """Return those of one subscription."""
    rows = t.rows(
        "SELECT c.id FROM consumer c JOIN subscription s ON s.id=c.subscription_id "
        f"WHERE s.id=%s AND c.workflow_id IS NOT NULL AND c.read_to < s.n AND c.looks=0 AND {CAN_READ}",
        (subscription_id,),
    )
    return [r["id"] for r in rows]


def behind_log(t: Transaction) -> list[Consumer]:
    """Return those that have not read the log of changes of their workspace to its end, and can read on."""
    rows = t.rows(
        f"SELECT {', '.join('c.' + name for name in COLUMNS.split(', '))} FROM consumer c JOIN counter n "
        f"ON n.workspace_id=c.workspace_id AND n.name='change' WHERE c.subscription_id IS NULL AND c.read_to < n.n "
        f"AND c.workflow_id IS NOT NULL AND {CAN_READ} ORDER BY c.workspace_id, c.read_to"
    )
    return [_consumer(r) for r in rows]


def locked(t: Transaction, consumer_id: int) -> Consumer | None:
    """Held for this transaction; none where another holds it, or it cannot read on."""
    row = t.row(
        f"SELECT {COLUMNS} FROM consumer c WHERE id=%s AND version_id IS NOT NULL AND {CAN_READ} FOR UPDATE SKIP LOCKED",
        (consumer_id,),
    )
    return _consumer(row) if row else None


def read_to(t: Transaction, one: Consumer, place: int, note: dict[str, Any] | None = None) -> None:
    """Note how far it has read; `note` in place of the one there is."""
    said = json.dumps(note, ensure_ascii=False) if note is not None else None
    t.execute("UPDATE consumer SET read_to=%s, note=COALESCE(%s, note) WHERE id=%s", (place, said, one.id))


@dataclass(frozen=True)
class Reader:
    """What is known beforehand of a consumer of a journal, as long as it is on in this version: what it takes, and whose events
    that makes. `writes_in_apps`: what it is told of may be its own doing."""

    consumer: int
    subscription: int
    kinds: tuple[str, ...]
    to: To
    writes_in_apps: bool = False


def readers(t: Transaction, where: str, number: int, looks: bool = False) -> list[Reader]:
    """Return those that listen to journals, by `c.id` or `c.subscription_id`: to what apps tell, or to what was found by
    looking."""
    rows = t.rows(
        f"SELECT {', '.join('c.' + name for name in COLUMNS.split(', '))}, s.account AS account_now, s.place, "
        "w.live_order, c.writes_in_apps "
        "FROM consumer c JOIN subscription s ON s.id=c.subscription_id JOIN workflow w ON w.id=c.workflow_id "
        f"WHERE {where}=%s AND c.state<>'off' AND c.version_id IS NOT NULL AND c.looks=%s",
        (number, looks),
    )
    found = []
    for row in rows:
        account, place, order, writes = (row.pop(key) for key in ("account_now", "place", "live_order", "writes_in_apps"))
        one = _consumer(row)
        to = To(one.workspace_id, one.workflow_id, row["version_id"], order, one.scope(account), place)
        found.append(Reader(one.id, row["subscription_id"], tuple(one.kinds.split(",")), to, bool(writes)))
    return found


def next_changes(t: Transaction, one: Reader, limit: int) -> list[SourceChange]:
    """Return what comes next, in one journey, and hold the consumer for this transaction; nothing where another holds it, or it
    cannot read on, or not as what is known of it."""
    row = t.row(
        "SELECT (SELECT JSON_ARRAYAGG(JSON_ARRAY(j.n, j.item_id, j.told, j.revision, j.came_by, j.at)) FROM source_change j "
        "WHERE j.subscription_id=c.subscription_id AND j.n BETWEEN c.read_to+1 AND c.read_to+%s) AS changes FROM consumer c "
        f"WHERE c.id=%s AND c.version_id=%s AND c.subscription_id=%s AND {CAN_READ} FOR UPDATE SKIP LOCKED",
        (limit, one.consumer, one.to.version, one.subscription),
    )
    told = json.loads(row["changes"]) if row and row["changes"] else []
    return [
        SourceChange(n, item, word, revision, came_by, datetime.fromisoformat(at).replace(tzinfo=UTC))
        for n, item, word, revision, came_by, at in sorted(told)
    ]


def read_on(t: Transaction, consumer_id: int, place: int) -> None:
    """Note how far a journal has been read."""
    t.later("UPDATE consumer SET read_to=%s WHERE id=%s", (place, consumer_id))


# What is held: what was taken in for one that cannot read on.

UNREAD = "JOIN source_change j ON j.subscription_id=c.subscription_id AND j.n>c.read_to AND FIND_IN_SET(j.told, c.kinds)"


def held(t: Transaction, workspace_id: int) -> dict[int, Held]:
    """Return what is held in a workspace, by workflow."""
    rows = t.rows(
        f"SELECT c.workflow_id, COUNT(*) AS n, MIN(j.at) AS since FROM consumer c {UNREAD} "
        f"WHERE c.workspace_id=%s AND c.workflow_id IS NOT NULL AND c.state<>'off' AND NOT ({CAN_READ}) GROUP BY c.workflow_id",
        (workspace_id,),
    )
    return {r["workflow_id"]: Held(r["n"], r["since"]) for r in rows}


def held_for(t: Transaction, subscription_id: int) -> list[int]:
    """Return the workflows for which what a subscription takes in is held."""
    rows = t.rows(
        "SELECT c.workflow_id FROM consumer c WHERE c.subscription_id=%s AND c.workflow_id IS NOT NULL AND c.state<>'off' "
        f"AND NOT ({CAN_READ})",
        (subscription_id,),
    )
    return [r["workflow_id"] for r in rows]


def drop(t: Transaction, workspace_id: int, workflow_id: int) -> int:
    """Pass over what is held, as a person said: how many changes there were."""
    one = of_workflow(t, workspace_id, workflow_id)
    if one is None or one.subscription_id is None or one.state == "off":
        return 0
    row = t.row(f"SELECT COUNT(*) AS n FROM consumer c {UNREAD} WHERE c.id=%s FOR UPDATE", (one.id,))
    t.execute("UPDATE consumer c JOIN subscription s ON s.id=c.subscription_id SET c.read_to=s.n WHERE c.id=%s", (one.id,))
    return int(row["n"]) if row else 0
