"""Whether a database server answers: asked all the time by a thread of its own, so that nobody has to wait to find out."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterable

import pymysql

from kelvix.settings import Server

ASK_EVERY = 1.0  # seconds
GIVEN = 4.0  # seconds that an answer may take


class Answering:
    """The servers of an installation, and when each last answered."""

    def __init__(self, servers: Iterable[Server]):
        self._answered = {server: time.monotonic() for server in servers}
        self._asks = False

    def start(self) -> None:
        """Begin to ask."""
        self._asks = True
        for server in self._answered:
            threading.Thread(target=self._ask, args=(server,), name="answering", daemon=True).start()

    def all(self) -> bool:
        """Say whether all servers have answered of late, as far as they are asked."""
        if not self._asks:
            return True
        now = time.monotonic()
        return all(now - at < ASK_EVERY + GIVEN for at in self._answered.values())

    def _ask(self, server: Server) -> None:
        connection: pymysql.Connection[pymysql.cursors.Cursor] | None = None
        while True:
            try:
                if connection is None:
                    connection = pymysql.connect(
                        host=server.host,
                        port=server.port,
                        user=server.user,
                        password=server.password,
                        connect_timeout=GIVEN,  # type: ignore[arg-type]
                        read_timeout=GIVEN,  # type: ignore[arg-type]
                        write_timeout=GIVEN,  # type: ignore[arg-type]
                        autocommit=True,
                    )
                with connection.cursor() as cursor:
                    cursor.execute("DO 0")
                self._answered[server] = time.monotonic()
            except (pymysql.err.Error, OSError):
                if connection is not None:
                    with contextlib.suppress(pymysql.err.Error, OSError):
                        connection.close()
                    connection = None
            time.sleep(ASK_EVERY)
