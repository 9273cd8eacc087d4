"""How processes are told that something is new: `announce` and `wait`. Nothing else knows how.

A datagram to every process that listens, on loopback or the hosts' network, after the commit. It is a hint only: who
misses one finds the work by looking, a moment later.
"""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import time
from typing import Literal

from kelvix.store import listeners
from kelvix.store.database_server import DatabaseError, DatabaseServer

REFRESH = 2.0  # seconds for which the list of listeners is taken as it was


Wants = Literal["work", "news"]
READY = "ready"  # a topic that is work
JOURNAL = "journal:"  # before the id of a subscription whose journal has more: work too; all others are news


class Dispatch:
    """One process's end. `listen` makes it one of those that are told."""

    def __init__(self, home: DatabaseServer):
        self._home = home
        self._out = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._out.setblocking(False)
        self._known: dict[str, list[tuple[str, int]]] = {}
        self._known_at = 0.0
        self._in: socket.socket | None = None
        self._address: str | None = None

    def listen(self, wants: Wants, host: str | None = None) -> None:
        """Be told of work that is ready, or of news: not of both, since nobody needs both. On the address by which this host
        reaches the database, where all the others are."""
        self._in = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._in.bind((host or self._own_address(), 0))
        address = self._address = "{}:{}".format(*self._in.getsockname())
        self._stay(address, wants)

        def beat() -> None:
            while True:
                time.sleep(listeners.SECONDS / 4)
                if self._address is None:
                    return
                try:
                    self._stay(address, wants)
                except DatabaseError:
                    continue

        threading.Thread(target=beat, daemon=True).start()

    def _own_address(self) -> str:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:  # nothing is sent
            probe.connect((self._home.server.host, self._home.server.port))
            return str(probe.getsockname()[0])

    def leave(self) -> None:
        """Be told no more."""
        address, self._address = self._address, None
        if address:
            self._home.transact(lambda t: listeners.leave(t, address))

    def _stay(self, address: str, wants: Wants) -> None:
        self._home.transact(lambda t: listeners.stay(t, address, wants))

    def _listeners(self, wants: Wants) -> list[tuple[str, int]]:
        if time.monotonic() - self._known_at > REFRESH:
            found = self._home.read(listeners.by_want)
            self._known = {w: [_parts(a) for a in several] for w, several in found.items()}  # whole at once: threads read it
            self._known_at = time.monotonic()
        return self._known.get(wants, [])

    def announce(self, workspace_id: int, *topics: str) -> None:
        """Say that something is new. To be called after the commit. Never raises."""
        work = [t for t in topics if t == READY or t.startswith(JOURNAL)]
        news = [t for t in topics if t not in work]
        try:
            if work:
                self._tell("work", [workspace_id, *work])
            if news:
                self._tell("news", [workspace_id, *news])
        except (OSError, DatabaseError):
            return

    def _tell(self, wants: Wants, what: list[int | str]) -> None:
        message = json.dumps(what).encode()
        for address in self._listeners(wants):
            self._out.sendto(message, address)

    def wake(self) -> None:
        """Let this process's own `wait` return."""
        if self._in is not None:
            with contextlib.suppress(OSError):
                self._out.sendto(b"[0]", self._in.getsockname())

    def wait(self, seconds: float) -> list[tuple[int, list[str]]]:
        """Sleep until something is announced or the time is over: all that was announced, by workspace."""
        assert self._in is not None, "listen first"
        told: list[tuple[int, list[str]]] = []
        self._in.settimeout(seconds)
        try:
            while True:
                message, _ = self._in.recvfrom(4096)
                try:
                    workspace_id, *topics = json.loads(message)
                    told.append((int(workspace_id), [str(t) for t in topics]))
                except (ValueError, TypeError):
                    continue
                self._in.settimeout(0)
        except (TimeoutError, BlockingIOError):
            return told


def _parts(address: str) -> tuple[str, int]:
    host, _, port = address.rpartition(":")
    return host, int(port)
