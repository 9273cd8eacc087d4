"""A table of 100,000 records that is open in a browser, while records change: what that costs beside reading just those rows.

200 records change in ten seconds: most are shown, some are not, some enter. Measured are the bytes that the browser receives, the
live stream among them, and the processor time of the web application. The baseline asks for the very same rows by the same
requests, at the same times, without a browser. Claim: at most 2 times.
"""

from __future__ import annotations

import os
import random
import time
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path

from _report import keep, kelvix, table, verdict
from playwright.sync_api import Page, sync_playwright

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.commands.shots import CHROMIUM
from kelvix.store import databases, people, records
from kelvix.store.records import Origin
from support import Kelvix, Person

RECORDS = int(os.environ.get("KELVIX_LIVE_RECORDS", "100000"))
CHANGES, SECONDS, CLAIM = 200, 10.0, 2.0
SHOWN, ENTER = 0.6, 0.1  # of the changes: of records that are shown, and records that are added
TICKS = os.sysconf("SC_CLK_TCK")
ACTOR = Actor(Origin(person="Orla"))


def fill(person: Person) -> int:
    """A database of so many records: its number."""
    made = person.database("Letters", {"name": "Name", "type": "text"}, {"name": "Hours", "type": "number"})
    name, space = str(made["fields"][0]["id"]), person.space
    database = space.read(lambda t: databases.get(t, space.id, made["id"]))
    for first in range(0, RECORDS, 2_000):

        def some(t, first=first):
            for n in range(first, min(first + 2_000, RECORDS)):
                write.add(t, space.id, database, {name: f"Letter {n:06}"}, ACTOR)

        space.transact(some)
    return int(made["id"])


def change(person: Person, database_id: int, dice: random.Random) -> None:
    """One record is changed or added, as a run would do it."""
    space, dispatch = person.space, person.kelvix.engine.dispatch

    def work(t):
        database = databases.get(t, space.id, database_id)
        title, hours = (f.id for f in database.fields[:2])
        if dice.random() < ENTER:
            write.add(t, space.id, database, {title: "Enters"}, ACTOR)
            return
        lowest = RECORDS - 150 if dice.random() < SHOWN / (1 - ENTER) else 1
        record = records.get(t, database, dice.randint(lowest, RECORDS), lock=True)
        write.change(t, space.id, database, record, {hours: Decimal(dice.randint(1, 10_000))}, ACTOR)

    space.transact(work)
    dispatch.announce(space.id, "records")


def processor(kelvix: Kelvix) -> float:
    """Seconds that the web application has computed."""
    parts = Path(f"/proc/{kelvix.installation.child('web').pid}/stat").read_text().rpartition(")")[2].split()
    return (int(parts[11]) + int(parts[12])) / TICKS


def while_shown(page: Page, person: Person, database: int) -> tuple[float, int, list[tuple[float, str]]]:
    """The processor time, the bytes, and which requests came when."""
    received, asked = [0], []
    began = time.monotonic()
    session = page.context.new_cdp_session(page)
    session.send("Network.enable")
    session.on("Network.dataReceived", lambda e: received.append(e["encodedDataLength"] or e["dataLength"]))
    session.on("Network.responseReceived", lambda e: received.append(int(e["response"].get("encodedDataLength", 0))))
    page.on("request", lambda r: asked.append((time.monotonic() - began, r.url.partition(person.kelvix.address)[2])))
    computed = processor(person.kelvix)
    dice = random.Random(1)
    for n in range(CHANGES):
        change(person, database, dice)
        while time.monotonic() < began + (n + 1) * SECONDS / CHANGES:
            page.wait_for_timeout(5)
    page.wait_for_timeout(1_500)
    return processor(person.kelvix) - computed, sum(received), asked


def by_hand(person: Person, asked: list[tuple[float, str]]) -> tuple[float, int]:
    """The same requests at the same times, by a client."""
    computed, began, received = processor(person.kelvix), time.monotonic(), 0
    for at, where in asked:
        time.sleep(max(0.0, began + at - time.monotonic()))
        answer = person.web.get(where)
        received += len(answer.content) + sum(len(k) + len(v) + 4 for k, v in answer.headers.raw)
    time.sleep(max(0.0, began + SECONDS + 1.5 - time.monotonic()))
    return processor(person.kelvix) - computed, received


def main() -> None:
    with kelvix() as running, sync_playwright() as playwright:
        person = running.person("Orla")
        database = fill(person)
        chromium = playwright.chromium.launch(**CHROMIUM)
        page = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=running.address).new_page()
        page.goto(f"/sign-in/{people.new_sign_in_link(running.engine.directory.home, person.owner.id)}")
        page.goto(f"/databases/{database}")
        page.get_by_role("gridcell", name=f"Letter {RECORDS - 1:06}").wait_for()
        page.wait_for_timeout(35_000)  # what was told of the filling is over
        live, bytes_live, asked = while_shown(page, person, database)
        chromium.close()
        bare, bytes_bare = by_hand(person, asked)
    others = [where for _, where in asked if "?ids=" not in where]
    table(
        f"live: {CHANGES} of {RECORDS:,} records change in {SECONDS:.0f} s, {len(asked)} requests",
        ["", "open in a browser", "the same requests", "times"],
        [
            ["processor, ms", f"{live * 1000:.0f}", f"{bare * 1000:.0f}", f"{live / bare:.2f}"],
            ["bytes", f"{bytes_live:,}", f"{bytes_bare:,}", f"{bytes_live / bytes_bare:.2f}"],
        ],
    )
    verdict(not others, f"no request but for rows by their ids{': ' + ', '.join(others) if others else ''}")
    verdict(live <= CLAIM * bare, f"processor time at most {CLAIM} times")
    verdict(bytes_live <= CLAIM * bytes_bare, f"bytes at most {CLAIM} times")
    keep(
        "live",
        {
            "at": datetime.now(UTC).isoformat(),
            "processor": [live, bare],
            "bytes": [bytes_live, bytes_bare],
            "requests": len(asked),
        },
    )


if __name__ == "__main__":
    main()
