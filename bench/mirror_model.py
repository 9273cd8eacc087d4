"""Mirrors against a model of what people did (tests/mirror_world.py): 200,000 steps of people and mirrors, in which anything may go
wrong at each: crashes around every commit and call, lost answers, refusals, edits between reading and writing, pushes that are
lost, doubled or late. Two collections, three in a chain and three in a ring; with and without versions and keys; with policies; with
apps that keep values in their own way, drop a part of them, or refuse them.

Claims: no edit is lost, nothing is made twice, nothing that was deleted comes back, all comes to rest, and a further run writes
nothing. Seeded: a history that fails is named by its kind and number.
"""

from __future__ import annotations

import random
import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from _report import keep, table, verdict

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
from mirror_world import KINDS, live

STEPS, LENGTH = 200_000, 60
FIRST = 10_000  # the suite has lived through the first of them
TOGETHER = 50


def lives(kind: str, first: int) -> tuple[str, Counter[str], list[str]]:
    """Live through some histories: how much happened, and which did not come out as they must."""
    counted: Counter[str] = Counter()
    wrong = []
    for seed in range(first, first + TOGETHER):
        try:
            world = live(random.Random(seed), kind, LENGTH)
        except AssertionError as error:
            wrong.append(f"{kind} {seed}: {error}")
            continue
        counted["histories"] += 1
        counted["edits"] += len(world.edits)
        counted["writes"] += sum(app.writes for app in world.apps.values())
        counted["questions"] += world.asked + sum(
            o.conflict is not None for m, _ in world.mirrors for p in m.pairs.values() for o in p.open.values()
        )
    return kind, counted, wrong


def main() -> None:
    rounds = STEPS // LENGTH // TOGETHER // len(KINDS) + 1
    began = time.perf_counter()
    totals = {kind: Counter() for kind in KINDS}
    wrong: list[str] = []
    with ProcessPoolExecutor(2) as pool:
        work = [pool.submit(lives, kind, FIRST + TOGETHER * n) for n in range(rounds) for kind in KINDS]
        for one in work:
            kind, counted, failed = one.result()
            totals[kind] += counted
            wrong += failed
    steps = rounds * len(KINDS) * TOGETHER * LENGTH
    rows = [[kind, *(f"{t[of]:,}" for of in ("histories", "edits", "writes", "questions"))] for kind, t in totals.items()]
    seconds = time.perf_counter() - began
    table(f"{steps:,} steps in {seconds:.0f} s", ["kind", "histories", "edits", "writes", "questions"], rows)
    for failed in wrong[:10]:
        print(failed)
    verdict(not wrong, f"{steps:,} steps without anything lost, made twice or left restless")
    keep("mirror_model", {"steps": steps, "wrong": wrong, "totals": {k: dict(t) for k, t in totals.items()}})


if __name__ == "__main__":
    main()
