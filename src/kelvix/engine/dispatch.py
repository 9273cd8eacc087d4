"""How processes are told that something is new: `announce` and `wait`. Nothing else knows how.

A datagram to every process that listens, on loopback or the hosts' network, after the commit. It is a hint only: who
misses one finds the work by looking, a moment later.
"""

from __future__ import annotations

import json
import socket
import threading
import time

import pymysql

from kelvix.store.database_server import DatabaseServer

LISTEN_SECONDS = 20  # a listener that was not seen for so long is not told any more
REFRESH = 2.0  # seconds for which the list of listeners is taken as it was


class Dispatch:
    """One process's end. `listen` makes it one of those that are told."""

    def __init__(self, home: DatabaseServer):
        self._home = home
        self._out = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._out.setblocking(False)
        self._known: list[tuple[str, int]] = []
        self._known_at = 0.0
        self._in: socket.socket | None = None

    def listen(self, host: str = "127.0.0.1") -> None:
        self._in = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._in.bind((host, 0))
        address = "{}:{}".format(*self._in.getsockname())
        self._stay(address)

        def beat() -> None:
            while True:
                time.sleep(LISTEN_SECONDS / 4)
                try:
                    self._stay(address)
                except pymysql.err.Error:
                    continue

        threading.Thread(target=beat, daemon=True).start()

    def _stay(self, address: str) -> None:
        self._home.transact(
            lambda t: t.execute(
                "INSERT INTO listener (address, seen_at) VALUES (%s, NOW(3)) ON DUPLICATE KEY UPDATE seen_at=NOW(3)", (address,)
            )
        )

    def _listeners(self) -> list[tuple[str, int]]:
        if time.monotonic() - self._known_at > REFRESH:
            rows = self._home.read(
                lambda t: t.rows("SELECT address FROM listener WHERE seen_at > NOW(3) - INTERVAL %s SECOND", (LISTEN_SECONDS,))
            )
            self._known = [(a.rpartition(":")[0], int(a.rpartition(":")[2])) for a in (r["address"] for r in rows)]
            self._known_at = time.monotonic()
        return self._known

    def announce(self, workspace_id: int, *topics: str) -> None:
        """Say that something is new. To be called after the commit. Never raises."""
        message = json.dumps([workspace_id, *topics]).encode()
        try:
            for address in self._listeners():
                self._out.sendto(message, address)
        except (OSError, pymysql.err.Error):
            return

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
