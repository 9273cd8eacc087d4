"""Rows found again in a sheet that gives them no identity, after it was sorted, rows were inserted and deleted, and cells edited.

A parts ledger of 5,000 rows, seeded; names and shelves repeat. Then, eight times over, from one reading to the next: sorted by a
column chosen at random, 2 % of the rows deleted, as many inserted (half of them begun as a copy of another row, as people make
them), and in 10 % of the rows one cell edited. Counted are the rows that were there before and still are. Claims: at least 99 %
are found again, and at most one in a thousand is taken for another: where a row was deleted and one much like it inserted, the
smallest explanation is that it was edited. Baselines in the same run: by where a row stood, by its exact contents, by its first
cell.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable

from _report import keep, table, verdict

from kelvix.core.sheets.row_identity import match_rows

ROWS, READINGS, SEED, FOUND, WRONG = 5_000, 8, 1851, 0.99, 0.001
THINGS = [
    "Reed leather",
    "Hide glue",
    "Bellows cloth",
    "Action wire",
    "Felt",
    "Pallet spring",
    "Sticker",
    "Tracker",
    "Tuning slide",
]
SIZES = ["6 mm", "8 mm", "10 mm", "12 mm", "16 mm", "½ inch", "¾ inch"]
NOTES = ["", "", "", "for St Bride", "for the chapel", "second quality", "order more", "see letter"]

Row = tuple[str, ...]


def part(dice: random.Random) -> Row:
    return (
        dice.choice(THINGS),
        dice.choice(SIZES),
        f"shelf {dice.randint(1, 40)}",
        str(dice.randint(0, 60)),
        f"{dice.randint(50, 9_999) / 100:.2f}",
        dice.choice(NOTES),
    )


def next_reading(dice: random.Random, sheet: list[tuple[int, Row]], unused: int) -> list[tuple[int, Row]]:
    """The same sheet some days later; new rows have numbers from `unused`."""
    by = dice.randrange(6)
    sheet = sorted(sheet, key=lambda one: one[1][by])
    for _ in range(len(sheet) // 50):
        sheet.pop(dice.randrange(len(sheet)))
    for n in range(len(sheet) // 50):
        row = part(dice) if n % 2 else (*dice.choice(sheet)[1][:3], *part(dice)[3:])
        sheet.insert(dice.randrange(len(sheet)), (unused + n, row))
    for at in dice.sample(range(len(sheet)), len(sheet) // 10):
        known, row = sheet[at]
        cell = dice.randrange(6)
        sheet[at] = (known, (*row[:cell], part(dice)[cell], *row[cell + 1 :]))
    return sheet


def by_place(old: list[Row], new: list[Row]) -> dict[int, int]:
    return {n: n for n in range(min(len(old), len(new)))}


def once_by(of: Callable[[Row], object]) -> Callable[[list[Row], list[Row]], dict[int, int]]:
    def found(old: list[Row], new: list[Row]) -> dict[int, int]:
        first: dict[object, int] = {}
        for n, row in enumerate(old):
            first.setdefault(of(row), n)
        return {n: first[of(row)] for n, row in enumerate(new) if of(row) in first}

    return found


WAYS: dict[str, Callable[[list[Row], list[Row]], dict[int, int]]] = {
    "by where it stood": by_place,
    "by its first cell": once_by(lambda row: row[0]),
    "by its exact contents": once_by(lambda row: row),
    "row_identity": lambda old, new: match_rows(old, new).same,
}


def main() -> None:
    results = {}
    for name, way in WAYS.items():
        dice = random.Random(SEED)
        sheet = [(n, part(dice)) for n in range(ROWS)]
        right = wrong = still = 0
        seconds = 0.0
        for reading in range(READINGS):
            after = next_reading(dice, sheet, ROWS * (reading + 1))
            old, new = [row for _, row in sheet], [row for _, row in after]
            began = time.perf_counter()
            found = way(old, new)
            seconds += time.perf_counter() - began
            known = {number for number, _ in sheet}
            still += sum(number in known for number, _ in after)
            same = [after[j][0] == sheet[i][0] or new[j] == old[i] == new[j] for j, i in found.items()]
            right += sum(same)
            wrong += len(same) - sum(same)
            sheet = after
        results[name] = {"found": right / still, "wrong": wrong / still, "milliseconds": seconds / READINGS * 1000}
    table(
        f"{ROWS:,} rows, {READINGS} readings",
        ["way", "found again", "taken for another", "a reading"],
        [[name, f"{r['found']:.2%}", f"{r['wrong']:.3%}", f"{r['milliseconds']:.0f} ms"] for name, r in results.items()],
    )
    ours = results["row_identity"]
    verdict(ours["found"] >= FOUND, f"at least {FOUND:.0%} found again")
    verdict(ours["wrong"] <= WRONG, f"at most {WRONG:.1%} taken for another")
    keep("row_identity", {"results": results})


if __name__ == "__main__":
    main()
