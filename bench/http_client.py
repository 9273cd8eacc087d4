"""Which client the program calls apps with: urllib3, which it uses, beside the one that its tests use, httpx2.

Each makes the same calls of a small JSON answer over one kept connection, and of a large content in pieces, to a plain server of
this process. Claim: urllib3 takes at most as long.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import httpx2
import urllib3
from _report import keep, median, table, verdict

SMALL, LARGE = b"[" + b'{"changes": []}, ' * 20 + b"0]", b"x" * (8 << 20)
CALLS, ROUNDS = 400, 7


class Answers(BaseHTTPRequestHandler):
    """A small or a large body, over connections that stay open."""

    protocol_version = "HTTP/1.1"
    disable_nagle_algorithm = True

    def do_GET(self) -> None:
        body = LARGE if self.path == "/large" else SMALL
        self.send_response(200)
        self.send_header("content-type", "application/json")
        self.send_header("content-length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *args: object) -> None:
        """Say nothing."""


def by_urllib3(address: str) -> tuple[Callable[[], object], Callable[[], object]]:
    pool = urllib3.PoolManager(retries=False)

    def large() -> int:
        answer = pool.request("GET", f"{address}/large", preload_content=False)
        size = sum(len(piece) for piece in answer.stream(1 << 16))
        answer.release_conn()
        return size

    return (lambda: pool.request("GET", f"{address}/small").json()), large


def by_httpx(address: str) -> tuple[Callable[[], object], Callable[[], object]]:
    client = httpx2.Client(trust_env=False)

    def large() -> int:
        with client.stream("GET", f"{address}/large") as answer:
            return sum(len(piece) for piece in answer.iter_bytes(1 << 16))

    return (lambda: client.get(f"{address}/small").json()), large


def seconds(work: Callable[[], object], times: int) -> float:
    began = time.perf_counter()
    for _ in range(times):
        work()
    return (time.perf_counter() - began) / times


def main() -> None:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Answers)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_port}"
    ours, other = by_urllib3(address), by_httpx(address)
    found: dict[str, list[tuple[float, float]]] = {"a small answer": [], "8 MB in pieces": []}
    for _ in range(ROUNDS):
        found["a small answer"].append((seconds(ours[0], CALLS), seconds(other[0], CALLS)))
        found["8 MB in pieces"].append((seconds(ours[1], 8), seconds(other[1], 8)))
    server.shutdown()
    rows, kept = [], {}
    for name, pairs in found.items():
        a, b = (median([p[n] for p in pairs]) for n in (0, 1))
        kept[name] = median([x / y for x, y in pairs])
        rows.append([name, f"{a * 1e3:.2f} ms", f"{b * 1e3:.2f} ms", f"{kept[name]:.2f} x"])
    table("http client: a call", ["", "urllib3", "httpx2", "ratio"], rows)
    verdict(max(kept.values()) <= 1.0, "urllib3 takes at most as long")
    keep("http_client", kept)


if __name__ == "__main__":
    main()
