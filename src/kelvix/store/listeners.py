"""The processes that are told when something is new, by the address at which they listen."""

from __future__ import annotations

from kelvix.store.database_server import Transaction

SECONDS = 20  # a listener that was not seen for so long is not told any more


def stay(t: Transaction, address: str, wants: str) -> None:
    """Note that a process listens on."""
    t.execute(
        "INSERT INTO listener (address, wants, seen_at) VALUES (%s,%s, NOW(3)) "
        "ON DUPLICATE KEY UPDATE wants=VALUES(wants), seen_at=NOW(3)",
        (address, wants),
    )


def leave(t: Transaction, address: str) -> None:
    t.execute("DELETE FROM listener WHERE address=%s", (address,))


def by_want(t: Transaction) -> dict[str, list[str]]:
    """Return the addresses of those that were seen lately, by what they want."""
    rows = t.rows("SELECT address, wants FROM listener WHERE seen_at > NOW(3) - INTERVAL %s SECOND", (SECONDS,))
    found: dict[str, list[str]] = {}
    for row in rows:
        found.setdefault(row["wants"], []).append(row["address"])
    return found
