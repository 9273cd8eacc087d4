"""Capture addresses, and in which databases a person's captures were kept."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from kelvix.store.database_server import Row, Transaction
from kelvix.store.secrets import Vault, digest

COLUMNS = "id, workspace_id, person_id, name, database_id, taken, last_at, created_at"
ANY = ""  # the word that every capture has


@dataclass(frozen=True)
class CaptureAddress:
    id: int
    workspace_id: int
    person_id: int
    name: str
    database_id: int | None
    taken: int
    last_at: datetime | None
    created_at: datetime


def make(
    t: Transaction, vault: Vault, workspace_id: int, person_id: int, name: str, database_id: int | None, token: str
) -> int:
    sealed = vault.seal(token, workspace_id, f"capture/{person_id}")
    return t.insert(
        "INSERT INTO capture_address (workspace_id, person_id, name, database_id, token_digest, token) "
        "VALUES (%s,%s,%s,%s,%s,%s)",
        (workspace_id, person_id, name, database_id, digest("capture", token), sealed),
    )


def list_all(t: Transaction, vault: Vault, workspace_id: int, person_id: int) -> list[tuple[CaptureAddress, str]]:
    """Return a person's own, each with its token."""
    rows = t.rows(
        f"SELECT {COLUMNS}, token FROM capture_address WHERE workspace_id=%s AND person_id=%s ORDER BY id",
        (workspace_id, person_id),
    )
    return [(_of(r), vault.open(r["token"], workspace_id, f"capture/{person_id}")) for r in rows]


def keeping_in(t: Transaction, workspace_id: int, database_id: int) -> list[CaptureAddress]:
    """Return the addresses of all persons that keep what comes in a database."""
    rows = t.rows(
        f"SELECT {COLUMNS} FROM capture_address WHERE workspace_id=%s AND database_id=%s ORDER BY id",
        (workspace_id, database_id),
    )
    return [_of(r) for r in rows]


def _of(row: Row) -> CaptureAddress:
    return CaptureAddress(**{k: v for k, v in row.items() if k in CaptureAddress.__dataclass_fields__})


def behind(t: Transaction, workspace_id: int, token: str) -> CaptureAddress | None:
    row = t.row(
        f"SELECT {COLUMNS} FROM capture_address WHERE workspace_id=%s AND token_digest=%s",
        (workspace_id, digest("capture", token)),
    )
    return _of(row) if row else None


def remove(t: Transaction, workspace_id: int, person_id: int, address_id: int) -> bool:
    return bool(
        t.execute(
            "DELETE FROM capture_address WHERE workspace_id=%s AND person_id=%s AND id=%s",
            (workspace_id, person_id, address_id),
        )
    )


def count(t: Transaction, address: CaptureAddress, most: int) -> bool:
    """Count one more within this minute; whether there is still room for it."""
    t.execute(
        "UPDATE capture_address SET in_minute=IF(minute=UNIX_TIMESTAMP() DIV 60, in_minute+1, 1), "
        "minute=UNIX_TIMESTAMP() DIV 60, taken=taken+IF(in_minute<=%s,1,0), last_at=NOW(3) WHERE workspace_id=%s AND id=%s",
        (most, address.workspace_id, address.id),
    )
    row = t.row("SELECT in_minute FROM capture_address WHERE id=%s", (address.id,))
    return bool(row and row["in_minute"] <= most)


def learn(t: Transaction, workspace_id: int, person_id: int, database_id: int, words: Iterable[str]) -> None:
    """Keep that a capture with these words was kept in a database."""
    t.many(
        "INSERT INTO capture_word (workspace_id, person_id, word, database_id, n) VALUES (%s,%s,%s,%s,1) "
        "ON DUPLICATE KEY UPDATE n=n+1",
        [(workspace_id, person_id, digest("word", w), database_id) for w in (ANY, *sorted(words))],
    )


def counts(t: Transaction, workspace_id: int, person_id: int, words: Iterable[str]) -> dict[str, dict[int, int]]:
    """How often captures with each of these words were kept in each database; and all captures, under ANY."""
    by_digest = {digest("word", w): w for w in (ANY, *words)}
    rows = t.rows(
        "SELECT word, database_id, n FROM capture_word WHERE workspace_id=%s AND person_id=%s "
        f"AND word IN ({','.join(['%s'] * len(by_digest))})",
        (workspace_id, person_id, *by_digest),
    )
    found: dict[str, dict[int, int]] = {}
    for row in rows:
        found.setdefault(by_digest[row["word"]], {})[row["database_id"]] = row["n"]
    return found


def last_used(t: Transaction, workspace_id: int, person_id: int) -> int | None:
    row = t.row(
        "SELECT database_id FROM capture_word WHERE workspace_id=%s AND person_id=%s AND word=%s ORDER BY last_at DESC LIMIT 1",
        (workspace_id, person_id, digest("word", ANY)),
    )
    return int(row["database_id"]) if row else None
