"""A worker that stops before each effect, until a file called `go` appears: for tests that strike at that moment."""

from __future__ import annotations

import pathlib
import sys
import time

from kelvix import settings
from kelvix.commands import logs
from kelvix.engine.engine import make
from kelvix.engine.runner import Runner
from kelvix.engine.worker import Worker
from kelvix.store.runs import Claim

FOLDER = pathlib.Path(sys.argv[1])


def pause(claim: Claim) -> None:
    beside = FOLDER / "pausing"
    beside.write_text(str(claim.run_id))
    beside.rename(FOLDER / "paused")  # whole at once: whoever waits for it reads it the moment that it is there
    while not (FOLDER / "go").exists():
        time.sleep(0.01)


if __name__ == "__main__":
    logs.set_up("worker")
    engine = make(settings.read())
    Worker(engine, Runner(engine, before_effect=pause)).run()
