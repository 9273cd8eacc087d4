"""What each screen asks of a workspace that has grown: 400,000 runs with 1.2 million lines, 500,000 records and a million changes.

Beside the screens, a mail that crosses. Claim: each takes at most twice as long as in a workspace that has just begun, or 20 ms.
KELVIX_GROWTH is the number of runs.
"""

from __future__ import annotations

import os
import time

from _report import crossings, keep, kelvix, median, table, verdict

from support import On, Person, turn_on, until

RUNS = int(os.environ.get("KELVIX_GROWTH", "400000"))
RECORDS, CHANGES = RUNS * 5 // 4, RUNS * 5 // 2
ROUNDS, TWICE, FLOOR = 15, 2.0, 0.02
CROSSING = 10.0  # seconds for which mails are sent
FIRST = 40  # messages that are carried for real, and multiplied


def begin(person: Person) -> On:
    """A workflow that is on, with some runs, one of which failed."""
    on = turn_on(person)
    for n in range(FIRST):
        person.deliver(f"message {n}")
    until(lambda: len(on.titles()) == FIRST, 60)
    person.space.transact(
        lambda t: t.execute(
            "UPDATE run SET state='failed', problem='{\"sentence\": \"it failed\"}' WHERE workspace_id=%s ORDER BY id LIMIT 1",
            (person.space.id,),
        )
    )
    return on


def double(person: Person, table: str, columns: str, picks: str, wanted: int, where: str) -> None:
    """Put copies of rows into a table until there are as many as wanted."""
    space = person.space
    count = f"SELECT COUNT(*) AS n FROM {table} WHERE {where}"
    while (have := space.row(count)["n"]) < wanted:
        some = min(have, wanted - have, 50_000)
        space.read(
            lambda t, some=some: t.execute(
                f"INSERT INTO {table} ({columns}) SELECT {picks} FROM {table} WHERE {where} LIMIT {some}"
            )
        )


def grow(on: On) -> None:
    """Multiply runs, their lines, records and changes. Dates are spread over the last year."""
    person, space = on.person, on.person.space
    mine = f"workspace_id={space.id}"
    columns = "workspace_id, workflow_id, version_id, kind, state, item_id, title, item, attempts, token"
    double(person, "run", f"{columns}, created_at, finished_at",
           f"{columns}, NOW(3) - INTERVAL RAND() * 365 DAY, NOW(3)", RUNS, f"{mine} AND state='done'")  # fmt: skip
    for line in ("w", "a", "z"):
        space.read(lambda t, line=line: t.execute(
            f"INSERT IGNORE INTO run_line (workspace_id, run_id, line_id, outcome, input, output) SELECT workspace_id, id, '{line}', "
            f"'added', 'null', 'null' FROM run WHERE {mine}"))  # fmt: skip
    records = f"record_{on.database['id']}"
    fields = ", ".join(
        r["Field"]
        for r in space.rows(f"SHOW COLUMNS FROM {records}")
        if r["Field"] not in ("id", "record_id") and r["Extra"] == ""
    )
    double(person, records, fields, fields, RECORDS, "1=1")
    seq = space.row(f"SELECT MAX(seq) AS n FROM `change` WHERE {mine}")["n"]
    rest = "workspace_id, database_id, record_id, version, kind, run_id, line_id, origin, before_values, after_values"
    while seq < CHANGES:
        space.read(lambda t, seq=seq: t.execute(
            f"INSERT INTO `change` (seq, {rest}) SELECT seq + {seq}, {rest} FROM `change` WHERE {mine} AND seq <= {min(seq, 50_000)}"))  # fmt: skip
        seq = space.row(f"SELECT MAX(seq) AS n FROM `change` WHERE {mine}")["n"]
    space.read(lambda t: t.execute(f"UPDATE counter SET n={seq} WHERE {mine} AND name='change'"))
    space.read(lambda t: t.execute(f"ANALYZE TABLE run, run_line, `change`, {records}"))


def screens(on: On) -> dict[str, str]:
    run = on.person.runs(on.workflow)[0]["id"]
    database = on.database["id"]
    record = on.person.records(database)[0]["id"]
    return {
        "Today": "/today", "Today, the list": "/today/list", "Needs you": "/attention", "questions": "/needs",
        "Workflows": "/workflows", "one workflow": f"/workflows/{on.workflow}", "Runs": "/runs",
        "Runs that failed": "/runs?state=failed", "failed, of one workflow": f"/runs?state=failed&workflow={on.workflow}",
        "Runs of a workflow": f"/runs?workflow={on.workflow}", "one run": f"/runs/{run}", "Databases": "/databases",
        "a database": f"/databases/{database}", "records": f"/databases/{database}/records", "Connections": "/connections",
        "a record": f"/databases/{database}/records/{record}",
    }  # fmt: skip


def measure(on: On) -> dict[str, float]:
    found: dict[str, float] = {}
    for name, where in screens(on).items():
        times = []
        for _ in range(ROUNDS):
            began = time.perf_counter()
            answer = on.person.web.get(f"/api/v1{where}")
            times.append(time.perf_counter() - began)
            assert answer.status_code == 200, (where, answer.text)
        found[name] = median(times)
    found["a mail crosses"] = median(crossings(on, CROSSING, "crossing"))
    return found


def main() -> None:
    with kelvix() as running:
        small, large = begin(running.person("Sam")), begin(running.person("Lara"))
        began = time.monotonic()
        grow(large)
        print(f"  grown in {time.monotonic() - began:.0f} s", flush=True)
        before, after = measure(small), measure(large)
    rows = [[n, f"{before[n] * 1e3:.0f} ms", f"{after[n] * 1e3:.0f} ms", f"{after[n] / before[n]:.1f} x"] for n in before]
    table(f"growth: {RUNS:,} runs, {RECORDS:,} records, {CHANGES:,} changes", ["", "just begun", "grown", "ratio"], rows)
    slow = [n for n in before if after[n] > max(FLOOR, TWICE * before[n])]
    verdict(not slow, f"each at most {TWICE:.0f} times, or {FLOOR * 1e3:.0f} ms" + (f": not {', '.join(slow)}" if slow else ""))
    keep("growth", {"before": before, "after": after})


if __name__ == "__main__":
    main()
