"""1,000 records into Tables and into Sheets: by one run that repeats, whose rounds go into Tables by 25, and by a run for each.
Beside them, in the same process and with the same reads, bare calls of the same app with as many commits to the same MariaDB as
the engine makes. Claims: one Repeat takes at most twice as long, separate runs at most four times."""

from __future__ import annotations

import os
import time
from typing import Any
from unittest.mock import patch

import pymysql
from _report import keep, kelvix, table, verdict

import sides
from engine.conftest import ByHand
from kelvix.connectors.http import Caller
from kelvix.core.lines.repeat import MAX_ROUNDS
from kelvix.core.query import Query
from kelvix.engine.runner import Runner
from kelvix.store.database_server import DatabaseServer
from support import Kelvix, Person

RECORDS = int(os.environ.get("KELVIX_OUTWARD_RECORDS", "1000"))
KINDS = (sides.Tables, sides.Sheets)
REPEAT, SEPARATE = 2.0, 4.0


class Calls:
    """The calls of an app that were made, so that the same are made bare."""

    def __init__(self) -> None:
        self.made: list[Any] = []
        self.real = Caller.call

    def call(self, caller: Caller, method: str, where: str, token: str, **more: Any) -> Any:
        self.made.append((caller, method, where, token, {k: v for k, v in more.items() if k != "called"}))
        return self.real(caller, method, where, token, **more)

    def take(self) -> list[Any]:
        made, self.made = self.made, []
        return made


class Commits:
    """How many transactions this process committed."""

    def __init__(self) -> None:
        self.number = 0
        self.real = DatabaseServer.transact

    def transact(self, server: DatabaseServer, work: Any, *more: Any) -> Any:
        self.number += 1
        return self.real(server, work, *more)


def bare(running: Kelvix, calls: Calls, made: list[Any], commits: int, here: str, there: sides.Outside) -> float:
    """Seconds for the same calls, into another place, and as many single-row INSERTs with commit."""
    server = running.settings.servers["home"]
    db = pymysql.connect(host=server.host, port=server.port, user=server.user, password=server.password, database=server.schema)
    with db, db.cursor() as cursor:
        cursor.execute("CREATE TABLE IF NOT EXISTS bare_outcome (id BIGINT AUTO_INCREMENT PRIMARY KEY, said VARCHAR(500))")
        token = there.orla.token(there.connection)
        each, done = commits / max(1, len(made)), 0
        began = time.monotonic()
        for n, (caller, method, where, _, more) in enumerate(made, 1):
            key = more.get("key") and f"{more['key']} bare"
            calls.real(caller, method, where.replace(f"/{here}/", f"/{there.place}/"), token, **{**more, "key": key})
            while done < n * each:
                cursor.execute("INSERT INTO bare_outcome (said) VALUES (%s)", (f"{method} {where}"[:500],))
                db.commit()
                done += 1
        return time.monotonic() - began


def flow_of(orla: Person, to: sides.Outside, repeats: bool) -> int:
    """A workflow that adds an item for each row of a request, or for a request."""
    inputs = {"lists": [{"key": "rows", "fields": [{"key": "name"}]}]} if repeats else {"inputs": [{"key": "name"}]}
    when = {"verb": "when", "id": "w", "own": {"kind": "address", **inputs}}
    title = {"line": "r", "value": "each.name"} if repeats else {"line": "w", "value": "name"}
    add = {"verb": "add", "id": "a", "database": to.id, "fillings": [{"field": to.title, "filling": [{"ref": title}]}]}
    if not repeats:
        return orla.workflow("One by one", {"lines": [when, add]})
    repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "rows"}}
    return orla.workflow("All at once", {"lines": [when, repeat, add | {"within": "r"}]})


def measure(
    running: Kelvix, orla: Person, kind: type[sides.Outside], repeats: bool, calls: Calls, commits: Commits
) -> list[Any]:
    words = "Repeat" if repeats else "runs"
    to, other = kind(orla, f"{kind.app} {words}"), kind(orla, f"{kind.app} {words}, bare")
    flow, by = flow_of(orla, to, repeats), ByHand(orla)
    names = [{"name": f"Part {n:04}"} for n in range(RECORDS)]
    values = [{"rows": names[n : n + MAX_ROUNDS]} for n in range(0, RECORDS, MAX_ROUNDS)] if repeats else names
    begun = [by.begin(flow, one) for one in values]
    calls.take()
    before, began = commits.number, time.monotonic()
    for run in begun:
        Runner(running.engine).carry(by.claim(run))
    took, number, made = time.monotonic() - began, commits.number - before, calls.take()
    states = orla.space.rows("SELECT state FROM run WHERE workflow_id=%s", (flow,))
    assert {r["state"] for r in states} == {"done"}
    alone = bare(running, calls, made, number, to.place, other)
    for side in (to, other):
        assert count(side) == RECORDS, (side.app, count(side))
    return [kind.__name__, words, took, alone, len(made), number]


def count(side: sides.Outside) -> int:
    found, after = 0, None
    while True:
        page = side.source.query(Query(limit=100, after=after))
        found += len(page.items)
        if (after := page.after) is None:
            return found


def main() -> None:
    calls, commits = Calls(), Commits()
    with (
        patch.object(Caller, "call", lambda *given, **more: calls.call(*given, **more)),
        patch.object(DatabaseServer, "transact", lambda *given: commits.transact(*given)),
        kelvix() as running,
    ):
        running.installation.stop_child("worker")
        orla = running.person("Orla")
        found = [measure(running, orla, kind, repeats, calls, commits) for kind in KINDS for repeats in (True, False)]
    rows = [
        [app, words, f"{took:.1f} s", f"{alone:.1f} s", f"{took / alone:.2f}", f"{made:,}", f"{number:,}"]
        for app, words, took, alone, made, number in found
    ]
    table(f"outward: {RECORDS:,} records", ["", "by", "Kelvix", "bare", "ratio", "calls", "commits"], rows)
    for words, most in (("Repeat", REPEAT), ("runs", SEPARATE)):
        of = [took / alone for _, by, took, alone, *_ in found if by == words]
        verdict(max(of) <= most, f"{words} at most {most:g} times bare calls")
    keep("outward", {"records": RECORDS, "measured": found})


if __name__ == "__main__":
    main()
