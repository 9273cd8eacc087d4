"""Keeping child processes up: each is restarted by itself, with a pause of its own that grows while it keeps failing; one that
is frozen is seen, since its beats stay away, and is killed first. None takes another down."""

from __future__ import annotations

import os
import pathlib
import subprocess
import time
from collections.abc import Callable

from kelvix import processes

FIRST_PAUSE, MAX_PAUSE = 0.5, 60.0  # seconds before a child is started again
STEADY = 60.0  # seconds after which a child that runs counts as well
FROZEN = 20.0  # seconds without a beat
STARTING = 90.0  # seconds that a child may take until its first


class Child:
    """One child process: `words` start it, what it prints goes to `log`."""

    def __init__(self, name: str, words: list[str], env: dict[str, str], log: pathlib.Path):
        self.name, self.words, self.env, self.log = name, words, env, log
        self.process: subprocess.Popen[bytes] | None = None
        self._pause = FIRST_PAUSE
        self._due = 0.0
        self._started = self._beaten = 0.0
        self._beats: int | None = None

    def start(self) -> subprocess.Popen[bytes]:
        """Start the process, with a pipe on which it says that it lives."""
        if self._beats is not None:
            os.close(self._beats)
        reads, writes = os.pipe()
        os.set_blocking(reads, False)
        self._beats = reads
        try:
            self.process = processes.spawn(
                self.words, env=self.env | {processes.BEATS: str(writes)}, quiet=str(self.log), descriptors=(writes,)
            )
        finally:
            os.close(writes)
        self._started = time.monotonic()
        self._beaten = self._started + STARTING - FROZEN
        return self.process

    def look(self, now: float, say: Callable[[str], None]) -> None:
        """Do what is due: note beats, kill what is frozen, start again what ended."""
        if self.process is None:
            return
        if self.process.poll() is None:
            self._hear(now)
            if now - self._beaten > FROZEN:
                say(f"the {self.name} process has not answered for {FROZEN:.0f} seconds and is being restarted")
                self.process.kill()
                self.process.wait()
            elif now - self._started > STEADY:
                self._pause = FIRST_PAUSE
            return
        if not self._due:
            self._due = now + self._pause
            say(
                f"the {self.name} process exited ({self.process.returncode}) and will be restarted in {self._pause:.0f} s; "
                f"see {self.log}"
            )
            self._pause = min(MAX_PAUSE, self._pause * 2)
        elif now >= self._due:
            self._due = 0.0
            try:
                self.start()
            except OSError as error:
                self._due = now + self._pause
                say(f"the {self.name} process could not be started: {error.strerror or error}")

    def _hear(self, now: float) -> None:
        assert self._beats is not None
        try:
            while os.read(self._beats, 4096):
                self._beaten = max(self._beaten, now)
        except BlockingIOError:
            return

    def stop(self, seconds: float) -> None:
        """End the process, and start it no more."""
        process, self.process = self.process, None
        if process is not None:
            processes.stop(process, seconds)
        if self._beats is not None:
            os.close(self._beats)
            self._beats = None
