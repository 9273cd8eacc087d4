"""Workflows: a draft that is edited, and numbered versions that never change."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter

from kelvix.core.documents import check_shape
from kelvix.core.not_found import NotFoundError
from kelvix.core.upgrading import upgraded
from kelvix.core.workflow import Workflow
from kelvix.store import inbox, trash
from kelvix.store.database_server import Row, Transaction
from kelvix.store.directory import Space

DOCUMENT: TypeAdapter[Workflow] = TypeAdapter(Workflow)


class StaleDraft(Exception):
    """A save that named an older draft than there is: it was saved from another window meanwhile."""


@dataclass(frozen=True)
class Kept:
    """A workflow as it is kept. `draft_version` goes up with each save; `live` is the version that runs."""

    id: int
    name: str
    state: str
    reason: str | None
    draft: Workflow
    draft_version: int
    live: int | None
    tried_ok_at: datetime | None
    turned_on_at: datetime | None
    turned_off_at: datetime | None
    created_at: datetime
    silence: dict[str, Any] | None = None
    running: Workflow | None = None  # the document of the live version
    running_number: int | None = None


@lru_cache(maxsize=2048)
def parse(document: str | bytes) -> Workflow:
    """Return the workflow of a document; one that was read before is not read again. Raises BadDocument, or ValueError
    (pydantic's ValidationError and the like)."""
    workflow = DOCUMENT.validate_python(upgraded(json.loads(document)))
    check_shape(workflow)
    return workflow


def dump(workflow: Workflow) -> str:
    return DOCUMENT.dump_json(workflow).decode()


def _kept(row: Row) -> Kept:
    return Kept(
        row["id"],
        row["name"],
        row["state"],
        row["reason"],
        parse(row["draft"]),
        row["draft_version"],
        row["live_version_id"],
        row["tried_ok_at"],
        row["turned_on_at"],
        row["turned_off_at"],
        row["created_at"],
        json.loads(row["silence"]) if row["silence"] else None,
        parse(row["running"]) if row["running"] else None,
        row["running_number"],
    )


SELECT = (
    "SELECT w.*, v.document AS running, v.number AS running_number FROM workflow w LEFT JOIN workflow_version v "
    "ON v.workspace_id = w.workspace_id AND v.id = w.live_version_id WHERE w.workspace_id=%s AND w.deleted_at IS NULL"
)


def list_all(t: Transaction, workspace_id: int) -> list[Kept]:
    """In order of their names."""
    rows = t.rows(SELECT, (workspace_id,))
    rows.sort(key=lambda r: (r["name"].casefold(), r["id"]))  # sorted here: the server would sort long texts on disk
    return [_kept(r) for r in rows]


def get(t: Transaction, workspace_id: int, workflow_id: int, lock: bool = False) -> Kept | None:
    row = t.row(f"{SELECT} AND w.id=%s" + (" FOR UPDATE" if lock else ""), (workspace_id, workflow_id))
    return _kept(row) if row else None


def name(t: Transaction, workspace_id: int, workflow_id: int) -> str | None:
    row = t.row("SELECT name FROM workflow WHERE workspace_id=%s AND id=%s", (workspace_id, workflow_id))
    return row["name"] if row else None


def create(space: Space, name: str, draft: Workflow) -> int:
    check_shape(draft)
    return space.transact(
        lambda t: t.insert(
            "INSERT INTO workflow (workspace_id, name, draft) VALUES (%s,%s,%s)", (space.id, name.strip()[:200], dump(draft))
        )
    )


def save(t: Transaction, workspace_id: int, workflow_id: int, saw: int, name: str, draft: Workflow) -> int:
    """Keep a draft that was edited from `saw`: its new number. The same save, sent again as its answer was lost, is made
    once. Raises StaleDraft, NotFoundError, BadDocument."""
    check_shape(draft)
    kept = get(t, workspace_id, workflow_id, lock=True)
    if kept is None:
        raise NotFoundError("workflow not found")
    if kept.draft_version == saw + 1 and kept.draft == draft and kept.name == name.strip()[:200]:
        return kept.draft_version
    if kept.draft_version != saw:
        raise StaleDraft(f"this workflow was edited elsewhere (draft {kept.draft_version})")
    t.execute(
        "UPDATE workflow SET name=%s, draft=%s, draft_version=draft_version+1 WHERE workspace_id=%s AND id=%s",
        (name.strip()[:200], dump(draft), workspace_id, workflow_id),
    )
    return saw + 1


def version_of_draft(t: Transaction, workspace_id: int, kept: Kept) -> int:
    """Return the id of the immutable version with the draft's content; create it if needed."""
    last = t.row(
        "SELECT id, number, document FROM workflow_version WHERE workspace_id=%s AND workflow_id=%s "
        "ORDER BY number DESC LIMIT 1",
        (workspace_id, kept.id),
    )
    if last and parse(last["document"]) == kept.draft:
        return int(last["id"])
    return t.insert(
        "INSERT INTO workflow_version (workspace_id, workflow_id, number, document) VALUES (%s,%s,%s,%s)",
        (workspace_id, kept.id, (last["number"] if last else 0) + 1, dump(kept.draft)),
    )


def version(t: Transaction, workspace_id: int, version_id: int) -> tuple[int, Workflow]:
    """Return a version's number and document. Raises NotFoundError."""
    row = t.row("SELECT number, document FROM workflow_version WHERE workspace_id=%s AND id=%s", (workspace_id, version_id))
    if row is None:
        raise NotFoundError("version not found")
    return row["number"], parse(row["document"])


def set_state(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    state: str,
    live: int | None,
    reason: str | None = None,
    order: str | None = None,
) -> None:
    """`order`: in which its events are carried from now on; as before where none is said."""
    when = "turned_on_at" if state == "on" else "turned_off_at"
    t.execute(
        f"UPDATE workflow SET state=%s, reason=%s, live_version_id=%s, live_order=COALESCE(%s, live_order), {when}=NOW(3) "
        "WHERE workspace_id=%s AND id=%s",
        (state, reason, live, order, workspace_id, workflow_id),
    )


def delete(t: Transaction, workspace_id: int, kept: Kept, by: str) -> None:
    """Move a workflow that is not on into the trash: it is off from now on, and drops what it holds."""
    inbox.drop(t, workspace_id, kept.id)
    for table in ("consumer", "listening", "settling"):
        t.execute(f"DELETE FROM {table} WHERE workspace_id=%s AND workflow_id=%s", (workspace_id, kept.id))
    t.execute(
        "UPDATE workflow SET state='off', reason=NULL, deleted_at=NOW(3) WHERE workspace_id=%s AND id=%s",
        (workspace_id, kept.id),
    )
    trash.put(t, workspace_id, "workflow", kept.id, kept.name, by)


def bring_back(t: Transaction, workspace_id: int, workflow_id: int) -> None:
    """Take a workflow out of the trash; it is off. Raises NotFoundError."""
    if not t.execute(
        "UPDATE workflow SET deleted_at=NULL WHERE workspace_id=%s AND id=%s AND deleted_at IS NOT NULL",
        (workspace_id, workflow_id),
    ):
        raise NotFoundError("workflow not found")
    trash.forget(t, workspace_id, "workflow", workflow_id)


# Samples: the source items with which a workflow is rehearsed.


@dataclass(frozen=True)
class Sample:
    """`kind` is fetched, edited or made_up. `item` holds carried values by key, in their JSON form."""

    id: int
    kind: str
    item_id: str | None
    item: dict[str, Any]
    item_at: datetime


MAX_SAMPLES = 50


def fetched(t: Transaction, workspace_id: int, sources: Mapping[int, tuple[str, str]]) -> dict[int, list[datetime]]:
    """By workflow, when the samples came that were fetched from its source: an app, and the name of a place there."""
    if not sources:
        return {}
    found: dict[int, list[datetime]] = {}
    for r in t.rows(
        "SELECT workflow_id, item_at, JSON_VALUE(item, '$.app') AS app, JSON_VALUE(item, '$.container') AS container "
        f"FROM sample WHERE workspace_id=%s AND kind='fetched' AND workflow_id IN ({','.join(['%s'] * len(sources))})",
        (workspace_id, *sources),
    ):
        if (r["app"], r["container"]) == sources[r["workflow_id"]]:
            found.setdefault(r["workflow_id"], []).append(r["item_at"])
    return found


def samples(t: Transaction, workspace_id: int, workflow_id: int) -> list[Sample]:
    """Return the newest first."""
    return [
        Sample(r["id"], r["kind"], r["item_id"], json.loads(r["item"]), r["item_at"])
        for r in t.rows(
            "SELECT id, kind, item_id, item, item_at FROM sample WHERE workspace_id=%s AND workflow_id=%s "
            "ORDER BY item_at DESC, id DESC LIMIT %s",
            (workspace_id, workflow_id, MAX_SAMPLES),
        )
    ]


def keep_sample(
    t: Transaction, workspace_id: int, workflow_id: int, kind: str, item_id: str | None, item: dict[str, Any], at: datetime
) -> int:
    """Keep a sample. One that was fetched before is not kept twice."""
    if kind == "fetched":
        row = t.row(
            "SELECT id FROM sample WHERE workspace_id=%s AND workflow_id=%s AND kind='fetched' AND item_id=%s",
            (workspace_id, workflow_id, item_id),
        )
        if row:
            return int(row["id"])
    return t.insert(
        "INSERT INTO sample (workspace_id, workflow_id, kind, item_id, item, item_at) VALUES (%s,%s,%s,%s,%s,%s)",
        (workspace_id, workflow_id, kind, item_id, json.dumps(item, ensure_ascii=False), at),
    )


def keep_newest_samples(t: Transaction, workspace_id: int, workflow_id: int, count: int) -> None:
    """Of those that were fetched, forget all but the newest."""
    rows = t.rows(
        "SELECT id FROM sample WHERE workspace_id=%s AND workflow_id=%s AND kind='fetched' ORDER BY id DESC",
        (workspace_id, workflow_id),
    )
    for row in rows[count:]:
        t.execute("DELETE FROM sample WHERE workspace_id=%s AND id=%s", (workspace_id, row["id"]))


def change_sample(t: Transaction, workspace_id: int, workflow_id: int, sample_id: int, item: dict[str, Any]) -> bool:
    """Edit a sample; it is marked so, and no longer stands for the item it came from."""
    return bool(
        t.execute(
            "UPDATE sample SET item=%s, kind=IF(kind='made_up', kind, 'edited') "
            "WHERE workspace_id=%s AND workflow_id=%s AND id=%s",
            (json.dumps(item, ensure_ascii=False), workspace_id, workflow_id, sample_id),
        )
    )


def forget_samples(t: Transaction, workspace_id: int, workflow_id: int, sample_id: int | None = None) -> int:
    only, args = ("AND id=%s", (sample_id,)) if sample_id is not None else ("AND kind='fetched'", ())
    return t.execute(f"DELETE FROM sample WHERE workspace_id=%s AND workflow_id=%s {only}", (workspace_id, workflow_id, *args))


def silent(t: Transaction, workspace_id: int) -> dict[int, dict[str, Any]]:
    """Return what was said of workflows that are on, and to which nothing comes any more, by workflow."""
    rows = t.rows(
        "SELECT id, silence FROM workflow WHERE workspace_id=%s AND state='on' AND silence IS NOT NULL", (workspace_id,)
    )
    return {r["id"]: json.loads(r["silence"]) for r in rows}


def set_silence(t: Transaction, workspace_id: int, workflow_id: int, said: dict[str, Any] | None) -> None:
    text = json.dumps(said, ensure_ascii=False) if said else None
    t.execute("UPDATE workflow SET silence=%s WHERE workspace_id=%s AND id=%s", (text, workspace_id, workflow_id))
