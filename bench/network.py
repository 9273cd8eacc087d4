"""5,000 messages through a network that cuts connections after their first byte, loses answers and holds them back. The claim is
not speed: what runs write is there once, and a person is asked only where an answer was truly lost by who knows no keys."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from _report import keep, table, verdict

from proxy import FATES, behind_proxy, wild
from proxy_storm import Through

MESSAGES = int(os.environ.get("KELVIX_NETWORK_MESSAGES", "5000"))


def main() -> None:
    with (
        tempfile.TemporaryDirectory() as folder,
        behind_proxy(Path(folder) / "k", wild(seed=1, often=0.15)) as (running, proxy),
    ):
        began = time.monotonic()
        stock = Through(running, proxy).carry(MESSAGES, patience=3600)
        took = time.monotonic() - began
        met = {fate: sum(n for (_, which), n in proxy.met.items() if which == fate) for fate in FATES}
    kinds = (
        ("records", stock.records),
        ("mails", stock.mails),
        ("requests, keys known", stock.known),
        ("requests, none", stock.told),
    )
    table(
        f"network: {MESSAGES:,} messages in {took / 60:.0f} minutes",
        ["", "of", "twice"],
        [[name, f"{len(kind):,}", str(sum(n - 1 for n in kind.values()))] for name, kind in kinds],
    )
    table("what became of the writes", ["", "times"], [[name, f"{n:,}"] for name, n in met.items()])
    whole = not stock.wrong() and stock.states == {"done": MESSAGES}
    verdict(whole, "each message has one effect of each kind")
    asked = sum(stock.doubts.values())
    verdict(
        set(stock.doubts) <= {"told"} and asked <= stock.lost, f"{asked:,} doubts, of {stock.lost:,} answers that were lost"
    )
    keep(
        "network",
        {"messages": MESSAGES, "seconds": took, "met": met, "doubts": asked, "lost": stock.lost, "wrong": stock.wrong()},
    )


if __name__ == "__main__":
    main()
