"""Something between Kelvix and the practice apps, as any network is: it cuts connections after their first byte, loses answers,
holds answers back until later ones are through and pushes have come before them, and refuses calls as too many. What it did is
counted."""

from __future__ import annotations

import contextlib
import os
import random
import re
import socket
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from kelvix import processes
from kelvix.settings import TOP, VARIABLE
from support import Kelvix, until

Fate = Literal["through", "cut", "lost", "held", "limited"]
FATES: tuple[Fate, ...] = ("through", "cut", "lost", "held")
HELD = (0.1, 0.8)  # seconds for which an answer is held back: others overtake it, and so does what is pushed
SECONDS = 30.0
LIMITED = b"HTTP/1.1 429 Too Many Requests\r\nRetry-After: 0\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"


@dataclass(frozen=True)
class Asked:
    """A request as it came: its first line's method and path, its head, and all of it."""

    method: str
    path: str
    head: bytes
    whole: bytes

    @property
    def writes(self) -> bool:
        return b"idempotency-key:" in self.head.lower()


class Proxy:
    """Listens on one port and sends on to another, one request a connection. `fate` says what becomes of a request."""

    def __init__(self, port: int, to: int, fate: Callable[[Asked], Fate]):
        self.to, self.fate = to, fate
        self.met: Counter[tuple[str, Fate]] = Counter()  # writes, by their path
        self._lock = threading.Lock()
        self._listener = socket.create_server(("127.0.0.1", port))
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                client, _ = self._listener.accept()
            except OSError:
                return
            threading.Thread(target=self._carry, args=(client,), daemon=True).start()

    def _carry(self, client: socket.socket) -> None:
        client.settimeout(SECONDS)
        with client, contextlib.suppress(OSError):
            asked = _read(client)
            if asked is None:
                return
            fate = self.fate(asked)
            if asked.writes:
                with self._lock:
                    self.met[asked.path, fate] += 1
            if fate == "limited":
                client.sendall(LIMITED)
                return
            with socket.create_connection(("127.0.0.1", self.to), SECONDS) as there:
                if fate == "cut":
                    there.sendall(asked.whole[:1])
                    return
                there.sendall(asked.whole)
                answer = bytearray()
                while piece := there.recv(65536):
                    answer += piece
                if fate == "held":
                    time.sleep(random.uniform(*HELD))
                if fate != "lost":
                    client.sendall(answer)

    def stop(self) -> None:
        with contextlib.suppress(OSError):
            self._listener.shutdown(socket.SHUT_RDWR)  # who waits there lets go of the port
        self._listener.close()


def _read(client: socket.socket) -> Asked | None:
    """A whole request; it is sent on so that its connection ends with it."""
    raw = bytearray()
    while b"\r\n\r\n" not in raw:
        piece = client.recv(65536)
        if not piece:
            return None
        raw += piece
    head, _, body = bytes(raw).partition(b"\r\n\r\n")
    length = re.search(rb"(?im)^content-length: *(\d+)", head)
    chunked = re.search(rb"(?im)^transfer-encoding: *chunked", head) is not None
    while (length and len(body) < int(length[1])) or (chunked and not body.endswith(b"0\r\n\r\n")):
        piece = client.recv(65536)
        if not piece:
            return None
        body += piece
    method, path, _ = head.split(b"\r\n")[0].decode().split(" ")
    head = re.sub(rb"(?im)^connection:.*\r\n", b"", head) + b"\r\nConnection: close"
    return Asked(method, path, head, head + b"\r\n\r\n" + body)


def wild(seed: int, often: float) -> Callable[[Asked], Fate]:
    """What becomes of requests in a storm: `often` anything but that they go through. Signing in to an app is left alone."""
    dice, lock = random.Random(seed), threading.Lock()

    def fate(asked: Asked) -> Fate:
        with lock:
            meets = dice.random() < often and "/api" in asked.path
            return dice.choice(FATES[1:]) if meets else "through"

    return fate


@contextmanager
def behind_proxy(folder: Path, fate: Callable[[Asked], Fate]) -> Iterator[tuple[Kelvix, Proxy]]:
    """A Kelvix whose practice apps are behind a proxy: they listen on a port of their own, and all others know the proxy's."""
    running = Kelvix(folder, begins_with=())
    behind = processes.free_port()
    written = running.settings.json().replace(
        f'"practice_port": {running.settings.practice_port}', f'"practice_port": {behind}'
    )
    assert str(behind) in written
    other = folder / "behind.json"
    other.write_text(written)
    env = os.environ | {VARIABLE: str(other), "PYTHONPATH": str(TOP / "src")}
    apps = processes.spawn([sys.executable, "-m", "kelvix", "practice"], env=env, quiet=str(folder / "behind.log"))
    proxy = Proxy(running.settings.practice_port, behind, fate)
    try:
        until(lambda: _answers(behind))
        running.installation.start("web", "worker")
        yield running, proxy
    finally:
        running.stop()
        processes.stop(apps, 3)
        proxy.stop()


def _answers(port: int) -> bool:
    try:
        socket.create_connection(("127.0.0.1", port), 1).close()
    except OSError:
        return False
    return True
