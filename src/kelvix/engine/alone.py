"""Runs that ended their worker before are carried alone: in child processes of the worker, one at a time of each workspace, and
nobody else waits.

A child is started where a workspace has such a run, and ends when it has had none for a while. Where a run hangs in it, its
lease ends, and the worker kills the child.
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
from kelvix.store import runs

STAYS = 10.0  # seconds for which a child stays with nothing to do
LOOK = 0.2  # seconds between its looks
MAX_CHILDREN = 4  # at once; further workspaces wait until one has ended
log = structlog.stdlib.get_logger(__name__)


class Child:
    """The process that carries the suspect runs of one workspace; it says which one is under way."""

    def __init__(self, settings: Settings, workspace_id: int):
        self.run = 0  # that it carries
        self._said = b""
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-W",
                "ignore::DeprecationWarning",
                "-m",
                "kelvix.engine.alone",
                str(os.getpid()),
                str(workspace_id),
            ],
            env=os.environ | {"PYTHONPATH": str(TOP / "src")},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            start_new_session=True,
        )
        assert self.process.stdin and self.process.stdout
        os.set_blocking(self.process.stdout.fileno(), False)
        with self.process.stdin as told:
            told.write(settings.json().encode())

    def carries(self) -> int:
        """Return the run that it carries, or 0."""
        assert self.process.stdout
        while said := self.process.stdout.read(4096):
            self._said += said
        *lines, self._said = self._said.split(b"\n")
        for line in lines:
            self.run = int(line)
        return self.run

    def kill(self) -> None:
        """End it, whatever it does."""
        self.process.kill()
        self.process.wait()


class Alone:
    """The worker's end. To be used by the thread that lives as long as the worker: the kernel ties the children to it."""

    def __init__(self, settings: Settings):
        self.settings = settings
        self._children: dict[int, Child] = {}  # by workspace

    def start(self, workspace_ids: list[int]) -> None:
        """Have a child for each of these workspaces, as far as there is room."""
        self._children = {id: child for id, child in self._children.items() if child.process.poll() is None}
        for id in workspace_ids:
            if id not in self._children and len(self._children) < MAX_CHILDREN:
                self._children[id] = Child(self.settings, id)

    def lost(self, run_ids: list[int]) -> None:
        """Kill the children whose run is among those whose lease ended."""
        for id, child in list(self._children.items()):
            if child.carries() in run_ids:
                log.warning("a run that hung was ended with its process", run=child.run)
                self._children.pop(id).kill()

    def stop(self) -> None:
        """End all children, whatever they do."""
        while self._children:
            self._children.popitem()[1].kill()


def carry(engine: Engine, workspace_id: int, say: int) -> None:
    """Carry what is suspect in a workspace until there has been nothing for a while; the run under way is said on a file
    descriptor."""
    runner, space = Runner(engine), engine.directory.open(workspace_id)
    claim = partial(runs.claim, limit=1, lease=engine.settings.lease, suspect_of=workspace_id)
    idle_since = time.monotonic()
    while time.monotonic() - idle_since < STAYS:
        for claimed in (claims := space.transact(claim)):
            os.write(say, b"%d\n" % claimed.run_id)
            runner.carry(claimed)
            os.write(say, b"0\n")
            idle_since = time.monotonic()
        if not claims:
            time.sleep(LOOK)


def main() -> None:
    processes.tie(int(sys.argv[1]))
    say = os.dup(1)
    os.dup2(2, 1)  # what else is printed goes where the worker's log goes
    carry(make(of_json(sys.stdin.read())), int(sys.argv[2]), say)


if __name__ == "__main__":
    main()
