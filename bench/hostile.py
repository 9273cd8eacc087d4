"""A neighbour's crossings while another workspace is attacked or attacks, beside its crossings in quiet, in the same run.

Claim: p99 at most twice that in quiet, or 250 ms. Attacks: a receiver that answers a byte at a time, files that take their reader
minutes, pages of brackets, formulas that never end, half-sent requests, uploads that drip, mails of brackets. Run by its name only.
"""

from __future__ import annotations

import os
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import httpx2 as httpx
from _report import crossings, keep, percentile, table, verdict

from attacks import dripping, heavy_pdf, tell_a_receiver
from support import FIELDS, Kelvix, Person, document, turn_on

SECONDS = float(os.environ.get("KELVIX_HOSTILE_SECONDS", "20"))
TWICE, FLOOR = 2.0, 0.25


@contextmanager
def again_and_again(work: Callable[[], object], threads: int = 1) -> Iterator[None]:
    """Do it all the time, whatever comes of it."""
    over = threading.Event()

    def go() -> None:
        while not over.is_set():
            with suppress(Exception):
                work()

    running = [threading.Thread(target=go, daemon=True) for _ in range(threads)]
    for thread in running:
        thread.start()
    try:
        yield
    finally:
        over.set()
        for thread in running:
            thread.join(30)


@contextmanager
def telling(orla: Person, address: str) -> Iterator[None]:
    flow = tell_a_receiver(orla, address)
    for n in range(20):
        orla.deliver(f"to tell {n}")
    time.sleep(1)
    yield
    orla.api("POST", f"/workflows/{flow}/off")


@contextmanager
def heavy_files(orla: Person) -> Iterator[None]:
    connection = orla.connect("Papers", app="files")
    made = document(connection, orla.container("files", "Papers"), orla.database("Papers", *FIELDS), {"Name": "name"})
    made["lines"][0]["app"] = "files"
    flow = orla.workflow("Papers", made)
    orla.api("POST", f"/workflows/{flow}/on")
    orla.put_files("Papers", {f"heavy {n}.pdf": heavy_pdf() for n in range(8)})
    time.sleep(1)
    yield
    orla.api("POST", f"/workflows/{flow}/off")


@contextmanager
def pages_of_brackets(orla: Person) -> Iterator[None]:
    table = orla.database("Pages", {"name": "Name", "type": "text"}, {"name": "Page", "type": "link"})
    address = orla.api("POST", "/capture/addresses", json={"name": "x", "database": table["id"]})[0]["address"]
    page = f"<html><title>T</title><body><article><p>{'[' * 164_000}</p></article></body></html>"

    def post() -> None:
        where = f"{address}?url=https://a.example/{time.monotonic_ns()}"
        answer = httpx.post(where, content=page.encode(), timeout=60, headers={"content-type": "text/html"}, trust_env=False)
        if answer.status_code == 429:  # an address takes sixty a minute: what is measured is pages that are read
            time.sleep(1)

    with again_and_again(post, 2):
        yield


@contextmanager
def endless_formulas(orla: Person) -> Iterator[None]:
    flow = orla.workflow("Flow", {"lines": [{"verb": "when", "id": "w"}]})
    text = "count(for i in 1..400, j in 1..400 return string(i) + string(j))"
    body = {"document": {"lines": [{"verb": "when", "id": "w"}]}, "text": text, "line": "w"}
    with again_and_again(lambda: orla.web.post(f"/api/v1/workflows/{flow}/formula", json=body), 2):
        yield


@contextmanager
def half_sent(running: Kelvix) -> Iterator[None]:
    def knock() -> None:
        for _ in range(50):
            made = socket.create_connection(("127.0.0.1", running.settings.port), source_address=("127.0.0.3", 0), timeout=5)
            held.append(made)
            made.sendall(b"POST /capture/1/x HTTP/1.1\r\nhost: 127.0.0.1\r\n")
        time.sleep(0.2)

    held: list[socket.socket] = []
    with again_and_again(knock):
        yield
    for one in held:
        one.close()


@contextmanager
def mails_of_brackets(orla: Person) -> Iterator[None]:
    raw = b"From: " + b"(" * 60_000 + b"\r\nSubject: " + b"=?utf-8?q?a?= " * 20_000 + b"\r\n\r\nx"
    with again_and_again(lambda: orla.deliver("x", folder="Empty", raw=raw)):
        yield


def main() -> None:
    import tempfile
    from pathlib import Path

    rows, kept = [], {}
    with dripping(b"H", 0.5) as port, tempfile.TemporaryDirectory() as folder:
        running = Kelvix(Path(folder), reachable=(f"localhost:{port}",))
        try:
            neighbour, orla = turn_on(running.person("Nell")), running.person("Orla")
            crossings(neighbour, 3, "warm")
            attacks = {
                "a receiver that drips": lambda: telling(orla, f"http://localhost:{port}/"),
                "files that take minutes": lambda: heavy_files(orla),
                "pages of brackets": lambda: pages_of_brackets(orla),
                "formulas without end": lambda: endless_formulas(orla),
                "half-sent requests": lambda: half_sent(running),
                "mails of brackets": lambda: mails_of_brackets(orla),
            }
            for name, attack in attacks.items():
                quiet = percentile(crossings(neighbour, SECONDS / 2, f"quiet before {name}"), 0.99)
                with attack():
                    times = crossings(neighbour, SECONDS, name)
                meanwhile = percentile(times, 0.99)
                kept[name] = {"quiet": quiet, "meanwhile": meanwhile, "p50": percentile(times, 0.5)}
                ratio = f"{meanwhile / quiet:.1f} x"
                rows.append([name, f"{quiet * 1e3:.0f} ms", f"{meanwhile * 1e3:.0f} ms", ratio, str(len(times))])
                print(f"  {name}: {ratio}", flush=True)
        finally:
            running.stop()
    table("hostile: a neighbour's crossings, p99", ["", "in quiet", "meanwhile", "ratio", "messages"], rows)
    slow = [n for n, k in kept.items() if k["meanwhile"] > max(TWICE * k["quiet"], FLOOR)]
    verdict(not slow, f"at most {TWICE:.0f} times, or {FLOOR * 1e3:.0f} ms" + (f": not {', '.join(slow)}" if slow else ""))
    keep("hostile", kept)


if __name__ == "__main__":
    main()
