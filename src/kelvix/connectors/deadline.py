"""A deadline over a whole call. A socket's time-out counts from byte to byte: one that sends a byte every few seconds never
meets it. So a thread looks at all calls under way and closes the sockets of those that are over."""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import urllib3
from urllib3.connection import HTTPConnection, HTTPSConnection

LOOK = 0.25  # seconds between looks at the calls under way
SLOWEST = 16 << 10  # bytes a second, below which a long answer or upload is given up


class Bound:
    """A moment, by the monotonic clock, after which no call within it goes on, whatever its own time: it moves on as long as
    somebody moves it."""

    def __init__(self, until: float):
        self.until = until


class Call:
    """A call under way: until when it may take, and the socket that it uses. `is_sent`: its first byte may have gone out."""

    def __init__(self, seconds: float, bound: Bound | None = None):
        self.until = time.monotonic() + seconds
        self.bound = bound
        self.is_over = self.is_sent = False
        self._socket: socket.socket | None = None
        self._lock = threading.Lock()

    def uses(self, used: socket.socket | None) -> None:
        """Name the socket. One that was opened after the end is closed at once."""
        with self._lock:
            self._socket = used
            if self.is_over:
                self._close()

    def extend(self, seconds: float) -> None:
        """Begin the time anew."""
        self.until = time.monotonic() + seconds

    def earn(self, size: int) -> None:
        """Give a call more time for bytes that came or went: a large file takes as long as it takes, at no less than a pace."""
        self.until += size / SLOWEST

    def is_due(self, now: float) -> bool:
        """Say whether its time is over."""
        return self.until < now or (self.bound is not None and self.bound.until < now)

    def end(self) -> None:
        """Close the socket, whoever waits at it."""
        with self._lock:
            self.is_over = True
            self._close()

    def _close(self) -> None:
        if self._socket is not None:
            with contextlib.suppress(OSError):
                self._socket.shutdown(socket.SHUT_RDWR)


class Deadlines:
    """The calls of this process. One thread, started with the first call."""

    def __init__(self) -> None:
        self._calls: set[Call] = set()
        self._lock = threading.Lock()
        self._current = threading.local()
        self._watching = False

    @contextmanager
    def within(self, seconds: float) -> Iterator[Call]:
        """Around a call: what this thread connects to meanwhile is closed after so many seconds."""
        call = self.begin(seconds)
        try:
            with self.using(call):
                yield call
        finally:
            self.done(call)

    def begin(self, seconds: float) -> Call:
        """Begin to watch a call, until `done`."""
        call = Call(seconds, getattr(self._current, "bound", None))
        with self._lock:
            self._calls.add(call)
            if not self._watching:
                self._watching = True
                threading.Thread(target=self._watch, name="deadlines", daemon=True).start()
        return call

    @contextmanager
    def bounded(self, bound: Bound) -> Iterator[None]:
        """Around calls of this thread that end at a bound."""
        outer = getattr(self._current, "bound", None)
        self._current.bound = bound
        try:
            yield
        finally:
            self._current.bound = outer

    def done(self, call: Call) -> None:
        """Watch a call no more."""
        with self._lock:
            self._calls.discard(call)

    @contextmanager
    def using(self, call: Call) -> Iterator[None]:
        """Around requests of this thread that belong to a call."""
        outer = self.current()
        self._current.call = call
        try:
            yield
        finally:
            self._current.call = outer

    def current(self) -> Call | None:
        """Return the call that this thread makes."""
        found: Call | None = getattr(self._current, "call", None)
        return found

    def _watch(self) -> None:
        while True:
            time.sleep(LOOK)
            now = time.monotonic()
            with self._lock:
                over = [call for call in self._calls if call.is_due(now) and not call.is_over]
            for call in over:
                call.end()


DEADLINES = Deadlines()


class _Watched:
    """What a connection adds: it tells the call that uses it of its socket, before anything is sent."""

    sock: Any
    _bare: socket.socket | None = None

    def _new_conn(self) -> socket.socket:
        """Tell of the bare socket too: what comes before the request, as TLS does, has the same deadline."""
        made: socket.socket = super()._new_conn()  # type: ignore[misc]
        self._bare = made.dup()  # a wrapped socket leaves the one that it wraps without its descriptor
        if (call := DEADLINES.current()) is not None:
            call.uses(self._bare)
        return made

    def connect(self) -> None:
        try:
            super().connect()  # type: ignore[misc]
            self._tell()
        finally:
            if self._bare is not None:
                self._bare.close()

    def putrequest(self, *args: Any, **more: Any) -> None:
        self._tell()
        if (call := DEADLINES.current()) is not None:
            if call.is_due(time.monotonic()):  # a process that was stopped in between sends nothing any more
                call.end()
                raise urllib3.exceptions.ConnectTimeoutError(self, "it timed out before it was sent")
            call.is_sent = True
        super().putrequest(*args, **more)  # type: ignore[misc]

    def _tell(self) -> None:
        if (call := DEADLINES.current()) is not None and self.sock is not None:
            call.uses(self.sock)


class WatchedHTTP(_Watched, HTTPConnection):
    pass


class WatchedHTTPS(_Watched, HTTPSConnection):
    pass


class HTTPPool(urllib3.HTTPConnectionPool):
    ConnectionCls = WatchedHTTP


class HTTPSPool(urllib3.HTTPSConnectionPool):
    ConnectionCls = WatchedHTTPS


def pool_manager(**more: Any) -> urllib3.PoolManager:
    """Make a pool of connections whose calls keep their deadline."""
    pools = urllib3.PoolManager(**more)
    pools.pool_classes_by_scheme = {"http": HTTPPool, "https": HTTPSPool}
    return pools
