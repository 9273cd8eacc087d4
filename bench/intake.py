"""Events accepted a second: full authentication and one commit, beside a bare FastAPI endpoint that does one INSERT and
commits to the same MariaDB. Concurrency 1 and 8; median of five interleaved rounds. Claim: at least 0.7 of it."""

from __future__ import annotations

import json
import sys
import threading
import time
import uuid
from http.client import HTTPConnection

from _report import keep, kelvix, median, table, verdict

from kelvix import processes
from kelvix.formats import webhook_signature
from kelvix.settings import TOP
from kelvix.store import subscriptions
from support import Kelvix, document

ROUNDS, SECONDS, AT_LEAST = 5, 2.0, 0.7


def bare_server(running: Kelvix):
    server = running.settings.servers["home"]
    running.engine.directory.home.read(lambda t: t.execute(
        "CREATE TABLE IF NOT EXISTS bare (id BIGINT AUTO_INCREMENT PRIMARY KEY, container VARCHAR(200), item VARCHAR(200))"))  # fmt: skip
    port = processes.free_port()
    words = [
        sys.executable,
        str(TOP / "bench/_bare.py"),
        server.host,
        str(server.port),
        server.password,
        server.schema,
        str(port),
    ]
    child = processes.spawn(words)
    until = time.monotonic() + 20
    while True:
        try:
            HTTPConnection("127.0.0.1", port, timeout=1).request("GET", "/hop")
            return child, port
        except OSError:
            assert time.monotonic() < until
            time.sleep(0.05)


def load(port: int, where: str, headers, body, concurrency: int) -> float:
    """Requests a second over some seconds, from `concurrency` connections of this process."""
    counts = [0] * concurrency
    stop = time.monotonic() + SECONDS

    def send(mine: int) -> None:
        connection = HTTPConnection("127.0.0.1", port)
        while time.monotonic() < stop:
            content = body()
            connection.request("POST", where, content, headers(content))
            answer = connection.getresponse()
            answer.read()
            assert answer.status == 202, answer.status
            counts[mine] += 1

    threads = [threading.Thread(target=send, args=(n,)) for n in range(concurrency)]
    began = time.monotonic()
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return sum(counts) / (time.monotonic() - began)


def main() -> None:
    with kelvix() as running:
        orla = running.person("Orla")
        connection = orla.connect("Enquiries")
        database = orla.database("Enquiries", {"name": "Name", "type": "text"})
        folder = orla.folders["Enquiries"]
        workflow = orla.workflow("Bench", document(connection, folder, database, {"Name": "subject"}))
        orla.api("POST", f"/workflows/{workflow}/on")
        running.installation.stop_child("worker")  # what is accepted is measured, not what becomes of it
        of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, workflow))
        secret = orla.space.read(lambda t: subscriptions.push_secret(t, running.engine.vault, orla.space.id, of.id))
        child, bare_port = bare_server(running)

        def body() -> bytes:
            return json.dumps({"app": "mail", "container": str(folder), "item": uuid.uuid4().hex, "kind": "new"}).encode()

        def signed(content: bytes) -> dict[str, str]:
            stamp = int(time.time())
            return {"content-type": "application/json", "webhook-id": "m", "webhook-timestamp": str(stamp),
                    "webhook-signature": webhook_signature.sign(secret, "m", stamp, content)}  # fmt: skip

        def plain(content: bytes) -> dict[str, str]:
            signed(content)  # the sender's own cost is the same on both sides
            return {"content-type": "application/json"}

        rows, result = [], {}
        for concurrency in (1, 8):
            ours, bare = [], []
            for _ in range(ROUNDS):
                bare.append(load(bare_port, "/insert", plain, body, concurrency))
                ours.append(load(running.settings.port, f"/hooks/{orla.space.id}/{of.id}", signed, body, concurrency))
            ratio = median([o / b for o, b in zip(ours, bare, strict=True)])
            rows.append([f"concurrency {concurrency}", f"{median(ours):.0f}/s", f"{median(bare):.0f}/s", f"{ratio:.2f}"])
            result[str(concurrency)] = {"ours": ours, "bare": bare, "ratio": ratio}
        processes.stop(child)
        taken = orla.space.row("SELECT s.n, COUNT(*) AS changes FROM subscription s JOIN source_change j ON j.subscription_id=s.id "
                               "WHERE s.id=%s", (of.id,))  # fmt: skip
        assert taken["n"] == taken["changes"] > 0
    table("intake: changes accepted a second", ["", "Kelvix", "bare INSERT", "ratio"], rows)
    verdict(all(r["ratio"] >= AT_LEAST for r in result.values()), f"at least {AT_LEAST} of a bare INSERT with commit")
    keep("intake", result)


if __name__ == "__main__":
    main()
