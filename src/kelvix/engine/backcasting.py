"""Carrying a backcast out: a thread that pages through the source's past, as fast as the app lets it, and only reads."""

from __future__ import annotations

import threading
import time
from datetime import datetime

import structlog

from kelvix.connectors.contract import App
from kelvix.core.backcast import Backcast
from kelvix.core.collection import Collection, Page, PermanentError, TransientError
from kelvix.core.query import Query
from kelvix.core.workflow import Workflow
from kelvix.engine.engine import Engine
from kelvix.engine.sampling import as_kept
from kelvix.store import backcasts
from kelvix.store.directory import Space

PAGE = 50
MAX_EVENTS = 20_000  # events
PATIENCE = 5  # times that a passing failure of the app is waited out
log = structlog.stdlib.get_logger(__name__)


def start(engine: Engine, space: Space, workflow_id: int, document: Workflow) -> int:
    """Begin a backcast of a draft over all past events of its source. Raises PermanentError where the source cannot be read."""
    account = engine.account(space, document.when.connection)
    source = account.collection(document.when.container or "")
    made = space.transact(lambda t: backcasts.start(t, space.id, workflow_id, document, source.reach))
    job = _Job(engine, space, workflow_id, made, document, account.app, source)
    threading.Thread(target=job.run, name=f"backcast-{made}", daemon=True).start()
    return made


class _Job:
    def __init__(
        self,
        engine: Engine,
        space: Space,
        workflow_id: int,
        backcast_id: int,
        document: Workflow,
        app: App,
        source: Collection,
    ):
        self.engine, self.space, self.workflow_id, self.id = engine, space, workflow_id, backcast_id
        self.document, self.app, self.source = document, app, source
        self.oldest: datetime | None = None
        self.newest: datetime | None = None
        self.counts = Backcast(document, engine.context(space, document, asks="backcasts"))

    def run(self) -> None:
        """Never raises: what goes wrong is kept with the backcast."""
        try:
            self._page_through()
        except PermanentError as failure:
            self.engine.note_failure(self.space, self.document.when.connection, failure)
            self._keep("failed", str(failure))
        except TransientError as failure:
            self._keep("failed", f"{failure}. Start it again later")
        except Exception as error:
            log.exception("a backcast failed", backcast=self.id)
            self._keep("failed", f"Kelvix had an internal error ({type(error).__name__})")

    def _page_through(self) -> None:
        before: str | None = None
        while True:
            page = self._page(before)
            before = page.after
            for item in page.items:
                self.counts.take(item.id, item.title, as_kept(self.app, item, self.counts.context.place)["values"])
                self.oldest = min(item.created, self.oldest or item.created)
                self.newest = max(item.created, self.newest or item.created)
            ended = before is None or self.counts.seen >= MAX_EVENTS
            if not self._keep("done" if ended else "running", None) or ended:
                return

    def _page(self, before: str | None) -> Page:
        for attempt in range(PATIENCE):
            try:
                return self.source.query(Query(limit=PAGE, after=before))
            except TransientError as failure:
                if attempt == PATIENCE - 1:
                    raise
                time.sleep(min(failure.after if failure.after is not None else 2.0**attempt, 15))
        raise AssertionError

    def _keep(self, state: str, problem: str | None) -> bool:
        """Keep how far it has come; False where it was cancelled meanwhile."""
        span = (self.oldest, self.newest)
        outcomes = self.counts.counted()
        kept = self.space.transact(
            lambda t: backcasts.progress(t, self.space.id, self.id, self.counts.seen, outcomes, span, state, problem)
        )
        ended = () if state == "running" else (f"workflow:{self.workflow_id}",)  # its runs a month are known now
        self.engine.dispatch.announce(self.space.id, f"backcast:{self.workflow_id}", *ended)
        return kept
