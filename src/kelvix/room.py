"""Room on the disk: below a low-water mark nothing new is taken in, long before the database would have to give up."""

from __future__ import annotations

import os
import time

LOW = int(os.environ.get("KELVIX_LOW_WATER", 200 << 20))  # bytes that are left free
LOOK = 1.0  # seconds between looks
RETRY_AFTER = 30  # seconds after which those who were sent away may come again
SENTENCE = "The disk is almost full, so nothing new can be saved. Free some space; Kelvix then continues automatically."


class Room:
    """The disk on which a data folder lies. Where the folder is on another host, that host looks after it."""

    def __init__(self, folder: str):
        self.folder = folder
        self._looked, self._is_left = -LOOK, True

    def is_left(self) -> bool:
        """Say whether more than the low-water mark is free, as of a moment ago."""
        now = time.monotonic()
        if now - self._looked >= LOOK:
            self._looked = now
            try:
                disk = os.statvfs(self.folder)
                self._is_left = disk.f_bavail * disk.f_frsize > LOW
            except OSError:
                self._is_left = True
        return self._is_left
