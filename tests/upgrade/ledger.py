"""What a workspace took in and what became of it, so that two moments of it can be held side by side."""

from __future__ import annotations

from typing import Any

from support import Person


def ledger(p: Person, flows: dict[str, int], received: list[dict[str, Any]]) -> dict[str, Any]:
    """By workflow: the events that it took, its runs with their lines; by database: its records with their versions; what the
    practice receiver got."""
    events = p.space.rows(
        "SELECT workflow_id, item_id, title, came_by FROM event WHERE workspace_id=%s ORDER BY id", (p.space.id,)
    )
    return {
        "flows": flows,
        "events": {n: [[e["item_id"], e["came_by"]] for e in events if e["workflow_id"] == f] for n, f in flows.items()},
        "runs": {n: runs(p, f"workflow={f}&") for n, f in flows.items()},
        "records": {d["name"]: p.records(d["id"]) for d in p.api("GET", "/databases")},
        "received": [[r["method"], r["body"], r["repeats"]] for r in received[::-1]],
        "trash": [[t["kind"], t["name"]] for t in p.api("GET", "/trash")["entries"]],
        "needs": [n["question"] for n in p.api("GET", "/needs")],
    }


def runs(p: Person, of: str = "") -> list[dict[str, Any]]:
    """Runs as they are looked back at, with all their lines, the newest first."""
    return [p.api("GET", f"/runs/{r['id']}") for r in p.api("GET", f"/runs?{of}limit=200")["runs"]]
