"""Mirrors: what a person chose of them, whether they are on, and how far a plan is read and carried out."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kelvix.core.mirror import forms
from kelvix.core.mirror.document import Mirror, MirrorState
from kelvix.core.mirror.lens import Side
from kelvix.store.database_server import Row, Transaction

COLUMNS = (
    "id, workspace_id, name, state, document, version, left_collection, right_collection, stage, reason, sweep_at, created_at"
)


@dataclass(frozen=True)
class KeptMirror:
    """`state`: draft, planning, planned, on, paused, stopped or off. `left_collection` and `right_collection` are known from
    the first plan on. `stage`: how far its plan is read or carried out, or both sides
    are read again. `reason`: why it stopped. `version` grows with each edit."""

    id: int
    workspace_id: int
    name: str
    state: MirrorState
    mirror: Mirror
    version: int
    left_collection: int | None
    right_collection: int | None
    stage: Mapping[str, Any] | None
    reason: str | None
    sweep_at: datetime | None
    created_at: datetime

    def collection(self, side: Side) -> int:
        """Return the number of a side's collection. Only mirrors that were planned are asked for it."""
        found = self.left_collection if side == "left" else self.right_collection
        assert found is not None
        return found


def _read(row: Row) -> KeptMirror:
    mirror = forms.mirror_of(json.loads(row.pop("document")))
    stage = json.loads(row["stage"]) if row["stage"] else None
    return KeptMirror(**(row | {"mirror": mirror, "stage": stage}))


def get(t: Transaction, workspace_id: int, mirror_id: int, lock: bool = False) -> KeptMirror | None:
    row = t.row(
        f"SELECT {COLUMNS} FROM mirror WHERE workspace_id=%s AND id=%s" + (" FOR UPDATE" if lock else ""),
        (workspace_id, mirror_id),
    )
    return _read(row) if row else None


def list_all(t: Transaction, workspace_id: int) -> list[KeptMirror]:
    return [_read(r) for r in t.rows(f"SELECT {COLUMNS} FROM mirror WHERE workspace_id=%s ORDER BY name, id", (workspace_id,))]


def create(t: Transaction, workspace_id: int, name: str, mirror: Mirror, by: str) -> int:
    document = json.dumps(forms.mirror_json(mirror), ensure_ascii=False)
    return t.insert(
        "INSERT INTO mirror (workspace_id, name, state, document, created_by) VALUES (%s,%s,'draft',%s,%s)",
        (workspace_id, name, document, by[:200]),
    )


def save(t: Transaction, workspace_id: int, mirror_id: int, saw_version: int, name: str, mirror: Mirror) -> bool:
    """Keep an edit of a mirror that was seen at a version: whether it still had that."""
    document = json.dumps(forms.mirror_json(mirror), ensure_ascii=False)
    return bool(
        t.execute(
            "UPDATE mirror SET name=%s, document=%s, version=version+1 WHERE workspace_id=%s AND id=%s AND version=%s",
            (name, document, workspace_id, mirror_id, saw_version),
        )
    )


def set_state(t: Transaction, workspace_id: int, mirror_id: int, state: MirrorState, reason: str | None = None) -> None:
    t.execute("UPDATE mirror SET state=%s, reason=%s WHERE workspace_id=%s AND id=%s", (state, reason, workspace_id, mirror_id))


def delete(t: Transaction, workspace_id: int, mirror_id: int) -> None:
    """Delete a mirror with all that is known of its pairs; the items of both sides stay as they are."""
    for table in ("consumer", "pair", "mirror_intent", "mirror_look", "mirror_crossing", "mirror_parity"):
        t.execute(f"DELETE FROM {table} WHERE workspace_id=%s AND mirror_id=%s", (workspace_id, mirror_id))
    t.execute("DELETE FROM mirror WHERE workspace_id=%s AND id=%s", (workspace_id, mirror_id))


def collection(t: Transaction, workspace_id: int, account: str, place: str) -> int:
    """Return the number of a collection, which it has from the first time on."""
    t.execute(
        "INSERT IGNORE INTO mirrored_collection (workspace_id, account, place) VALUES (%s,%s,%s)",
        (workspace_id, account, place),
    )
    row = t.row(
        "SELECT id FROM mirrored_collection WHERE workspace_id=%s AND account=%s AND place=%s", (workspace_id, account, place)
    )
    assert row
    return int(row["id"])


def set_collections(t: Transaction, workspace_id: int, mirror_id: int, left: int, right: int) -> None:
    t.execute(
        "UPDATE mirror SET left_collection=%s, right_collection=%s WHERE workspace_id=%s AND id=%s",
        (left, right, workspace_id, mirror_id),
    )


# Plans, and other work that goes on for longer


def set_stage(t: Transaction, workspace_id: int, mirror_id: int, stage: Mapping[str, Any] | None, token: str = "") -> bool:
    """Note how far work on a mirror is. With a token: whether whoever shows it still has the work."""
    kept = json.dumps(stage, ensure_ascii=False) if stage is not None else None
    held = " AND stage_token=%s" if token else ""
    return bool(
        t.execute(
            f"UPDATE mirror SET stage=%s WHERE workspace_id=%s AND id=%s{held}",
            (kept, workspace_id, mirror_id, *([token] if token else [])),
        )
    )


def claim_stage(t: Transaction, token: str, lease: float) -> tuple[KeptMirror, bool] | None:
    """Claim the work on one mirror whose plan is to be read or carried out, for `lease` seconds; and whether it has its turn to
    call an app that limits calls."""
    row = t.row(
        f"SELECT {COLUMNS}, stage_has_turn FROM mirror WHERE stage IS NOT NULL AND "
        "(state IN ('planning','on') OR JSON_VALUE(stage, '$.does')='rehearse') "
        "AND COALESCE(stage_until, NOW(3)) <= NOW(3) LIMIT 1 FOR UPDATE SKIP LOCKED"
    )
    if row is None:
        return None
    t.execute(
        "UPDATE mirror SET stage_token=%s, stage_until=NOW(3) + INTERVAL %s SECOND, stage_has_turn=0 WHERE id=%s",
        (token, lease, row["id"]),
    )
    has_turn = bool(row.pop("stage_has_turn"))
    return _read(row), has_turn


def hold_stage(t: Transaction, mirror_id: int, token: str, lease: float, has_turn: bool = False) -> bool:
    """Hold the work, or put it off: whether it still is whose token this is. `has_turn`: it is put off until its turn to call
    an app, which it has then."""
    return bool(
        t.execute(
            "UPDATE mirror SET stage_until=NOW(3) + INTERVAL %s SECOND, stage_has_turn=%s WHERE id=%s AND stage_token=%s",
            (lease, has_turn, mirror_id, token),
        )
    )


def put_rehearsal(t: Transaction, workspace_id: int, mirror_id: int, report: Mapping[str, Any]) -> None:
    """Keep what a mirror would do, as it was last rehearsed."""
    kept = json.dumps(report, ensure_ascii=False)
    t.execute("UPDATE mirror SET rehearsal=%s WHERE workspace_id=%s AND id=%s", (kept, workspace_id, mirror_id))


def rehearsal(t: Transaction, workspace_id: int, mirror_id: int) -> dict[str, Any] | None:
    """Return what was found when a mirror was last rehearsed; None where it never was."""
    row = t.row("SELECT rehearsal FROM mirror WHERE workspace_id=%s AND id=%s", (workspace_id, mirror_id))
    return dict(json.loads(row["rehearsal"])) if row and row["rehearsal"] else None


def due_sweep(t: Transaction) -> KeptMirror | None:
    """Return a mirror of which both sides are to be read in full again, held for this transaction."""
    row = t.row(
        f"SELECT {COLUMNS} FROM mirror WHERE state='on' AND stage IS NULL AND sweep_at <= NOW(3) "
        "ORDER BY sweep_at LIMIT 1 FOR UPDATE SKIP LOCKED"
    )
    return _read(row) if row else None


def sweep_in(t: Transaction, workspace_id: int, mirror_id: int, seconds: float) -> None:
    t.execute(
        "UPDATE mirror SET sweep_at=NOW(3) + INTERVAL %s SECOND WHERE workspace_id=%s AND id=%s",
        (seconds, workspace_id, mirror_id),
    )
