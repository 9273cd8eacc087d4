"""From push to record committed, p50 and p99, idle and at half load, beside the same number of HTTP hops and commits done bare.

A crossing is one push to Kelvix and one reading of the item from the app: two hops; and three commits: the event, the
claim, the record. Claim: p50 at most 4 times, p99 at most 8 times the bare number.
"""

from __future__ import annotations

import json
import threading
import time
from datetime import UTC, datetime
from http.client import HTTPConnection

import pymysql
from _report import keep, kelvix, median, percentile, table, verdict
from intake import bare_server

from kelvix import processes
from kelvix.engine.dispatch import REFRESH
from kelvix.formats import webhook_signature
from kelvix.store import subscriptions
from support import Kelvix, Person, document, until

ROUNDS, EACH, FLOOD, P50, P99 = 5, 150, 200, 4.0, 8.0


class Crossing:
    """A workflow that is on, and messages in its folder that nobody was told of yet."""

    def __init__(self, running: Kelvix, orla: Person):
        self.running, self.orla = running, orla
        connection = orla.connect("Enquiries")
        database = orla.database("Enquiries", {"name": "Name", "type": "text"}, {"name": "Received", "type": "datetime"})
        folder = orla.folders["Enquiries"]
        self.folder = str(folder)
        orla.faults(push="never")
        workflow = orla.workflow(
            "Bench", document(connection, folder, database, {"Name": "subject", "Received": "date", "Text": "text"})
        )
        orla.api("POST", f"/workflows/{workflow}/on")
        orla.space.transact(
            lambda t: t.execute(
                "UPDATE subscription SET next_check_at=NOW(3) + INTERVAL 1 HOUR WHERE workspace_id=%s", (orla.space.id,)
            )
        )
        of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, workflow))
        self.where = f"/hooks/{orla.space.id}/{of.id}"
        vault = running.engine.vault
        self.secret = orla.space.read(lambda t: subscriptions.push_secret(t, vault, orla.space.id, of.id))
        self.news = running.engine.dispatch
        self.news.listen("news")
        time.sleep(REFRESH + 0.5)  # until the worker knows
        body = json.dumps({"subject": "Bench", "sender": {"name": "A", "address": "a@b.example"}, "to": [], "cc": [], "date": datetime.now(UTC).isoformat(),
                           "text": "x" * 500, "attachments": [], "problems": [], "message_id": "", "html": ""})  # fmt: skip
        self.items = [
            running.practice.put("mail", folder, json.loads(body), b"", datetime.now(UTC))
            for _ in range(50 + FLOOD + 2 * ROUNDS * EACH)
        ]

    def push(self, item: int) -> None:
        body = json.dumps({"container": self.folder, "item": str(item)}).encode()
        stamp = int(time.time())
        headers = {
            "webhook-id": "m",
            "webhook-timestamp": str(stamp),
            "webhook-signature": webhook_signature.sign(self.secret, "m", stamp, body),
        }
        self.connection.request("POST", self.where, body, headers)
        answer = self.connection.getresponse()
        answer.read()
        assert answer.status == 202

    def cross(self, items: list[int], every: float) -> list[float]:
        """Milliseconds from the push's start to the record's commit. One at a time where `every` is 0; else sent in a beat."""
        began: dict[str, float] = {}
        ended: dict[str, float] = {}
        watch = pymysql.connect(host="127.0.0.1", port=self.running.settings.servers["home"].port, user="kelvix",
                                password=self.running.settings.servers["home"].password, database="kelvix", autocommit=True)  # fmt: skip
        done = threading.Event()

        def look() -> None:
            seen = 0
            while len(ended) < len(items) and not done.is_set():
                self.news.wait(0.05)  # the worker tells after each commit: to ask all the time takes the processor away
                with watch.cursor() as cursor:
                    cursor.execute(
                        "SELECT c.seq, r.item_id FROM `change` c JOIN run r ON r.id=c.run_id WHERE c.workspace_id=%s AND c.seq > %s ORDER BY c.seq",
                        (self.orla.space.id, seen),
                    )
                    now = time.perf_counter()
                    for seq, item in cursor.fetchall():
                        seen = seq
                        if item in began:
                            ended.setdefault(item, now)

        looker = threading.Thread(target=look)
        looker.start()
        self.connection = HTTPConnection("127.0.0.1", self.running.settings.port)  # one that idles is closed after some seconds
        beat = time.perf_counter()
        for item in items:
            if every:
                beat += every
                time.sleep(max(0.0, beat - time.perf_counter()))
            began[str(item)] = time.perf_counter()
            self.push(item)
            if not every:
                until(lambda i=str(item): i in ended, 20, 0.0005)
        until(lambda: len(ended) == len(items), 60)
        done.set()
        looker.join()
        watch.close()
        self.connection.close()
        return [(ended[i] - began[i]) * 1000 for i in began]


def bare(running: Kelvix, port: int, times: int) -> list[float]:
    """Two HTTP hops and three single-row commits, one after the other."""
    server = running.settings.servers["home"]
    db = pymysql.connect(host=server.host, port=server.port, user="kelvix", password=server.password, database=server.schema)
    connection = HTTPConnection("127.0.0.1", port)
    found = []
    for _ in range(times):
        began = time.perf_counter()
        for _ in range(2):
            connection.request("GET", "/hop")
            connection.getresponse().read()
        for _ in range(3):
            with db.cursor() as cursor:
                cursor.execute("INSERT INTO bare (container, item) VALUES ('a','b')")
            db.commit()
        found.append((time.perf_counter() - began) * 1000)
    return found


def main() -> None:
    with kelvix() as running:
        crossing = Crossing(running, running.person("Orla"))
        child, port = bare_server(running)
        items = iter(crossing.items)

        def some(many: int) -> list[int]:
            return [next(items) for _ in range(many)]

        bare(running, port, 50)
        crossing.cross(some(50), 0)
        began = time.perf_counter()
        crossing.cross(some(FLOOD), 1e-6)
        capacity = FLOOD / (time.perf_counter() - began)
        rounds: list[dict[str, list[float]]] = []
        for _ in range(ROUNDS):  # interleaved, so that what else the machine does falls on all alike
            rounds.append({
                "bare": bare(running, port, EACH), "idle": crossing.cross(some(EACH), 0),
                "half load": crossing.cross(some(EACH), 1 / (capacity / 2)),
            })  # fmt: skip
        processes.stop(child)
    p = {name: [median([percentile(r[name], share) for r in rounds]) for share in (0.5, 0.99)] for name in rounds[0]}
    ratios = {
        name: [median([percentile(r[name], share) / percentile(r["bare"], share) for r in rounds]) for share in (0.5, 0.99)]
        for name in ("idle", "half load")
    }
    rows = [[n, f"{a:.1f} ms", f"{b:.1f} ms", *(f"{r:.1f} x" for r in ratios.get(n, (1.0, 1.0)))] for n, (a, b) in p.items()]
    title = f"crossing: push to record committed (capacity {capacity:.0f}/s, one worker; medians of {ROUNDS} rounds)"
    table(title, ["", "p50", "p99", "p50 ratio", "p99 ratio"], rows)
    verdict(
        all(a <= P50 and b <= P99 for a, b in ratios.values()),
        f"p50 at most {P50:.0f} times, p99 at most {P99:.0f} times the bare hops and commits",
    )
    keep("crossing", {"p": p, "ratios": ratios, "capacity": capacity})


if __name__ == "__main__":
    main()
