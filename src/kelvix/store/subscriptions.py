"""Subscriptions: what is listened to at a place of an account, once, however many workflows want to know of it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from kelvix.store import marks
from kelvix.store.database_server import Row, Transaction
from kelvix.store.secrets import Vault

COLUMNS = (
    "id, workspace_id, account, place, branch, connection_id, state, cursor_at, n, is_full, push_id, next_check_at, "
    "last_check_at, problem, failures, turn, keeps_marks, looked_to"
)


@dataclass(frozen=True)
class Subscription:
    """`account` as a Ref names it; none until its app was asked again after an update. `connection_id`: by which it is reached.
    `cursor_at`: how far the app's changes were read; `n`: how many the journal has had. `turn`: its next call of the app has
    its turn. `is_full`: nothing more is taken in until somebody reads on. `keeps_marks`: what changed is told by comparing
    items with what they were; `looked_to`: how far the journal was looked through for that."""

    id: int
    workspace_id: int
    account: str | None
    place: str
    branch: int
    connection_id: int
    state: str
    cursor_at: str
    n: int
    is_full: int
    push_id: str | None
    next_check_at: datetime
    last_check_at: datetime | None
    problem: str | None
    failures: int
    turn: int
    keeps_marks: int
    looked_to: int


def get(t: Transaction, workspace_id: int, subscription_id: int, lock: bool = False) -> Subscription | None:
    row = t.row(
        f"SELECT {COLUMNS} FROM subscription WHERE workspace_id=%s AND id=%s" + (" FOR UPDATE" if lock else ""),
        (workspace_id, subscription_id),
    )
    return Subscription(**row) if row else None


def of_workflow(t: Transaction, workspace_id: int, workflow_id: int) -> Subscription | None:
    row = t.row(
        f"SELECT {_of_s()} FROM subscription s JOIN consumer c ON c.subscription_id=s.id "
        "WHERE c.workspace_id=%s AND c.workflow_id=%s",
        (workspace_id, workflow_id),
    )
    return Subscription(**row) if row else None


def by_workflow(t: Transaction, workspace_id: int) -> dict[int, Subscription]:
    """Return what workflows listen to, or did when they were on last."""
    rows = t.rows(
        f"SELECT c.workflow_id, {_of_s()} FROM subscription s JOIN consumer c ON c.subscription_id=s.id "
        "WHERE c.workspace_id=%s AND c.workflow_id IS NOT NULL",
        (workspace_id,),
    )
    return {row.pop("workflow_id"): Subscription(**row) for row in rows}


def _of_s() -> str:
    return ", ".join(f"s.{name}" for name in COLUMNS.split(", "))


def list_on(t: Transaction, workspace_id: int, connection_id: int) -> list[Subscription]:
    """Return those that are reached by a connection and somebody listens to."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM subscription WHERE workspace_id=%s AND connection_id=%s AND state='on'",
        (workspace_id, connection_id),
    )
    return [Subscription(**row) for row in rows]


def find(t: Transaction, workspace_id: int, account: str, place: str) -> Subscription | None:
    """Return the one that whoever begins to listen to a place joins."""
    row = t.row(
        f"SELECT {COLUMNS} FROM subscription WHERE workspace_id=%s AND account=%s AND place=%s AND branch=0",
        (workspace_id, account, place),
    )
    return Subscription(**row) if row else None


def create(t: Transaction, workspace_id: int, account: str, place: str, connection_id: int, cursor: str, wait: float) -> int:
    """Make a subscription that reads on from a cursor; one that another made meanwhile is left as it is."""
    t.execute(
        "INSERT IGNORE INTO subscription (workspace_id, account, place, connection_id, state, cursor_at, next_check_at) "
        "VALUES (%s,%s,%s,%s,'off',%s, NOW(3) + INTERVAL %s SECOND)",
        (workspace_id, account, place, connection_id, cursor, wait),
    )
    made = find(t, workspace_id, account, place)
    assert made
    return made.id


def is_wanted(t: Transaction, one: Subscription, besides: int | None) -> bool:
    """Say whether workflows or mirrors listen to it, or did when they were on last: others than one workflow, where that is
    told."""
    return bool(
        t.row(
            "SELECT 1 FROM consumer WHERE workspace_id=%s AND subscription_id=%s "
            "AND (workflow_id IS NULL OR NOT workflow_id <=> %s) LIMIT 1",
            (one.workspace_id, one.id, besides),
        )
    )


def has_branches(t: Transaction, one: Subscription) -> bool:
    """Say whether there are subscriptions of the same place that have not met it."""
    return bool(
        t.row(
            "SELECT 1 FROM subscription WHERE workspace_id=%s AND account=%s AND place=%s AND branch<>0 LIMIT 1",
            (one.workspace_id, one.account, one.place),
        )
    )


def name_account(t: Transaction, one: Subscription, account: str) -> None:
    """Note whose place it is, of one that was there before accounts were told apart: others join it, if they join none yet."""
    t.execute(
        "UPDATE IGNORE subscription SET account=%s, branch=0 WHERE workspace_id=%s AND id=%s AND account IS NULL",
        (account, one.workspace_id, one.id),
    )
    t.execute(
        "UPDATE subscription SET account=%s WHERE workspace_id=%s AND id=%s AND account IS NULL",
        (account, one.workspace_id, one.id),
    )


def begin_at(t: Transaction, workspace_id: int, subscription_id: int, connection_id: int, cursor: str) -> None:
    """Let one that nobody listened to go on from a cursor: what lies between is not read."""
    if t.execute(
        "UPDATE subscription SET cursor_at=%s, connection_id=%s, keeps_marks=0 WHERE workspace_id=%s AND id=%s AND state='off'",
        (cursor, connection_id, workspace_id, subscription_id),
    ):
        marks.forget(t, subscription_id)


def listen(t: Transaction, workspace_id: int, subscription_id: int, wait: float) -> bool:
    """Note that somebody listens: whether nobody did before."""
    return bool(
        t.execute(
            "UPDATE subscription SET state='on', problem=NULL, failures=0, next_check_at=NOW(3) + INTERVAL %s SECOND "
            "WHERE workspace_id=%s AND id=%s AND state='off'",
            (wait, workspace_id, subscription_id),
        )
    )


def rest(t: Transaction, workspace_id: int) -> list[Subscription]:
    """Let those rest that nobody listens to any more: which ones. Their pushes are still agreed on."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM subscription s WHERE workspace_id=%s AND state='on' AND NOT EXISTS "
        "(SELECT 1 FROM consumer c WHERE c.subscription_id=s.id AND c.state<>'off') FOR UPDATE",
        (workspace_id,),
    )
    for row in rows:
        t.execute("UPDATE subscription SET state='off' WHERE id=%s", (row["id"],))
    return [Subscription(**row) for row in rows]


def forget_left(t: Transaction, workspace_id: int) -> None:
    """Forget those that no workflow listens to, or did when it was on last."""
    left = (
        "s.workspace_id=%s AND s.state='off' AND s.id NOT IN "
        "(SELECT subscription_id FROM consumer WHERE workspace_id=%s AND subscription_id IS NOT NULL)"
    )
    t.execute(f"DELETE m FROM mark m JOIN subscription s ON s.id=m.subscription_id WHERE {left}", (workspace_id, workspace_id))
    t.execute(f"DELETE s FROM subscription s WHERE {left}", (workspace_id, workspace_id))


# Looking at what changed


def keep_marks(t: Transaction, one: Subscription) -> None:
    """Note that the marks of all that is there now are kept, and that what comes from here on is compared with them."""
    t.execute(
        "UPDATE subscription SET keeps_marks=1, looked_to=%s, look_at=NULL, sweep_at=NULL WHERE workspace_id=%s AND id=%s "
        "AND keeps_marks=0",
        (one.n, one.workspace_id, one.id),
    )


def due_looks(t: Transaction, limit: int, lease: float) -> list[Subscription]:
    """Claim those whose journal has more than was looked at, for `lease` seconds."""
    rows = t.rows(
        f"SELECT {_of_s()} FROM subscription s WHERE s.state='on' AND s.keeps_marks=1 AND s.looked_to < s.n "
        "AND COALESCE(s.look_at, NOW(3)) <= NOW(3) "
        "AND COALESCE((SELECT a.state FROM connection a WHERE a.id=s.connection_id), '')<>'refused' "
        "ORDER BY s.look_at, s.id LIMIT %s FOR UPDATE SKIP LOCKED",
        (limit,),
    )
    for row in rows:
        t.execute("UPDATE subscription SET look_at=NOW(3) + INTERVAL %s SECOND WHERE id=%s", (lease, row["id"]))
    return [Subscription(**row) for row in rows]


def due_sweeps(t: Transaction, limit: int, pause: float) -> list[Subscription]:
    """Claim those in which it is time to look for what is there no more; the next time is in `pause` seconds."""
    rows = t.rows(
        f"SELECT {_of_s()} FROM subscription s WHERE s.state='on' AND s.keeps_marks=1 "
        "AND COALESCE(s.sweep_at, NOW(3)) <= NOW(3) LIMIT %s FOR UPDATE SKIP LOCKED",
        (limit,),
    )
    for row in rows:
        t.execute("UPDATE subscription SET sweep_at=NOW(3) + INTERVAL %s SECOND WHERE id=%s", (pause, row["id"]))
    return [Subscription(**row) for row in rows]


def sweep_soon(t: Transaction, one: Subscription) -> None:
    t.execute("UPDATE subscription SET sweep_at=NULL WHERE id=%s", (one.id,))


def looked(t: Transaction, one: Subscription, to: int) -> None:
    """Note how far a journal was looked through."""
    t.execute("UPDATE subscription SET looked_to=%s WHERE workspace_id=%s AND id=%s", (to, one.workspace_id, one.id))


def look_again(t: Transaction, one: Subscription, wait: float) -> None:
    """Note when looking goes on."""
    t.execute("UPDATE subscription SET look_at=NOW(3) + INTERVAL %s SECOND WHERE id=%s", (wait, one.id))


# Pushes


def _seal(subscription_id: int) -> str:
    return f"watch/{subscription_id}"  # as they were called when the first secrets were sealed


def set_push(t: Transaction, vault: Vault, workspace_id: int, subscription_id: int, push_id: str, secret: str) -> None:
    t.execute(
        "UPDATE subscription SET push_id=%s, push_secret=%s WHERE workspace_id=%s AND id=%s",
        (push_id, vault.seal(secret, workspace_id, _seal(subscription_id)), workspace_id, subscription_id),
    )


def forget_push(t: Transaction, one: Subscription) -> None:
    """Note that the app does not push any more by what was agreed on."""
    t.execute(
        "UPDATE subscription SET push_id=NULL WHERE workspace_id=%s AND id=%s AND push_id=%s",
        (one.workspace_id, one.id, one.push_id),
    )


def push_secret(t: Transaction, vault: Vault, workspace_id: int, subscription_id: int) -> str | None:
    """Return the secret that signs pushes; none where none are agreed on."""
    row: Row | None = t.row(
        "SELECT push_secret FROM subscription WHERE workspace_id=%s AND id=%s", (workspace_id, subscription_id)
    )
    return vault.open(row["push_secret"], workspace_id, _seal(subscription_id)) if row and row["push_secret"] else None


# Checks


def workspaces_due(t: Transaction) -> list[int]:
    """Workspaces with subscriptions whose next check has come, whoever waited longest first."""
    rows = t.rows(
        "SELECT workspace_id FROM subscription WHERE state='on' AND next_check_at <= NOW(3) GROUP BY workspace_id "
        "ORDER BY MIN(next_check_at)"
    )
    return [r["workspace_id"] for r in rows]


def due(t: Transaction, workspace_id: int, limit: int, lease: float) -> list[Subscription]:
    """Claim those of a workspace whose next check has come: they are due again after `lease` seconds, should we not finish."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM subscription WHERE state='on' AND next_check_at <= NOW(3) AND workspace_id=%s "
        "ORDER BY next_check_at LIMIT %s FOR UPDATE SKIP LOCKED",
        (workspace_id, limit),
    )
    for row in rows:
        t.execute("UPDATE subscription SET next_check_at=NOW(3) + INTERVAL %s SECOND WHERE id=%s", (lease, row["id"]))
    return [Subscription(**row) for row in rows]


def put_off(t: Transaction, one: Subscription, wait: float, has_turn: bool) -> None:
    """Note that a check comes later, since the app asked for fewer calls, and whether its turn is given."""
    t.execute(
        "UPDATE subscription SET next_check_at=NOW(3) + INTERVAL %s SECOND, turn=%s WHERE workspace_id=%s AND id=%s",
        (wait, has_turn, one.workspace_id, one.id),
    )


def checked(t: Transaction, one: Subscription, was: str, cursor: str, wait: float, problem: str | None) -> None:
    """Note a check: from where and how far the changes were read, when to look again, what went wrong. It had its turn."""
    t.execute(
        "UPDATE subscription SET cursor_at=IF(cursor_at=%s, %s, cursor_at), next_check_at=NOW(3) + INTERVAL %s SECOND, "
        "last_check_at=NOW(3), problem=%s, failures=IF(%s IS NULL, 0, failures+1), turn=0 WHERE workspace_id=%s AND id=%s",
        (was, cursor, wait, problem, problem, one.workspace_id, one.id),
    )


def check_soon(t: Transaction, workspace_id: int, workflow_id: int) -> bool:
    return bool(
        t.execute(
            "UPDATE subscription s JOIN consumer c ON c.subscription_id=s.id SET s.next_check_at=NOW(3) "
            "WHERE c.workspace_id=%s AND c.workflow_id=%s AND c.state='on'",
            (workspace_id, workflow_id),
        )
    )


def check_all_soon(t: Transaction, workspace_id: int) -> None:
    t.execute("UPDATE subscription SET next_check_at=NOW(3) WHERE workspace_id=%s", (workspace_id,))


def go_by(t: Transaction, one: Subscription) -> int | None:
    """Reach it by another connection to the same account, of those that who listens to it has chosen: which; none where there
    is no other that works."""
    row = t.row(
        "SELECT c.id FROM consumer l JOIN connection c ON c.id=l.connection_id WHERE l.subscription_id=%s AND l.state<>'off' "
        "AND c.workspace_id=%s AND c.state='good' AND c.id<>%s ORDER BY (c.id > %s) DESC, c.id LIMIT 1",
        (one.id, one.workspace_id, one.connection_id, one.connection_id),
    )
    if row is None:
        return None
    t.execute(
        "UPDATE subscription SET connection_id=%s, push_id=NULL WHERE workspace_id=%s AND id=%s",
        (row["id"], one.workspace_id, one.id),
    )
    return int(row["id"])
