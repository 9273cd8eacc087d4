"""What the measurements share: a Kelvix of their own, tables, and results as JSON."""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from kelvix.settings import TOP
from support import Kelvix, On, until

RESULTS = TOP / "bench/results"
EVERY = 0.15  # seconds between messages whose crossing is measured


@contextmanager
def kelvix() -> Iterator[Kelvix]:
    """A whole Kelvix in a folder that goes with it."""
    with tempfile.TemporaryDirectory() as folder:
        running = Kelvix(Path(folder))
        try:
            yield running
        finally:
            running.stop()


def crossings(on: On, seconds: float, what: str) -> list[float]:
    """Seconds from a message's way in to the record's commit, for one message after the other; by the log of changes, so that
    what is measured is not the reading of records."""
    found: list[float] = []
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        name = f"{what} {len(found)}"
        before = on.person.space.row(
            "SELECT COALESCE(MAX(seq),0) AS n FROM `change` WHERE workspace_id=%s", (on.person.space.id,)
        )
        began = time.monotonic()
        on.person.deliver(name)
        until(
            lambda n=before["n"]: on.person.space.row(
                "SELECT seq FROM `change` WHERE workspace_id=%s AND seq > %s LIMIT 1", (on.person.space.id, n)
            ),
            60,
            0.002,
        )
        found.append(time.monotonic() - began)
        time.sleep(EVERY)
    return found


def percentile(values: list[float], share: float) -> float:
    return sorted(values)[min(len(values) - 1, int(len(values) * share))]


def table(title: str, head: list[str], rows: list[list[str]]) -> None:
    widths = [max(len(r[n]) for r in [head, *rows]) for n in range(len(head))]
    print(f"\n{title}")
    for row in [head, ["-" * w for w in widths], *rows]:
        print(
            "  "
            + "  ".join(cell.ljust(w) if n == 0 else cell.rjust(w) for n, (cell, w) in enumerate(zip(row, widths, strict=True)))
        )


def keep(name: str, result: dict[str, Any]) -> None:
    RESULTS.mkdir(exist_ok=True)
    (RESULTS / f"{name}.json").write_text(json.dumps(result, indent=1))


def verdict(holds: bool, claim: str) -> None:
    print(f"  {'holds' if holds else 'DOES NOT HOLD'}: {claim}")


median = statistics.median
