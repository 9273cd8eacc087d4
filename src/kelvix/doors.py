"""Doors to the network that cannot be held shut from outside: headers and bodies have their time, and each peer has so many
connections, on HTTP and SMTP alike."""

from __future__ import annotations

import asyncio
import contextlib
import resource
from collections import Counter
from collections.abc import Callable
from typing import Any

import uvicorn
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEADER_SECONDS = 10.0  # until the headers of a request are whole
BODY_SECONDS = 20.0  # for a body, with more for what is large
SLOWEST = 16 << 10  # bytes a second, below which a body is given up
MAX_OF_A_PEER = 300  # connections at once
MAX_SMTP_OF_A_PEER = 30
SMTP_SECONDS = 120  # from one command to the next, or for a message
MAX_FILES = 65_536  # descriptors of a process, where the system allows it


class Peers:
    """How many connections each peer has."""

    def __init__(self, most: int):
        self.most = most
        self._open: Counter[str] = Counter()

    def enter(self, peer: str) -> bool:
        """Count a connection, unless the peer has as many as it may."""
        if self._open[peer] >= self.most:
            return False
        self._open[peer] += 1
        return True

    def leave(self, peer: str) -> None:
        """Count a connection no more."""
        self._open[peer] -= 1
        if self._open[peer] <= 0:
            del self._open[peer]


HTTP_PEERS = Peers(MAX_OF_A_PEER)


class TimedHTTP(HttpToolsProtocol):
    """uvicorn's protocol, with a time for headers and bodies, and a number of connections for each peer."""

    _timer: asyncio.TimerHandle | None = None
    _peer: str | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        peer = self.client[0] if self.client else ""
        if not HTTP_PEERS.enter(peer):
            transport.abort()
            return
        self._peer = peer
        self._within(HEADER_SECONDS)

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop()
        if self._peer is not None:
            HTTP_PEERS.leave(self._peer)
            self._peer = None
        super().connection_lost(exc)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        if self._timer is None:  # a further request of this connection
            self._within(HEADER_SECONDS)

    def on_headers_complete(self) -> None:
        self._within(BODY_SECONDS)
        super().on_headers_complete()

    def on_body(self, body: bytes) -> None:
        if self._timer is not None:
            self._within(max(0.0, self._timer.when() - self.loop.time()) + len(body) / SLOWEST)
        super().on_body(body)

    def on_message_complete(self) -> None:
        self._stop()
        super().on_message_complete()

    def _within(self, seconds: float) -> None:
        self._stop()
        self._timer = self.loop.call_later(seconds, self.transport.abort)

    def _stop(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None


class TimedSMTP(SMTP):  # type: ignore[misc]
    """aiosmtpd's protocol, with a number of connections for each peer."""

    def __init__(self, *args: Any, peers: Peers, **more: Any):
        super().__init__(*args, **more)
        self._peers = peers
        self._peer: str | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        peer = (transport.get_extra_info("peername") or ("",))[0]
        if self._peer is None and not self._peers.enter(peer):
            assert isinstance(transport, asyncio.Transport)
            transport.write(b"421 4.7.0 too many connections; try again later\r\n")
            transport.close()
            return
        self._peer = peer
        super().connection_made(transport)

    def connection_lost(self, error: Exception | None) -> None:
        if self._peer is None:
            return
        self._peers.leave(self._peer)
        self._peer = None
        super().connection_lost(error)


class TimedController(Controller):  # type: ignore[misc]
    """Listens for SMTP."""

    def __init__(self, handler: Any, **more: Any):
        super().__init__(handler, timeout=SMTP_SECONDS, **more)
        self._peers = Peers(MAX_SMTP_OF_A_PEER)

    def factory(self) -> SMTP:
        """Make the protocol of one connection."""
        return TimedSMTP(self.handler, peers=self._peers, **self.SMTP_kwargs)


def open_files() -> None:
    """Let this process have as many descriptors as the system allows: the usual thousand are soon held."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MAX_FILES if hard == resource.RLIM_INFINITY else min(hard, MAX_FILES)
    if soft < wanted:
        with contextlib.suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))


def serve(app: Callable[..., Any], host: str, port: int) -> None:
    """Serve an ASGI application over HTTP until told to end."""
    open_files()
    uvicorn.run(
        app,
        host=host,
        port=port,
        http=TimedHTTP,
        access_log=False,
        log_level="warning",
        timeout_graceful_shutdown=1,
        server_header=False,
    )
