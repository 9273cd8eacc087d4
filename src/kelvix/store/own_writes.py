"""What workflows wrote in the places that they listen to: their own writes start no run of theirs."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kelvix.core.values import Wire
from kelvix.store import consumers
from kelvix.store.arrivals import Arrival, To
from kelvix.store.database_server import Transaction

KEPT_DAYS = 30  # an app that was not asked for so long tells of it once more


@dataclass(frozen=True)
class OwnWrite:
    """A write of an item: its version since, whether it is new, and the values of the fields that were written, as they are
    since."""

    item: str
    revision: int
    is_new: bool
    wrote: Mapping[str, Wire]


def note(t: Transaction, workspace_id: int, workflow_id: int, account: str, place: str, several: Sequence[OwnWrite]) -> None:
    """Note writes, with what is recorded of them, where the workflow listens to that place."""
    one = consumers.of_workflow(t, workspace_id, workflow_id)
    listens = t.row("SELECT 1 FROM subscription WHERE id=%s AND place=%s AND account=%s",
                    (one.subscription_id, place, account)) if one and one.subscription_id else None  # fmt: skip
    if one is None or listens is None:
        return
    for write in several:
        kept = json.dumps(write.wrote, ensure_ascii=False)
        for arrival in (Arrival(write.item, write.revision), *([Arrival(write.item)] if write.is_new else [])):
            known = arrival.digest(one.scope(account), place)
            t.execute(
                "INSERT IGNORE INTO own_write (workspace_id, workflow_id, digest, item_id, revision, wrote) "
                "VALUES (%s,%s,%s,%s,%s,%s)",
                (workspace_id, workflow_id, known, write.item[:200], arrival.revision, kept),
            )


def wrote(t: Transaction, to: To, item: str, since: int, until: int) -> dict[str, Wire]:
    """Return what the workflow itself wrote to an item after one of its versions, until another."""
    rows = t.rows(
        "SELECT wrote FROM own_write WHERE workflow_id=%s AND item_id=%s AND revision>%s AND revision<=%s ORDER BY revision",
        (to.workflow, item, since, until),
    )
    return {key: value for r in rows if r["wrote"] for key, value in json.loads(r["wrote"]).items()}


def of(t: Transaction, to: To, several: Sequence[Arrival]) -> set[Arrival]:
    """Return those that the workflow itself brought about."""
    by_digest = {one.digest(to.scope, to.place): one for one in several}
    if not by_digest:
        return set()
    marks = ",".join(["%s"] * len(by_digest))
    rows = t.rows(f"SELECT digest FROM own_write WHERE workflow_id=%s AND digest IN ({marks})", (to.workflow, *by_digest))
    return {by_digest[r["digest"]] for r in rows}


def is_writing(t: Transaction, to: To) -> bool:
    """Say whether a run of the workflow is just writing an item, so that what is told now may be its own."""
    return bool(
        t.row(
            "SELECT 1 FROM intent i JOIN run r ON r.id=i.run_id "
            "WHERE i.workspace_id=%s AND i.state='open' AND r.workflow_id=%s "
            "AND JSON_VALUE(i.payload, '$.kind') IN ('create','update','delete') LIMIT 1",
            (to.workspace, to.workflow),
        )
    )


def forget(t: Transaction, workspace_id: int) -> None:
    t.execute("DELETE FROM own_write WHERE workspace_id=%s AND at < NOW(3) - INTERVAL %s DAY", (workspace_id, KEPT_DAYS))
