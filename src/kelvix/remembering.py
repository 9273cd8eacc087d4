"""What costs much to find out, remembered: what was read from the content of items, by item and revision; figures of days that
are over, for a while."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class Remembered(Generic[V]):
    """The last so many, each for so many seconds. Safe to share between threads; what two ask for at once may be read twice."""

    def __init__(self, most: int = 300, seconds: float = float("inf")):
        self.most, self.seconds = most, seconds
        self._known: OrderedDict[Hashable, tuple[float, V]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, read: Callable[[], V]) -> V:
        with self._lock:
            since, kept = self._known.get(key, (0.0, None))
            if kept is not None and time.monotonic() - since < self.seconds:
                self._known.move_to_end(key)
                return kept
        found = read()
        with self._lock:
            self._known[key] = (time.monotonic(), found)
            while len(self._known) > self.most:
                self._known.popitem(last=False)
        return found
