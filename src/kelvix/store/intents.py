"""What runs write outside, as it is kept before it goes out and after (core/intents.py)."""

from __future__ import annotations

import json
import secrets
from collections.abc import Sequence

from kelvix.core.intents import Intent
from kelvix.store.database_server import Row, Transaction
from kelvix.store.runs import Claim

COLUMNS = "idempotency_key, payload, state, attempt, outcome"


def get(t: Transaction, claim: Claim, line: str, place: str, slot: str) -> Intent | None:
    """Return an intent of a run, by its line, the place in what is repeated, and the slot within the line."""
    row = t.row(
        f"SELECT {COLUMNS} FROM intent WHERE workspace_id=%s AND run_id=%s AND line_id=%s AND place=%s AND slot=%s",
        (claim.workspace_id, claim.run_id, line, place, slot),
    )
    return _read(row) if row else None


def of_line(t: Transaction, claim: Claim, line: str, place: str) -> dict[str, Intent]:
    """Return all intents of a line of a run, by slot."""
    rows = t.rows(
        f"SELECT slot, {COLUMNS} FROM intent WHERE workspace_id=%s AND run_id=%s AND line_id=%s AND place=%s",
        (claim.workspace_id, claim.run_id, line, place),
    )
    return {row["slot"]: _read(row) for row in rows}


def of_key(t: Transaction, claim: Claim, line: str, slot: str, key: str) -> dict[str, Intent]:
    """Return the intents of a line of a run that went out together, by their places."""
    rows = t.rows(
        f"SELECT place, {COLUMNS} FROM intent WHERE workspace_id=%s AND run_id=%s AND line_id=%s AND slot=%s "
        "AND idempotency_key=%s",
        (claim.workspace_id, claim.run_id, line, slot, key),
    )
    return {row["place"]: _read(row) for row in rows}


def done_of_run(t: Transaction, workspace_id: int, run_id: int) -> dict[tuple[str, str], Intent]:
    """Return the intents of a run that were carried out, by their lines and places, in the order of these."""
    rows = t.rows(
        f"SELECT line_id, place, {COLUMNS} FROM intent WHERE workspace_id=%s AND run_id=%s AND state='done' "
        "ORDER BY line_id, place",
        (workspace_id, run_id),
    )
    return {(row["line_id"], row["place"]): _read(row) for row in rows}


def begun_places(t: Transaction, claim: Claim, line: str, slot: str) -> set[str]:
    """Return the places at which a line of a run wrote something, or may have."""
    rows = t.rows(
        "SELECT place FROM intent WHERE workspace_id=%s AND run_id=%s AND line_id=%s AND slot=%s AND state<>'unsent'",
        (claim.workspace_id, claim.run_id, line, slot),
    )
    return {row["place"] for row in rows}


def _read(row: Row) -> Intent:
    outcome = json.loads(row["outcome"]) if row["outcome"] else None
    return Intent(row["idempotency_key"], json.loads(row["payload"]), row["state"], row["attempt"], outcome)


def keep(t: Transaction, claim: Claim, line: str, place: str, slot: str, intent: Intent) -> None:
    """Keep an intent as it is by now. To be called in a transaction that holds the run."""
    keep_many(t, claim, line, slot, [(place, intent)])


def keep_many(t: Transaction, claim: Claim, line: str, slot: str, several: Sequence[tuple[str, Intent]]) -> None:
    """Keep the intents of several places in the same way."""
    values: list[object] = []
    for place, intent in several:
        written = json.dumps(intent.outcome, ensure_ascii=False) if intent.outcome is not None else None
        values += (claim.workspace_id, claim.run_id, line, place, slot, intent.key,
                   json.dumps(intent.payload, ensure_ascii=False), intent.state, intent.attempt, written)  # fmt: skip
    marks = ",".join(["(%s,%s,%s,%s,%s,%s,%s,%s,%s,%s)"] * len(several))
    t.execute(
        "INSERT INTO intent (workspace_id, run_id, line_id, place, slot, idempotency_key, payload, state, attempt, outcome) "
        f"VALUES {marks} ON DUPLICATE KEY UPDATE idempotency_key=VALUES(idempotency_key), "
        "payload=VALUES(payload), state=VALUES(state), attempt=VALUES(attempt), outcome=VALUES(outcome)",
        tuple(values),
    )


def new_key(t: Transaction, claim: Claim, line: str, place: str, number: int) -> str:
    """Draw a key: random, so that nothing ever has it again, nor an installation that is restored from a backup.

    What a run of before there were intents may have sent, it sent under a key made of its place.
    """
    row = t.row("SELECT n FROM counter WHERE workspace_id=%s AND name='keyed by place'", (claim.workspace_id,))
    if row and claim.run_id <= row["n"]:
        return f"kelvix-{claim.workspace_id}-{claim.run_id}-{line}-{place}" + (f"-{number}" if number else "")
    return f"kelvix-{secrets.token_hex(16)}"
