"""How far apart the calls of a connection are kept since its app asked for fewer; shared by all workers.

Learned, since apps seldom say: after each refusal the calls are kept as far apart as the app asked to wait; each call that goes
through brings them closer, until nothing is kept any more.
"""

from __future__ import annotations

from kelvix.store.database_server import Transaction

CLOSER, FREE = 0.5, 0.02  # of the distance, after each call that went through; seconds below which nothing is kept
WIDEST = 60.0  # seconds between calls
HELD = 0.1  # seconds between calls, once an app that had said that it takes none takes them again
LONGEST = 3600.0  # seconds for which no call is made at all; then it is asked again
AHEAD = 10.0  # seconds for which turns are given in advance


def kept(t: Transaction) -> set[tuple[int, int]]:
    """Return the workspaces and connections whose calls are kept apart."""
    return {(r["workspace_id"], r["connection_id"]) for r in t.rows("SELECT workspace_id, connection_id FROM pace")}


def turn(t: Transaction, workspace_id: int, connection_id: int) -> tuple[float, bool]:
    """In how many seconds a call may be made, and whether that turn is this caller's own."""
    row = t.row(
        "SELECT every, TIMESTAMPDIFF(MICROSECOND, NOW(3), next_at) / 1e6 AS ahead FROM pace "
        "WHERE workspace_id=%s AND connection_id=%s FOR UPDATE",
        (workspace_id, connection_id),
    )
    if row is None:
        return 0.0, True
    ahead = max(0.0, float(row["ahead"]))
    if ahead > AHEAD:
        return ahead, False
    t.execute(
        "UPDATE pace SET next_at=NOW(3) + INTERVAL %s SECOND WHERE workspace_id=%s AND connection_id=%s",
        (ahead + row["every"], workspace_id, connection_id),
    )
    return ahead, True


def refused(t: Transaction, workspace_id: int, connection_id: int, after: float) -> None:
    """Note that the app asks to wait."""
    every = min(WIDEST, max(after, 0.1))
    t.execute(
        "INSERT INTO pace (workspace_id, connection_id, every, next_at) VALUES (%s,%s,%s, NOW(3) + INTERVAL %s SECOND) "
        "ON DUPLICATE KEY UPDATE every=GREATEST(every, VALUES(every)), next_at=GREATEST(next_at, VALUES(next_at))",
        (workspace_id, connection_id, every, after),
    )


def hold(t: Transaction, workspace_id: int, connection_id: int, wait: float) -> None:
    """Note that an app takes no call for so many seconds, and as many as before from then on."""
    t.execute(
        "INSERT INTO pace (workspace_id, connection_id, every, next_at) VALUES (%s,%s,%s, NOW(3) + INTERVAL %s SECOND) "
        "ON DUPLICATE KEY UPDATE next_at=GREATEST(next_at, VALUES(next_at))",
        (workspace_id, connection_id, HELD, min(wait, LONGEST)),
    )


def went_through(t: Transaction, workspace_id: int, connection_id: int) -> None:
    """Note that a call went through: the next ones come closer, but for those that wait until an app takes any again."""
    key = (workspace_id, connection_id)
    t.execute(
        "UPDATE pace SET every=every*%s WHERE workspace_id=%s AND connection_id=%s AND NOT (every=%s AND next_at > NOW(3))",
        (CLOSER, *key, HELD),
    )
    t.execute("DELETE FROM pace WHERE workspace_id=%s AND connection_id=%s AND every < %s", (*key, FREE))
