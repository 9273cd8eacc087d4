"""The pairs of mirrors, and the items that are in none: one row each, so that both sides are read aligned, by state."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kelvix.core.mirror.lens import Side
from kelvix.store.database_server import Row, Transaction

COLUMNS = "n, id, left_item, right_item, linked, state, asks, body, plan, changed_at"
KEPT_DAYS = 90  # for which a pair that ended is known, so that nothing that was deleted is created again


@dataclass(frozen=True)
class KeptPair:
    """A row: a pair, or an item that is alone (`linked` is “only”, and one of the items is none). `body` as JSON; `plan`: what
    is to be done first: pair, create, leave or doubt."""

    n: int
    id: str
    left_item: str | None
    right_item: str | None
    linked: str
    state: str
    asks: str | None
    body: Mapping[str, Any]
    plan: str | None
    changed_at: datetime

    def item(self, side: Side) -> str | None:
        return self.left_item if side == "left" else self.right_item


@dataclass(frozen=True)
class Only:
    """An item in no pair: what it is recognised by, the digest of what must be the same, and its state."""

    id: str
    item: str
    state: str
    keys: Sequence[str | None]
    firm: bytes | None
    body: Mapping[str, Any]
    plan: str | None = None


def _read(row: Row) -> KeptPair:
    return KeptPair(**(row | {"body": json.loads(row["body"])}))


def get(t: Transaction, mirror_id: int, id: str) -> KeptPair | None:
    row = t.row(f"SELECT {COLUMNS} FROM pair WHERE mirror_id=%s AND id=%s", (mirror_id, id))
    return _read(row) if row else None


def of_item(t: Transaction, mirror_id: int, side: Side, item: str) -> KeptPair | None:
    """Return the row of an item, unless its pair has ended."""
    row = t.row(f"SELECT {COLUMNS} FROM pair WHERE mirror_id=%s AND {side}_open=%s", (mirror_id, item))
    return _read(row) if row else None


def was_paired(t: Transaction, mirror_id: int, side: Side, item: str) -> bool:
    """Say whether an item is in a pair, or was."""
    return bool(
        t.row(f"SELECT 1 FROM pair WHERE mirror_id=%s AND {side}_item=%s AND linked<>'only' LIMIT 1", (mirror_id, item))
    )


def known_among(t: Transaction, mirror_id: int, side: Side, items: Sequence[str]) -> set[str]:
    """Return those of some items that have a row, or had a pair."""
    if not items:
        return set()
    rows = t.rows(
        f"SELECT DISTINCT {side}_item AS item FROM pair WHERE mirror_id=%s AND {side}_item IN "
        f"({','.join(['%s'] * len(items))})",
        (mirror_id, *items),
    )
    return {r["item"] for r in rows}


def states_of(t: Transaction, mirror_id: int, side: Side, items: Sequence[str]) -> dict[str, str]:
    """Return the states of the rows of some items; of one whose pair ended, “closed” where it has no other."""
    if not items:
        return {}
    rows = t.rows(
        f"SELECT {side}_item AS item, state FROM pair WHERE mirror_id=%s AND {side}_item IN "
        f"({','.join(['%s'] * len(items))}) ORDER BY linked='closed' DESC",
        (mirror_id, *items),
    )
    return {r["item"]: r["state"] for r in rows}


def put(
    t: Transaction,
    workspace_id: int,
    mirror_id: int,
    collections: tuple[int, int],
    id: str,
    items: tuple[str, str],
    linked: str,
    state: str,
    asks: str | None,
    body: Mapping[str, Any],
    plan: str | None = None,
) -> None:
    """Keep a pair as it is by now; its items are alone no more. Raises the server's error where one of them is in another."""
    kept = json.dumps(body, ensure_ascii=False)
    if t.execute(
        "UPDATE pair SET left_item=%s, right_item=%s, linked=%s, state=%s, asks=%s, body=%s, plan=%s, changed_at=NOW(3) "
        "WHERE workspace_id=%s AND id=%s",
        (*items, linked, state, asks, kept, plan, workspace_id, id),
    ):
        return
    for side, item in zip(("left", "right"), items, strict=True):
        t.execute(f"DELETE FROM pair WHERE mirror_id=%s AND {side}_open=%s AND linked='only'", (mirror_id, item))
    t.execute(
        "INSERT INTO pair (id, workspace_id, mirror_id, left_collection, right_collection, left_item, right_item, linked, "
        "state, asks, body, plan) VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s)",
        (id, workspace_id, mirror_id, *collections, *items, linked, state, asks, kept, plan),
    )


def put_only(
    t: Transaction, workspace_id: int, mirror_id: int, collections: tuple[int, int], side: Side, several: Iterable[Only],
    anew: bool = True,
) -> None:  # fmt: skip
    """Keep items that are in no pair; one that is in a pair by now stays there. Unless `anew`, those that are known stay as
    they are."""
    rows = [
        (
            one.id,
            workspace_id,
            mirror_id,
            *collections,
            one.item,
            "only",
            one.state,
            json.dumps(one.body, ensure_ascii=False),
            json.dumps(one.keys, ensure_ascii=False),
            one.firm,
            one.plan,
        )
        for one in several
    ]
    if not rows:
        return
    alone = ", ".join(f"{name}=IF(linked='only', VALUES({name}), {name})" for name in ("state", "body", "item_keys", "firm"))
    then = alone if anew else "n=n"
    t.many(
        f"INSERT INTO pair (id, workspace_id, mirror_id, left_collection, right_collection, {side}_item, linked, state, body, "
        f"item_keys, firm, plan) VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s) ON DUPLICATE KEY UPDATE {then}",
        rows,
    )


def forget_only(t: Transaction, mirror_id: int, side: Side, item: str) -> None:
    """Forget an item that was alone, and is there no more."""
    t.execute(f"DELETE FROM pair WHERE mirror_id=%s AND {side}_open=%s AND linked='only'", (mirror_id, item))


def alone_by_firm(t: Transaction, mirror_id: int, side: Side, firm: bytes) -> list[tuple[str, list[str | None]]]:
    """Return the items of a side that are alone and have the same firm keys, with all of their keys."""
    rows = t.rows(
        f"SELECT {side}_item AS item, item_keys FROM pair WHERE mirror_id=%s AND firm=%s AND linked='only' "
        f"AND {side}_item IS NOT NULL LIMIT 5000",
        (mirror_id, firm),
    )
    return [(r["item"], json.loads(r["item_keys"])) for r in rows]


def alone(
    t: Transaction, mirror_id: int, side: Side, after: int = 0, limit: int = 5000
) -> list[tuple[int, str, list[str | None]]]:
    """Return items of a side that are alone, after a row's number: their numbers, ids and keys."""
    rows = t.rows(
        f"SELECT n, {side}_item AS item, item_keys FROM pair WHERE mirror_id=%s AND linked='only' AND {side}_item IS NOT NULL "
        "AND state<>'left_out' AND n>%s ORDER BY n LIMIT %s",
        (mirror_id, after, limit),
    )
    return [(r["n"], r["item"], json.loads(r["item_keys"])) for r in rows]


def connected(t: Transaction, items: Iterable[tuple[int, str]]) -> set[tuple[int, str]]:
    """Return the items with which some are connected by pairs of whichever mirrors, ended ones too; they themselves among
    them."""
    reached = set(items)
    ahead = list(reached)
    while ahead:
        collection, item = ahead.pop()
        for here, there in (("left", "right"), ("right", "left")):
            rows = t.rows(
                f"SELECT {there}_collection AS c, {there}_item AS i FROM pair WHERE {here}_collection=%s AND {here}_item=%s "
                "AND linked<>'only'",
                (collection, item),
            )
            new = {(r["c"], r["i"]) for r in rows if r["i"] is not None} - reached
            reached |= new
            ahead += new
    return reached


# Reading both sides aligned


def counts(t: Transaction, mirror_id: int) -> dict[str, int]:
    """Return how many rows are in each state, without those that ended."""
    rows = t.rows("SELECT state, COUNT(*) AS n FROM pair WHERE mirror_id=%s AND state<>'closed' GROUP BY state", (mirror_id,))
    return {r["state"]: r["n"] for r in rows}


def asked(t: Transaction, mirror_id: int) -> dict[str, int]:
    """Return how many rows a person is asked of as a whole, by what is asked."""
    rows = t.rows("SELECT asks, COUNT(*) AS n FROM pair WHERE mirror_id=%s AND state='asked' GROUP BY asks", (mirror_id,))
    return {r["asks"]: r["n"] for r in rows if r["asks"]}


def decide_asked(t: Transaction, mirror_id: int, asks: str, decided: str, limit: int) -> list[str]:
    """Let pairs of which the same is asked be looked at, with what a person said of them: the items of their left sides."""
    rows = t.rows(
        "SELECT n, left_item FROM pair WHERE mirror_id=%s AND state='asked' AND asks=%s LIMIT %s FOR UPDATE",
        (mirror_id, asks, limit),
    )
    if rows:
        t.execute(
            f"UPDATE pair SET state='behind', body=JSON_SET(body, '$.decided', %s) WHERE n IN ({','.join(['%s'] * len(rows))})",
            (decided, *(r["n"] for r in rows)),
        )
    return [r["left_item"] for r in rows]


def plan_counts(t: Transaction, mirror_id: int) -> dict[str, int]:
    """Return how many rows of a plan are of each kind: pair, create_left, create_right, leave_left, leave_right, doubt_left,
    doubt_right."""
    rows = t.rows(
        "SELECT plan, left_item IS NULL AS from_right, COUNT(*) AS n FROM pair WHERE mirror_id=%s AND plan IS NOT NULL "
        "GROUP BY plan, from_right",
        (mirror_id,),
    )
    found: dict[str, int] = {}
    for r in rows:
        side = "right" if r["from_right"] else "left"
        of = {"pair": "pair", "create": f"create_{'left' if side == 'right' else 'right'}"}.get(
            r["plan"], f"{r['plan']}_{side}"
        )
        found[of] = r["n"]
    return found


def page(t: Transaction, mirror_id: int, states: Sequence[str], after: int, limit: int) -> list[KeptPair]:
    """Return rows after a row's number, in the order of their numbers; in some states only."""
    where = f" AND state IN ({','.join(['%s'] * len(states))})" if states else ""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM pair WHERE mirror_id=%s AND linked<>'closed'{where} AND n>%s ORDER BY n LIMIT %s",
        (mirror_id, *states, after, limit),
    )
    return [_read(r) for r in rows]


def shown(
    t: Transaction,
    mirror_id: int,
    states: Sequence[str],
    skip: int,
    limit: int,
    plan: str | None = None,
    side: Side | None = None,
) -> list[KeptPair]:
    """Return rows as a person scrolls to them, after so many others; in some states only, or of a kind of plan. Which they are
    is found by indexes alone, so that far down is not read from the top."""
    where, args = " AND state<>'closed'", []
    if states:
        where = f" AND state IN ({','.join(['%s'] * len(states))})"
        args += list(states)
    if plan is not None:
        where += " AND plan=%s"
        args.append(plan)
    if side is not None:
        where += f" AND {'left' if side == 'left' else 'right'}_item IS NOT NULL"
    rows = t.rows(
        f"SELECT {', '.join('p.' + c for c in COLUMNS.split(', '))} FROM pair p JOIN "
        f"(SELECT n FROM pair WHERE mirror_id=%s{where} ORDER BY n LIMIT %s OFFSET %s) some ON some.n=p.n ORDER BY p.n",
        (mirror_id, *args, limit, skip),
    )
    return [_read(r) for r in rows]


def find(t: Transaction, mirror_id: int, collections: tuple[int, int], text: str, limit: int) -> list[KeptPair]:
    """Return rows of which an item is called so, or was: ended ones too."""
    like = f"%{text}%"
    rows = t.rows(
        f"SELECT {', '.join('p.' + c for c in COLUMNS.split(', '))} FROM pair p "
        "LEFT JOIN mirrored_item l ON l.collection_id=%s AND l.item_id=p.left_item "
        "LEFT JOIN mirrored_item r ON r.collection_id=%s AND r.item_id=p.right_item "
        "WHERE p.mirror_id=%s AND (l.title LIKE %s OR r.title LIKE %s OR p.left_item=%s OR p.right_item=%s) "
        "ORDER BY p.linked='closed', p.n DESC LIMIT %s",
        (*collections, mirror_id, like, like, text, text, limit),
    )
    return [_read(r) for r in rows]


def set_plan(t: Transaction, mirror_id: int, id: str, plan: str | None, state: str | None = None) -> bool:
    return bool(
        t.execute(
            "UPDATE pair SET plan=%s, state=COALESCE(%s, state) WHERE mirror_id=%s AND id=%s", (plan, state, mirror_id, id)
        )
    )


def delete(t: Transaction, mirror_id: int, id: str) -> None:
    t.execute("DELETE FROM pair WHERE mirror_id=%s AND id=%s", (mirror_id, id))


def forget_plan(t: Transaction, mirror_id: int) -> None:
    """Forget what a plan that was not carried out found, but not what a person left out."""
    t.execute("DELETE FROM pair WHERE mirror_id=%s AND (plan IS NOT NULL OR linked='only') AND state<>'left_out'", (mirror_id,))


def items_of(t: Transaction, mirror_id: int, side: Side) -> int:
    """Return how many items a side has in this mirror."""
    row = t.row(f"SELECT COUNT({side}_open) AS n FROM pair WHERE mirror_id=%s", (mirror_id,))
    return int(row["n"]) if row else 0


def undecided(t: Transaction, mirror_id: int, side: Side, limit: int) -> list[KeptPair]:
    """Return pairs whose item of a side was told to be deleted, of which nothing was done yet, or a person is asked."""
    of = ", ".join(f"p.{name}" for name in COLUMNS.split(", "))
    rows = t.rows(
        f"SELECT {of} FROM mirror_look l STRAIGHT_JOIN pair p ON p.mirror_id=l.mirror_id AND p.{side}_open=l.item_id "
        "WHERE l.mirror_id=%s AND l.side=%s AND l.told='deleted' AND p.linked<>'only' UNION "
        f"SELECT {COLUMNS} FROM pair WHERE mirror_id=%s AND state='asked' AND asks LIKE 'deleted%%' LIMIT %s",
        (mirror_id, side, mirror_id, limit),
    )
    return [_read(r) for r in rows]


def not_seen_since(t: Transaction, mirror_id: int, collection_id: int, side: Side, since: datetime, limit: int) -> list[str]:
    """Return items of a side that were not among those that were read since a moment."""
    rows = t.rows(
        f"SELECT p.{side}_item AS item FROM pair p LEFT JOIN mirrored_item m ON m.collection_id=%s AND m.item_id=p.{side}_item "
        f"WHERE p.mirror_id=%s AND p.{side}_open IS NOT NULL AND (m.seen_at IS NULL OR m.seen_at < %s) LIMIT %s",
        (collection_id, mirror_id, since, limit),
    )
    return [r["item"] for r in rows]


def forget_ended(t: Transaction, workspace_id: int) -> int:
    """Forget pairs that ended long ago, and of whose items neither was among those that were read in full last: how many."""
    rows = t.rows(
        "SELECT mirror_id, MAX(began_at) AS began_at FROM mirror_parity WHERE workspace_id=%s AND ended_at IS NOT NULL "
        "GROUP BY mirror_id",
        (workspace_id,),
    )
    there = " ".join(
        f"AND NOT EXISTS (SELECT 1 FROM mirrored_item m WHERE m.collection_id=pair.{side}_collection "
        f"AND m.item_id=pair.{side}_item AND m.seen_at >= %s)"
        for side in ("left", "right")
    )
    return sum(
        t.execute(
            f"DELETE FROM pair WHERE mirror_id=%s AND linked='closed' AND changed_at < %s - INTERVAL %s DAY {there} LIMIT 5000",
            (row["mirror_id"], row["began_at"], KEPT_DAYS, row["began_at"], row["began_at"]),
        )
        for row in rows
    )


def match_firm(t: Transaction, mirror_id: int, after: bytes, limit: int) -> list[Row]:
    """Return firm keys that items of both sides have, after a digest, with how many have them, and one item of each side."""
    return t.rows(
        "SELECT firm, COUNT(left_item) AS lefts, COUNT(right_item) AS rights, MIN(left_item) AS left_item, "
        "MIN(right_item) AS right_item FROM pair WHERE mirror_id=%s AND linked='only' AND state<>'left_out' AND firm > %s "
        "GROUP BY firm HAVING lefts > 0 AND rights > 0 ORDER BY firm LIMIT %s",
        (mirror_id, after, limit),
    )


def plan_rest(t: Transaction, mirror_id: int, side: Side, plan: str) -> None:
    """Plan what becomes of the items of a side that nothing was found for."""
    t.execute(
        f"UPDATE pair SET plan=%s WHERE mirror_id=%s AND linked='only' AND plan IS NULL AND {side}_item IS NOT NULL AND "
        "state<>'left_out'",
        (plan, mirror_id),
    )


def put_planned(
    t: Transaction,
    workspace_id: int,
    mirror_id: int,
    collections: tuple[int, int],
    several: Sequence[tuple[str, str, str, Mapping[str, Any]]],
) -> None:
    """Keep pairs that a plan found: their ids, items, and why. Their items are alone no more."""
    if not several:
        return
    marks = ",".join(["%s"] * len(several))
    for side, place in (("left", 1), ("right", 2)):
        t.execute(
            f"DELETE FROM pair WHERE mirror_id=%s AND {side}_open IN ({marks}) AND linked='only'",
            (mirror_id, *(one[place] for one in several)),
        )
    t.many(
        "INSERT INTO pair (id, workspace_id, mirror_id, left_collection, right_collection, left_item, right_item, linked, "
        "state, body, plan) VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s)",
        [
            (
                id,
                workspace_id,
                mirror_id,
                *collections,
                left,
                right,
                "open",
                "planned",
                json.dumps(body, ensure_ascii=False),
                "pair",
            )
            for id, left, right, body in several
        ],
    )


def put_doubts(t: Transaction, mirror_id: int, side: Side, found: Mapping[str, Sequence[str]]) -> None:
    """Note of items that are alone which ones of the other side may be the same."""
    for item, others in found.items():
        t.later(
            f"UPDATE pair SET state='doubt', plan='doubt', body=%s WHERE mirror_id=%s AND {side}_open=%s AND linked='only'",
            (json.dumps({"found": list(others)}), mirror_id, item),
        )


def with_firm(t: Transaction, mirror_id: int, firm: bytes, limit: int) -> list[tuple[str | None, str | None]]:
    """Return items of both sides that are alone and have the same firm keys."""
    rows = t.rows(
        "SELECT left_item, right_item FROM pair WHERE mirror_id=%s AND firm=%s AND linked='only' AND state<>'left_out' "
        "LIMIT %s",
        (mirror_id, firm, limit),
    )
    return [(r["left_item"], r["right_item"]) for r in rows]


def is_shared(t: Transaction, mirror_id: int, collections: tuple[int, int]) -> bool:
    """Say whether items of these collections are in pairs of other mirrors."""
    return bool(
        t.row(
            "SELECT 1 FROM pair WHERE mirror_id<>%s AND linked<>'only' AND (left_collection IN (%s,%s) OR "
            "right_collection IN (%s,%s)) LIMIT 1",
            (mirror_id, *collections, *collections),
        )
    )


def swept(
    t: Transaction, mirror_id: int, collection_id: int, side: Side, items: Sequence[str]
) -> dict[str, tuple[str | None, str | None]]:
    """Return of items that were read what tells whether they were changed since, and the states of their rows; None where
    they were never seen, or have no row."""
    if not items:
        return {}
    rows = t.rows(
        "SELECT m.item_id, m.digest, p.state FROM mirrored_item m "
        f"LEFT JOIN pair p ON p.mirror_id=%s AND p.{side}_open=m.item_id "
        f"WHERE m.collection_id=%s AND m.item_id IN ({','.join(['%s'] * len(items))})",
        (mirror_id, collection_id, *items),
    )
    found: dict[str, tuple[str | None, str | None]] = {r["item_id"]: (r["digest"], r["state"]) for r in rows}
    rest = [item for item in items if found.get(item, (None, None))[1] is None]
    states = states_of(t, mirror_id, side, rest)  # of pairs that ended, and of items that are not known
    return found | {item: (found.get(item, (None, None))[0], states.get(item)) for item in rest}


def touch(t: Transaction, collection_id: int, items: Sequence[str]) -> None:
    """Note that items were read again, and are as they were."""
    if items:
        t.execute(
            f"UPDATE mirrored_item SET seen_at=NOW(3) WHERE collection_id=%s AND item_id IN ({','.join(['%s'] * len(items))})",
            (collection_id, *items),
        )


def planned(t: Transaction, mirror_id: int, after: int, limit: int) -> list[KeptPair]:
    """Return rows of which something is planned, after a row's number."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM pair WHERE mirror_id=%s AND plan IS NOT NULL AND n > %s ORDER BY n LIMIT %s",
        (mirror_id, after, limit),
    )
    return [_read(r) for r in rows]


def waiting(t: Transaction, mirror_id: int, states: Sequence[str]) -> tuple[int, datetime] | None:
    """Return how many rows are in some states, and since when the last of them changed; None where there are none."""
    row = t.row(
        "SELECT COUNT(*) AS n, MAX(changed_at) AS since FROM pair WHERE mirror_id=%s AND linked<>'closed' "
        f"AND state IN ({','.join(['%s'] * len(states))})",
        (mirror_id, *states),
    )
    return (int(row["n"]), row["since"]) if row and row["n"] else None


def leave_ended(t: Transaction, mirror_id: int, side: Side) -> None:
    """Leave out what is alone since its pair ended: it is neither matched nor created again."""
    t.execute(
        f"UPDATE pair e STRAIGHT_JOIN pair p ON p.mirror_id=e.mirror_id AND p.{side}_open=e.{side}_item AND p.linked='only' "
        "SET p.state='left_out' WHERE e.mirror_id=%s AND e.state='closed' AND e.linked='closed'",
        (mirror_id,),
    )
