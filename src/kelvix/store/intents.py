"""What runs write outside, as it is kept before it goes out and after (core/intents.py)."""

from __future__ import annotations

import json
import secrets

from kelvix.core.intents import Intent
from kelvix.store.database_server import Transaction
from kelvix.store.runs import Claim


def get(t: Transaction, claim: Claim, line: str, place: str, slot: str) -> Intent | None:
    """Return an intent of a run, by its line, the place in what is repeated, and the slot within the line."""
    row = t.row(
        "SELECT idempotency_key, payload, state, attempt, outcome FROM intent "
        "WHERE workspace_id=%s AND run_id=%s AND line_id=%s AND place=%s AND slot=%s",
        (claim.workspace_id, claim.run_id, line, place, slot),
    )
    if row is None:
        return None
    outcome = json.loads(row["outcome"]) if row["outcome"] else None
    return Intent(row["idempotency_key"], json.loads(row["payload"]), row["state"], row["attempt"], outcome)


def keep(t: Transaction, claim: Claim, line: str, place: str, slot: str, intent: Intent) -> None:
    """Keep an intent as it is by now. To be called in a transaction that holds the run."""
    written = json.dumps(intent.outcome, ensure_ascii=False) if intent.outcome is not None else None
    t.execute(
        "INSERT INTO intent (workspace_id, run_id, line_id, place, slot, idempotency_key, payload, state, attempt, outcome) "
        "VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s) ON DUPLICATE KEY UPDATE idempotency_key=VALUES(idempotency_key), "
        "payload=VALUES(payload), state=VALUES(state), attempt=VALUES(attempt), outcome=VALUES(outcome)",
        (claim.workspace_id, claim.run_id, line, place, slot, intent.key,
         json.dumps(intent.payload, ensure_ascii=False), intent.state, intent.attempt, written),
    )  # fmt: skip


def new_key(t: Transaction, claim: Claim, line: str, place: str, number: int) -> str:
    """Draw a key: random, so that nothing ever has it again, nor an installation that is restored from a backup.

    What a run of before there were intents may have sent, it sent under a key made of its place.
    """
    row = t.row("SELECT n FROM counter WHERE workspace_id=%s AND name='keyed by place'", (claim.workspace_id,))
    if row and claim.run_id <= row["n"]:
        return f"kelvix-{claim.workspace_id}-{claim.run_id}-{line}-{place}" + (f"-{number}" if number else "")
    return f"kelvix-{secrets.token_hex(16)}"
