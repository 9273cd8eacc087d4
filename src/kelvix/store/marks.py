"""Marks: what the items of a place were when they were looked at last, for subscriptions of which somebody wants to know what
changed. They move with what is taken to have happened (store/journal.py), in one commit."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict

from kelvix.core.watching import Mark
from kelvix.store.database_server import Transaction


def of(t: Transaction, subscription_id: int, items: Sequence[str]) -> dict[str, Mark]:
    """Return the marks of items, by their ids; one that is not among them is not known."""
    if not items:
        return {}
    rows = t.rows(
        f"SELECT item_id, kept FROM mark WHERE subscription_id=%s AND item_id IN ({','.join(['%s'] * len(items))})",
        (subscription_id, *items),
    )
    return {r["item_id"]: Mark(**json.loads(r["kept"])) for r in rows}


def begin(t: Transaction, subscription_id: int, known: Mapping[str, Mark]) -> None:
    """Keep the marks of what was there when somebody began to listen; those that are kept by now stay."""
    if known:
        t.many(
            "INSERT IGNORE INTO mark (subscription_id, item_id, kept) VALUES (%s,%s,%s)",
            [(subscription_id, item, _kept(mark)) for item, mark in known.items()],
        )


def put(t: Transaction, subscription_id: int, item: str, mark: Mark | None) -> None:
    """Keep what an item is now; none where it is not there any more."""
    if mark is None:
        t.execute("DELETE FROM mark WHERE subscription_id=%s AND item_id=%s", (subscription_id, item))
        return
    t.execute(
        "INSERT INTO mark (subscription_id, item_id, kept) VALUES (%s,%s,%s) ON DUPLICATE KEY UPDATE kept=VALUES(kept)",
        (subscription_id, item, _kept(mark)),
    )


def not_among(t: Transaction, subscription_id: int, items: Iterable[str]) -> dict[str, str | None]:
    """Return the items that have a mark and are not among these, with the versions that they had."""
    there = set(items)
    rows = t.rows(
        "SELECT item_id, JSON_VALUE(kept, '$.version') AS version FROM mark WHERE subscription_id=%s", (subscription_id,)
    )
    return {r["item_id"]: r["version"] for r in rows if r["item_id"] not in there}


def forget(t: Transaction, subscription_id: int) -> None:
    t.execute("DELETE FROM mark WHERE subscription_id=%s", (subscription_id,))


def _kept(mark: Mark) -> str:
    return json.dumps(asdict(mark), ensure_ascii=False)
