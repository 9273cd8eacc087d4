"""A mirror of 2,000 items between a database and practice Tasks, both sides edited at once, through a network that cuts, loses, holds
back and limits, while workers are killed (tests/mirror_storm.py). Claims: nothing is lost, nothing is there twice, both sides are the
same but where a person is asked, and no more is asked than there were edits of both sides.
"""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

from _report import keep, table, verdict

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
from mirror_storm import TwoWays
from proxy import behind_proxy, wild
from target_storm import limiting

ITEMS, EDITS = 2_000, 2_000


def main() -> None:
    os.environ["KELVIX_LEASE"] = "3"
    fate = limiting(wild(seed=7, often=0.1), seed=1, often=0.05)
    with tempfile.TemporaryDirectory() as folder, behind_proxy(Path(folder) / "k", fate) as (running, proxy):
        book = TwoWays(running, proxy, seed=3, items=ITEMS).blow(EDITS, patience=1_800)
    twice = {side: sum(n - 1 for n in titles.values()) for side, titles in book.titles.items()}
    missing = {side: ITEMS - len(titles) for side, titles in book.titles.items()}
    table(
        f"{ITEMS:,} items, {len(book.edits):,} edits, {book.kills} workers killed",
        ["", "left", "right"],
        [["missing", *(str(missing[s]) for s in ("left", "right"))], ["twice", *(str(twice[s]) for s in ("left", "right"))]],
    )
    print(f"  conflicts: {book.conflicts}; unconfirmed: {book.unconfirmed}; writes: {book.writes:,}")
    verdict(not book.lost(), f"no edit is lost: {len(book.lost())}")
    verdict(not any(twice.values()) and not any(missing.values()), "each item is there once, on both sides")
    verdict(book.differ == 0, f"pairs differ only where a person is asked: {book.differ}")
    verdict(book.writes <= len(book.edits) + ITEMS, "no more writes than edits and items to be created")
    keep("mirror_storm", {"edits": len(book.edits), "kills": book.kills, "lost": len(book.lost()), "conflicts": book.conflicts})


if __name__ == "__main__":
    main()
