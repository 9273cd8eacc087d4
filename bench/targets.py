"""1,000 events into each app at once, through a network that cuts, loses, holds back and limits, while workers are killed. The claim
is not speed: each event is one item in each app, and a person is asked only where an answer was truly lost by who knows no keys."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from _report import keep, table, verdict

os.environ["KELVIX_LEASE"] = "3"
from proxy import behind_proxy, wild
from target_storm import TARGETS, IntoEach, limiting

EVENTS = int(os.environ.get("KELVIX_TARGETS_EVENTS", "1000"))


def main() -> None:
    fate = limiting(wild(seed=1, often=0.1), seed=2, often=0.05)
    with tempfile.TemporaryDirectory() as folder, behind_proxy(Path(folder) / "k", fate) as (running, proxy):
        began = time.monotonic()
        stock = IntoEach(running, proxy, seed=3).carry(EVENTS, patience=3600)
        took = time.monotonic() - began
        keys = {app for app in TARGETS if running.engine.apps[app].capabilities.keys}
    rows = [
        [
            running.engine.apps[app].name,
            f"{len(titles):,}",
            str(sum(n - 1 for n in titles.values())),
            f"{stock.lost[app]:,}",
            str(stock.doubts[app]),
        ]
        for app, titles in stock.items.items()
    ]
    table(
        f"targets: {EVENTS:,} events into each app in {took / 60:.0f} minutes, {stock.kills} workers killed",
        ["", "items", "twice", "answers lost", "in doubt"],
        rows,
    )
    table("what became of the writes", ["", "times"], [[name, f"{n:,}"] for name, n in stock.fates.items()])
    verdict(
        not stock.wrong() and all(s == {"done": EVENTS} for s in stock.states.values()), "each event is one item in each app"
    )
    asked = all(n <= stock.lost[app] and app not in keys for app, n in stock.doubts.items())
    verdict(asked, "in doubt only where an answer was lost by an app that knows no keys")
    result = {"events": EVENTS, "seconds": took, "kills": stock.kills, "fates": dict(stock.fates)}
    keep("targets", result | {"doubts": dict(stock.doubts), "lost": dict(stock.lost), "wrong": stock.wrong()})


if __name__ == "__main__":
    main()
