"""A view over a million records: its first page and one deep inside, filtered and sorted, also where nothing is as it asks.

Without an index of its own the baseline is one reading of the whole table: claim at most 2 times that. With its index it is a hundred
rows by their primary key: claim at most 3 times that. Each measurement tells the places of a page and reads the first hundred rows.
KELVIX_VIEW is the number of records.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from datetime import date

from _report import keep, kelvix, median, table, verdict

from kelvix.core.query import Comparison, Joined, Order
from kelvix.core.schema import Database
from kelvix.core.views import View
from kelvix.engine import indexing
from kelvix.store import arranging, databases, ddl, records
from kelvix.store.database_server import Transaction
from kelvix.store.databases import NewField
from kelvix.store.directory import Space
from kelvix.workspace import views

RECORDS = int(os.environ.get("KELVIX_VIEW", "1000000"))
ROUNDS, ROWS = 5, 100
FIRST, BIG = views.FIRST_PAGE, views.PAGE
STAGES = ("To do", "On the bench", "Waiting", "Done")


def fill(space: Space) -> Database:
    """Made-up tasks with a text each, written at once."""
    fields = (
        NewField("Name", "text"),
        NewField("Stage", "choice", choices=STAGES),
        NewField("Due", "date"),
        NewField("Hours", "number"),
    )
    made = databases.create(space, "Tasks", fields)
    by = {f.name: ddl.column(f.id) for f in made.fields}
    space.read(
        lambda t: t.execute(
            f"INSERT INTO {ddl.table(made.id)} ({by['Name']}, {by['Stage']}, {by['Due']}, {by['Hours']}, f_0) "
            "SELECT CONCAT('Task ', seq), 1 + MOD(seq * 7, 4), DATE('2020-01-01') + INTERVAL MOD(seq * 7919, 2500) DAY, "
            f"MOD(seq, 400) / 4, REPEAT('Take the edge off; leave the bass. ', 8) FROM seq_1_to_{RECORDS}"
        )
    )
    space.read(lambda t: t.execute(f"ANALYZE TABLE {ddl.table(made.id)}"))
    return made


def timed(work: Callable[[], object]) -> float:
    """The median of a few rounds, in seconds, after one that warms up."""
    work()
    found = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return median(found)


def main() -> None:
    with kelvix() as running:
        running.installation.stop_child("worker")
        space = running.person("Orla").space
        database = fill(space)
        by = {f.name: f for f in database.fields}
        done = next(c.id for c in by["Stage"].choices if c.name == "Done")
        open_ones = Joined(
            "all", (Comparison(by["Stage"].id, "is_not", done), Comparison(by["Due"].id, "after", date(2021, 1, 1)))
        )
        nothing = Joined("all", (Comparison(by["Hours"].id, "more", 1000), Comparison(by["Stage"].id, "is_not", done)))
        order = (Order(by["Due"].id, True), Order(by["Hours"].id))
        table_, hours = ddl.table(database.id), ddl.column(by["Hours"].id)

        def scan() -> None:
            space.rows(f"SELECT COUNT(*) AS n FROM {table_} WHERE deleted_at IS NULL AND {hours} < %s", [-1])

        def page(where: Joined, after: str | None, index: str | None) -> str | None:
            def work(t: Transaction) -> str | None:
                found, next_ = arranging.places(t, database, where, order, None, space.zone, FIRST, after=after, index=index)
                records.many(t, database, [p.record for p in found[:ROWS]])
                return next_

            return space.read(work)

        def deep(index: str | None) -> str | None:
            """Where a page half-way begins."""
            after = None
            for _ in range(RECORDS // 2 // BIG):
                _, after = space.read(
                    lambda t, after=after: arranging.places(
                        t, database, open_ones, order, None, space.zone, BIG, after=after, index=index
                    )
                )
            return after

        some = [r["id"] for r in space.rows(f"SELECT id FROM {table_} WHERE MOD(id, %s)=1 LIMIT {ROWS}", [RECORDS // ROWS])]
        whole, rows = timed(scan), timed(lambda: space.read(lambda t: records.many(t, database, some)))
        where_deep = deep(None)
        plain = {
            "first page": timed(lambda: page(open_ones, None, None)),
            "half-way": timed(lambda: page(open_ones, where_deep, None)),
            "nothing matches": timed(lambda: page(nothing, None, None)),
        }
        kept: dict[str, float] = {"records": RECORDS, "scan": whole, "rows": rows}
        indexed: dict[str, float] = {}
        for number, (where, names) in enumerate(((open_ones, ("first page", "half-way")), (nothing, ("nothing matches",))), 1):
            ddl.view_index(space.server, database.id, number, indexing.parts_of(View(where=where, order=order), database))
            index = ddl.view_index_name(number)
            for name in names:
                indexed[name] = timed(lambda w=where, i=index, n=name: page(w, where_deep if n == "half-way" else None, i))
    table(
        f"A filtered, sorted view of {RECORDS:,} records",
        ["", "ms", "times"],
        [
            ["the whole table read once", f"{whole * 1000:.0f}", "1"],
            *([f"{n}, no index", f"{s * 1000:.0f}", f"{s / whole:.2f}"] for n, s in plain.items()),
            [f"{ROWS} rows by primary key", f"{rows * 1000:.1f}", "1"],
            *([f"{n}, its index", f"{s * 1000:.1f}", f"{s / rows:.2f}"] for n, s in indexed.items()),
        ],
    )
    worst = max(plain.values()) / whole
    verdict(worst <= 2, f"without an index at most 2 times a reading of the table: {worst:.2f}")
    found = max(s for n, s in indexed.items() if n != "nothing matches") / rows
    verdict(found <= 3, f"with its index at most 3 times {ROWS} rows by primary key: {found:.2f}")
    keep("view", kept | {f"plain {n}": s for n, s in plain.items()} | {f"indexed {n}": s for n, s in indexed.items()})


if __name__ == "__main__":
    main()
