"""The storm, whole: 5,000 messages while everything fails. The claim is not speed: each message has exactly one effect of each
kind, in our databases and in the practice apps. Said beside it: how often what struck."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from _report import keep, table, verdict

os.environ.setdefault("KELVIX_STORM_FROZEN", "30")
from storming import Storm, stormy_kelvix

MESSAGES = int(os.environ.get("KELVIX_STORM_MESSAGES", "5000"))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder, stormy_kelvix(Path(folder) / "k", workers=2) as running:
        began = time.monotonic()
        ledger = Storm(running, seed=1).blow(MESSAGES, pause=4.0, calm=1800)
        took = time.monotonic() - began
    rows = [[name, f"{len(kind):,}", f"{sum(n > 1 for n in kind.values())}"] for name, kind in
            (("records", ledger.records), ("mails", ledger.mails), ("web requests", ledger.requests))]  # fmt: skip
    table(
        f"storm: {ledger.messages:,} messages in {took / 60:.0f} minutes",
        ["", "of", "twice"],
        rows,
    )
    table("what struck", ["", "times"], [[name.replace("_", " "), str(n)] for name, n in ledger.struck.items()])
    verdict(not ledger.wrong() and ledger.states == {"done": ledger.messages}, "each message has one effect of each kind")
    result = {"messages": ledger.messages, "seconds": took, "struck": dict(ledger.struck)}
    keep("storm", result | {"wrong": ledger.wrong(), "states": dict(ledger.states)})


if __name__ == "__main__":
    main()
