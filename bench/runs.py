"""Runs a second: 10,000 queued events through a five-line workflow, two of whose lines write to our databases, with one, two and
four workers; beside single-row INSERTs with commit from one connection to the same MariaDB, before and after each. Claims: with
two workers at least 0.15 of it, and at most 2 + N commits for a run with N effect lines."""

from __future__ import annotations

import os
import sys
import time

import pymysql
from _report import keep, kelvix, median, table, verdict

from kelvix.store import ddl, events
from kelvix.store.secrets import digest
from support import Kelvix, Person

EVENTS = int(os.environ.get("KELVIX_BENCH_EVENTS", "10000"))
SECONDS, AT_LEAST, EFFECTS = 2.0, 0.15, 2


def inserts(running: Kelvix) -> float:
    """Single-row INSERTs with commit a second."""
    server = running.settings.servers["home"]
    db = pymysql.connect(host=server.host, port=server.port, user=server.user, password=server.password, database=server.schema)
    with db, db.cursor() as cursor:
        cursor.execute(
            "CREATE TABLE IF NOT EXISTS bare_row (id BIGINT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(200), at DATETIME(3))"
        )
        number, until = 0, time.monotonic() + SECONDS
        while time.monotonic() < until:
            cursor.execute("INSERT INTO bare_row (name, at) VALUES (%s, NOW(3))", (f"row {number}",))
            db.commit()
            number += 1
    return number / SECONDS


def workflow(orla: Person, customers: dict, orders: dict) -> int:
    """When a request comes, only if it is of some size, make a value, keep the customer, add the order."""
    name, _ = (f["id"] for f in customers["fields"][:2])
    order, size = (f["id"] for f in orders["fields"][:2])

    def ref(line: str, value: str) -> list[dict]:
        return [{"ref": {"line": line, "value": value}}]

    inputs = [{"key": "customer"}, {"key": "number"}, {"key": "size", "type": "number"}]
    lines = [
        {"verb": "when", "id": "w", "own": {"kind": "address", "inputs": inputs}},
        {"verb": "only_if", "id": "o", "conditions": [{"ref": {"line": "w", "value": "size"}, "operator": "more", "words": ["0"]}]},
        {"verb": "shape", "id": "s", "values": [{"key": "t", "name": "Title", "made": {
            "kind": "filled", "filling": [{"text": "Order "}, *ref("w", "number")]}}]},
        {"verb": "add_or_update", "id": "k", "database": customers["id"], "by": [name],
         "fillings": [{"field": name, "filling": ref("w", "customer")}]},
        {"verb": "add", "id": "a", "database": orders["id"],
         "fillings": [{"field": order, "filling": ref("s", "t")}, {"field": size, "filling": ref("w", "size")}]},
    ]  # fmt: skip
    made = orla.workflow("Bench", {"lines": lines})
    orla.api("POST", f"/workflows/{made}/address")
    orla.api("POST", f"/workflows/{made}/on")
    return made


def queue(orla: Person, flow: int, number: int, round_: int) -> None:
    version = orla.space.row("SELECT live_version_id AS v FROM workflow WHERE id=%s", (flow,))["v"]

    def some(first: int) -> None:
        def work(t):
            for n in range(first, min(first + 500, number)):
                values = {"customer": f"Customer {n % 997}", "number": f"{round_}-{n}", "size": "3", "received": None}
                item = {
                    "id": f"{round_}-{n}",
                    "title": f"Order {n}",
                    "link": None,
                    "app": "kelvix",
                    "container": "",
                    "values": values,
                }
                events.take_in(t, orla.space.id, flow, version, digest("bench", round_, n), item, "request")

        orla.space.transact(work)

    for first in range(0, number, 500):
        some(first)


def commits(orla: Person) -> int:
    return int(orla.space.row("SHOW GLOBAL STATUS LIKE 'Com_commit'")["Value"])


def carry(running: Kelvix, orla: Person, flow: int, workers: int, round_: int) -> tuple[float, float]:
    """Runs a second, and commits a run, with so many workers."""
    queue(orla, flow, EVENTS, round_)
    before = orla.space.row("SELECT COUNT(*) AS n FROM run WHERE workflow_id=%s AND state='done'", (flow,))["n"]
    names = [f"worker-{n}" for n in range(workers)]
    began, committed = None, commits(orla)
    running.installation.start(*names)
    done = 0
    while done < EVENTS:
        time.sleep(0.1)
        done = orla.space.row("SELECT COUNT(*) AS n FROM run WHERE workflow_id=%s AND state='done'", (flow,))["n"] - before
        if began is None and done:
            began, first = time.monotonic(), done
            committed_then = commits(orla)
    took = time.monotonic() - began
    each = (commits(orla) - committed_then) / max(1, EVENTS - first)
    assert commits(orla) >= committed
    for name in names:
        running.installation.stop_child(name)
    return (EVENTS - first) / took, each


def main() -> None:
    with kelvix() as running:
        running.installation.stop_child("worker")
        orla = running.person("Orla")
        customers = orla.database("Customers", {"name": "Name", "type": "text"}, {"name": "Place", "type": "text"})
        orders = orla.database("Orders", {"name": "Name", "type": "text"}, {"name": "Size", "type": "number"})
        flow = workflow(orla, customers, orders)
        rows, result = [], {}
        for round_, workers in enumerate((1, 2, 4)):
            bare = [inserts(running)]
            rate, each = carry(running, orla, flow, workers, round_)
            bare.append(inserts(running))
            ratio = rate / median(bare)
            rows.append([f"{workers} workers", f"{rate:.0f}/s", f"{median(bare):.0f}/s", f"{ratio:.3f}", f"{each:.2f}"])
            result[str(workers)] = {"runs": rate, "inserts": bare, "ratio": ratio, "commits": each}
        count = [orla.space.row(f"SELECT COUNT(*) AS n FROM {ddl.table(d['id'])}")["n"] for d in (customers, orders)]
        assert count == [min(997, EVENTS), 3 * EVENTS], "each run once, and one record for each customer"
    table(f"runs: {EVENTS:,} events through five lines", ["", "runs", "INSERTs", "ratio", "commits a run"], rows)
    verdict(result["2"]["ratio"] >= AT_LEAST, f"with two workers at least {AT_LEAST} of single-row INSERTs with commit")
    verdict(all(r["commits"] <= 2 + EFFECTS for r in result.values()), f"at most 2 + {EFFECTS} commits a run")
    keep("runs", result)
    sys.stdout.flush()


if __name__ == "__main__":
    main()
