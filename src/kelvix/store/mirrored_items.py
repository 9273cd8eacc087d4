"""What is known of items that mirrors keep the same: what their fields stand for, for all mirrors alike, and how they are
called."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from kelvix.core.mirror import forms
from kelvix.core.mirror.reconciling import Standing
from kelvix.core.values import FieldId
from kelvix.store.database_server import Row, Transaction

COLUMNS = "item_id, fields, title, link, changed_at, changed_by, digest"


@dataclass(frozen=True)
class KnownItem:
    """`digest`: of all that the item was when it was read last."""

    fields: Mapping[FieldId, Standing]
    title: str
    link: str
    changed_at: datetime | None
    changed_by: str
    digest: str


def _read(row: Row) -> KnownItem:
    fields: dict[FieldId, Standing] = {}
    for field, kept in json.loads(row["fields"]).items():
        with contextlib.suppress(ValueError, KeyError):  # a field of a type that there is no more is read anew
            fields[field] = forms.standing_of(kept)
    return KnownItem(fields, row["title"], row["link"], row["changed_at"], row["changed_by"], row["digest"])


def of(t: Transaction, collection_id: int, items: Sequence[str]) -> dict[str, KnownItem]:
    """Return what is known of items, by their ids; one that is not among them was never seen."""
    if not items:
        return {}
    rows = t.rows(
        f"SELECT {COLUMNS} FROM mirrored_item WHERE collection_id=%s AND item_id IN ({','.join(['%s'] * len(items))})",
        (collection_id, *items),
    )
    return {r["item_id"]: _read(r) for r in rows}


def digests(t: Transaction, collection_id: int, items: Sequence[str]) -> dict[str, str]:
    """Return of items that were seen what tells whether they were changed since."""
    if not items:
        return {}
    rows = t.rows(
        f"SELECT item_id, digest FROM mirrored_item WHERE collection_id=%s AND item_id IN ({','.join(['%s'] * len(items))})",
        (collection_id, *items),
    )
    return {r["item_id"]: r["digest"] for r in rows}


def put(t: Transaction, workspace_id: int, collection_id: int, several: Mapping[str, KnownItem], anew: bool = True) -> None:
    """Keep what is known of items. Unless `anew`, what is known of those that were seen before stays."""
    if not several:
        return
    names = ("fields", "title", "link", "changed_at", "changed_by", "digest")
    then = ", ".join(f"{name}=VALUES({name})" for name in names) + ", seen_at=NOW(3)" if anew else "seen_at=NOW(3)"
    t.many(
        "INSERT INTO mirrored_item (collection_id, item_id, workspace_id, fields, title, link, changed_at, changed_by, digest) "
        f"VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s) ON DUPLICATE KEY UPDATE {then}",
        [
            (
                collection_id,
                item,
                workspace_id,
                json.dumps({f: forms.standing_json(s) for f, s in one.fields.items()}, ensure_ascii=False),
                one.title[:300],
                one.link[:1000],
                one.changed_at,
                one.changed_by[:200],
                one.digest,
            )
            for item, one in several.items()
        ],
    )


def forget_left(t: Transaction, workspace_id: int, days: int) -> None:
    """Forget items of which no mirror has anything any more."""
    t.execute(
        "DELETE FROM mirrored_item WHERE workspace_id=%s AND seen_at < NOW(3) - INTERVAL %s DAY AND collection_id NOT IN "
        "(SELECT left_collection FROM mirror WHERE workspace_id=%s AND left_collection IS NOT NULL UNION "
        "SELECT right_collection FROM mirror WHERE workspace_id=%s AND right_collection IS NOT NULL)",
        (workspace_id, days, workspace_id, workspace_id),
    )
