"""What costs much to find out, remembered: what was read from the content of items, by item and revision; an item that several
runs are about; figures of days that are over, for a while."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class Remembered(Generic[V]):
    """The last so many, each for so many seconds. Safe to share between threads: what several ask for at once is read by the
    first, and the others wait; where that fails, each reads by itself."""

    def __init__(self, most: int = 300, seconds: float = float("inf")):
        self.most, self.seconds = most, seconds
        self._known: OrderedDict[Hashable, tuple[float, V]] = OrderedDict()
        self._reading: dict[Hashable, threading.Event] = {}
        self._lock = threading.Lock()

    def get(self, key: Hashable, read: Callable[[], V]) -> V:
        with self._lock:
            if (kept := self._kept(key)) is not None:
                return kept
            other = self._reading.get(key)
            mine = self._reading.setdefault(key, threading.Event())
        if other is not None:
            other.wait()
            with self._lock:
                kept = self._kept(key)
            return read() if kept is None else kept
        try:
            found = read()
            with self._lock:
                self._keep(key, found)
            return found
        finally:
            with self._lock:
                del self._reading[key]
            mine.set()

    def known(self, key: Hashable) -> V | None:
        """Return what is remembered, without reading it."""
        with self._lock:
            return self._kept(key)

    def put(self, key: Hashable, value: V) -> None:
        """Remember what was not read, but made here."""
        with self._lock:
            self._keep(key, value)

    def _keep(self, key: Hashable, value: V) -> None:
        self._known[key] = (time.monotonic(), value)
        self._known.move_to_end(key)
        while len(self._known) > self.most:
            self._known.popitem(last=False)

    def forget(self, key: Hashable) -> None:
        """Read it anew when it is asked for next."""
        with self._lock:
            self._known.pop(key, None)

    def _kept(self, key: Hashable) -> V | None:
        since, kept = self._known.get(key, (0.0, None))
        if kept is None or time.monotonic() - since >= self.seconds:
            return None
        self._known.move_to_end(key)
        return kept
