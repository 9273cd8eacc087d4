"""Runs that ended their worker before are carried alone: in a child process of the worker, one at a time, and nobody waits.

The child is started when there is such a run and ends when there has been none for a while. Where a run hangs in it, its lease
ends, and the worker kills the child.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from functools import partial

import structlog

from kelvix import processes
from kelvix.engine.engine import Engine, make
from kelvix.engine.runner import Runner
from kelvix.settings import TOP, Settings, of_json
from kelvix.store import ready, runs

STAYS = 10.0  # seconds for which a child stays with nothing to do
LOOK = 0.2  # seconds between its looks
log = structlog.stdlib.get_logger(__name__)


class Alone:
    """The worker's end. To be used by the thread that lives as long as the worker: the kernel ties the child to it."""

    def __init__(self, settings: Settings):
        self.settings = settings
        self._child: subprocess.Popen[bytes] | None = None
        self._said = b""
        self._run = 0  # that it carries

    def start(self) -> None:
        """Have a child that carries what is suspect, unless there is one."""
        if self._child is not None and self._child.poll() is None:
            return
        self._said, self._run = b"", 0
        self._child = subprocess.Popen(
            [sys.executable, "-W", "ignore::DeprecationWarning", "-m", "kelvix.engine.alone", str(os.getpid())],
            env=os.environ | {"PYTHONPATH": str(TOP / "src")},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            start_new_session=True,
        )
        assert self._child.stdin and self._child.stdout
        os.set_blocking(self._child.stdout.fileno(), False)
        with self._child.stdin as told:
            told.write(self.settings.json().encode())

    def lost(self, run_ids: list[int]) -> None:
        """Kill the child, if what it carries is among the runs whose lease ended."""
        if self._child is not None and self._carries() in run_ids:
            log.warning("a run that hung was ended with its process", run=self._run)
            self.stop()

    def _carries(self) -> int:
        assert self._child and self._child.stdout
        while said := self._child.stdout.read(4096):
            self._said += said
        *lines, self._said = self._said.split(b"\n")
        for line in lines:
            self._run = int(line)
        return self._run

    def stop(self) -> None:
        """End the child, whatever it does."""
        child, self._child = self._child, None
        if child is not None:
            child.kill()
            child.wait()


def carry(engine: Engine, say: int) -> None:
    """Carry what is suspect until there has been nothing for a while; the run under way is said on a file descriptor."""
    runner = Runner(engine)
    idle_since = time.monotonic()
    while time.monotonic() - idle_since < STAYS:
        claims = []
        for server in engine.directory.servers.values():
            if server.read(ready.has_suspect):
                claims += server.transact(partial(runs.claim, limit=1, lease=engine.settings.lease, suspect=True))
        for claim in claims:
            os.write(say, b"%d\n" % claim.run_id)
            runner.carry(claim)
            os.write(say, b"0\n")
            idle_since = time.monotonic()
        if not claims:
            time.sleep(LOOK)


def main() -> None:
    processes.tie(int(sys.argv[1]))
    say = os.dup(1)
    os.dup2(2, 1)  # what else is printed goes where the worker's log goes
    carry(make(of_json(sys.stdin.read())), say)


if __name__ == "__main__":
    main()
