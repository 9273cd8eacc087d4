"""What was read from the content of items, remembered by item and revision: it costs more than asking for the item."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class Remembered(Generic[V]):
    """The last so many. Safe to share between threads; what two ask for at once may be read twice."""

    def __init__(self, most: int = 300):
        self.most = most
        self._known: OrderedDict[Hashable, V] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, read: Callable[[], V]) -> V:
        with self._lock:
            if key in self._known:
                self._known.move_to_end(key)
                return self._known[key]
        found = read()
        with self._lock:
            self._known[key] = found
            while len(self._known) > self.most:
                self._known.popitem(last=False)
        return found
