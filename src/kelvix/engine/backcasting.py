"""Carrying a backcast out: a thread that pages through the source's past, as fast as the app lets it, and only reads."""

from __future__ import annotations

import threading
import time
from datetime import datetime

import structlog

from kelvix.connectors.contract import App, Item, PermanentError, TransientError
from kelvix.core.backcast import Backcast
from kelvix.core.workflow import Workflow
from kelvix.engine.engine import Engine
from kelvix.store import backcasts
from kelvix.store.directory import Space

PAGE = 50
MOST = 20_000  # events
PATIENCE = 5  # times that a passing failure of the app is waited out
log = structlog.stdlib.get_logger(__name__)


def start(engine: Engine, space: Space, workflow_id: int, document: Workflow) -> int:
    """Begin a backcast of a draft over all past events of its source. Raises PermanentError where the source cannot be read."""
    app, token, _ = engine.access(space, document.when.connection)
    made = space.transact(lambda t: backcasts.start(t, space.id, workflow_id, document, app.reach))
    job = _Job(engine, space, workflow_id, made, document, app, token)
    threading.Thread(target=job.run, name=f"backcast-{made}", daemon=True).start()
    return made


class _Job:
    def __init__(
        self, engine: Engine, space: Space, workflow_id: int, backcast_id: int, document: Workflow, app: App, token: str
    ):
        self.engine, self.space, self.workflow_id, self.id = engine, space, workflow_id, backcast_id
        self.document, self.app, self.token = document, app, token
        self.oldest: datetime | None = None
        self.newest: datetime | None = None
        self.counts = Backcast(document, engine.surroundings(space, document, asks="backcasts"))

    def run(self) -> None:
        """Never raises: what goes wrong is kept with the backcast."""
        try:
            self._page_through()
        except PermanentError as failure:
            self.engine.note_failure(self.space, self.document.when.connection, failure)
            self._keep("failed", str(failure))
        except TransientError as failure:
            self._keep("failed", f"{failure}. Start it again when this has passed")
        except Exception as error:
            log.exception("a backcast failed", backcast=self.id)
            self._keep("failed", f"something went wrong inside Kelvix ({type(error).__name__})")

    def _page_through(self) -> None:
        before: str | None = None
        while True:
            items, before = self._page(before)
            for item in items:
                self.counts.take(item.id, item.title, item.values)
                self.oldest = min(item.at, self.oldest or item.at)
                self.newest = max(item.at, self.newest or item.at)
            ended = before is None or self.counts.seen >= MOST
            if not self._keep("done" if ended else "running", None) or ended:
                return

    def _page(self, before: str | None) -> tuple[list[Item], str | None]:
        for attempt in range(PATIENCE):
            try:
                return self.app.past(self.token, self.document.when.container or "", before, PAGE)
            except TransientError as failure:
                if attempt == PATIENCE - 1:
                    raise
                time.sleep(min(failure.after if failure.after is not None else 2.0**attempt, 15))
        raise AssertionError

    def _keep(self, state: str, problem: str | None) -> bool:
        """False where it was cancelled meanwhile."""
        span = (self.oldest, self.newest)
        outcomes = self.counts.counted()
        kept = self.space.transact(
            lambda t: backcasts.progress(t, self.space.id, self.id, self.counts.seen, outcomes, span, state, problem)
        )
        ended = () if state == "running" else (f"workflow:{self.workflow_id}",)  # its runs a month are known now
        self.engine.dispatch.announce(self.space.id, f"backcast:{self.workflow_id}", *ended)
        return kept
