"""Items that mirrors are to look at, and who works on which: one at a time, of all mirrors (a lane for each item)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from kelvix.core.mirror.lens import Side
from kelvix.store.database_server import Transaction
from kelvix.store.secrets import digest

TOGETHER = 500  # rows in one statement
EDITS, BACKFILL = 0, 1  # turns: what people do goes before what is carried out of a plan


@dataclass(frozen=True)
class Look:
    """`n` grows each time that the item is told of again. `since`: when it was told of first. `has_turn`: it waited for its
    turn to call an app that limits calls, and has it."""

    workspace_id: int
    mirror_id: int
    side: Side
    item_id: str
    n: int
    turn: int
    since: datetime
    failures: int
    has_turn: bool


def stir(
    t: Transaction, workspace_id: int, mirror_id: int, side: Side, items: Iterable[str], wait: float = 0, told: str = "",
    turn: int = EDITS,
) -> None:  # fmt: skip
    """Let items be looked at, in `wait` seconds, or sooner where that was meant before."""
    rows = [(mirror_id, side, item, workspace_id, turn, told, wait) for item in items]
    for at in range(0, len(rows), TOGETHER):
        some = rows[at : at + TOGETHER]
        t.execute(
            "INSERT INTO mirror_look (mirror_id, side, item_id, workspace_id, turn, told, due_at) VALUES "
            + ",".join(["(%s,%s,%s,%s,%s,%s, NOW(3) + INTERVAL %s SECOND)"] * len(some))
            + " ON DUPLICATE KEY UPDATE n=n+1, turn=LEAST(turn, VALUES(turn)), "
            "due_at=IF(failures>0, LEAST(due_at, VALUES(due_at)), due_at), told=VALUES(told)",
            [value for row in some for value in row],
        )


def due(t: Transaction, limit: int) -> list[Look]:
    """Return looks whose time has come, of mirrors that are on: those of people's edits first."""
    rows = t.rows(
        "SELECT l.workspace_id, l.mirror_id, l.side, l.item_id, l.n, l.turn, l.since, l.failures, l.has_turn "
        "FROM mirror_look l JOIN mirror m ON m.id=l.mirror_id AND m.state='on' WHERE l.due_at <= NOW(3) "
        "ORDER BY l.turn, l.due_at, l.mirror_id, l.side, l.item_id LIMIT %s",
        (limit,),
    )
    return [Look(**(r | {"has_turn": bool(r["has_turn"])})) for r in rows]


def hold(t: Transaction, one: Look, wait: float) -> bool:
    """Put a look off so that no other begins it meanwhile: whether it is still there, and was due."""
    return bool(
        t.execute(
            "UPDATE mirror_look SET due_at=NOW(3) + INTERVAL %s SECOND, has_turn=0 "
            "WHERE mirror_id=%s AND side=%s AND item_id=%s AND due_at <= NOW(3)",
            (wait, one.mirror_id, one.side, one.item_id),
        )
    )


def put_off(t: Transaction, one: Look, wait: float, failed: bool, has_turn: bool = False) -> None:
    """Let a look wait. `has_turn`: until its turn to call an app, which it has then."""
    t.execute(
        "UPDATE mirror_look SET due_at=NOW(3) + INTERVAL %s SECOND, failures=failures+%s, has_turn=%s "
        "WHERE mirror_id=%s AND side=%s AND item_id=%s",
        (wait, int(failed), has_turn, one.mirror_id, one.side, one.item_id),
    )


def end(t: Transaction, one: Look) -> None:
    """Note that an item was looked at. One that was told of again meanwhile is looked at again."""
    key = (one.mirror_id, one.side, one.item_id)
    t.execute("DELETE FROM mirror_look WHERE mirror_id=%s AND side=%s AND item_id=%s AND n=%s", (*key, one.n))
    t.execute(
        "UPDATE mirror_look SET due_at=NOW(3), since=NOW(3), failures=0 WHERE mirror_id=%s AND side=%s AND item_id=%s", key
    )


def waiting(t: Transaction, mirror_id: int, turn: int | None = None) -> int:
    """Return how many items of a mirror are to be looked at."""
    of = "" if turn is None else f" AND turn={int(turn)}"
    row = t.row(f"SELECT COUNT(*) AS n FROM mirror_look WHERE mirror_id=%s{of}", (mirror_id,))
    return int(row["n"]) if row else 0


def told_deleted(t: Transaction, mirror_id: int, side: Side) -> int:
    """Return how many items of a side are waiting that were told to be deleted."""
    row = t.row("SELECT COUNT(*) AS n FROM mirror_look WHERE mirror_id=%s AND side=%s AND told='deleted'", (mirror_id, side))
    return int(row["n"]) if row else 0


# Lanes


def item_lane(collection_id: int, item: str) -> bytes:
    return digest("mirror item", collection_id, item)


def new_lane(collection_id: int) -> bytes:
    """Return the lane of what is new in a collection, so that nothing is recognised, or created, by two at once."""
    return digest("mirror new", collection_id)


def take(t: Transaction, workspace_id: int, lanes: Sequence[bytes], token: str, lease: float) -> bool:
    """Take lanes for `lease` seconds: whether all of them are ours. Those that could be taken are, all the same."""
    for lane in sorted(set(lanes)):
        t.execute(
            "INSERT INTO mirror_lane (workspace_id, lane, token, until) VALUES (%s,%s,%s, NOW(3) + INTERVAL %s SECOND) "
            "ON DUPLICATE KEY UPDATE token=IF(until < NOW(3), VALUES(token), token), "
            "until=IF(token=VALUES(token), VALUES(until), until)",
            (workspace_id, lane, token, lease),
        )
    return held(t, token) == len(set(lanes))


def held(t: Transaction, token: str, lease: float | None = None) -> int:
    """Return how many lanes somebody has, and hold them for this transaction; with `lease`, for so many seconds from now on."""
    rows = t.rows("SELECT lane FROM mirror_lane WHERE token=%s AND until > NOW(3) FOR UPDATE", (token,))
    if lease is not None and rows:
        t.later("UPDATE mirror_lane SET until=NOW(3) + INTERVAL %s SECOND WHERE token=%s", (lease, token))
    return len(rows)


def free(t: Transaction, token: str) -> None:
    t.execute("DELETE FROM mirror_lane WHERE token=%s", (token,))


def since(t: Transaction, mirror_id: int, side: Side, items: Sequence[str]) -> dict[str, datetime]:
    """Return since when items are to be looked at."""
    if not items:
        return {}
    rows = t.rows(
        "SELECT item_id, since FROM mirror_look WHERE mirror_id=%s AND side=%s AND item_id IN "
        f"({','.join(['%s'] * len(items))})",
        (mirror_id, side, *items),
    )
    return {r["item_id"]: r["since"] for r in rows}
