"""Carrying claimed runs out, and what becomes of those that meet a failure."""

from __future__ import annotations

import logging
import random
from collections.abc import Callable

from kelvix.connectors.contract import Passing, Standing
from kelvix.core.workflow import Workflow
from kelvix.engine.carrying import LEASE, Carrying, Progress
from kelvix.engine.engine import Engine
from kelvix.engine.sampling import as_kept
from kelvix.engine.versions import Versions
from kelvix.store import runs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.runs import Claim, Fenced

MOST_ATTEMPTS = 8
FIRST_PAUSE, LONGEST_PAUSE = 1.0, 300.0  # seconds
log = logging.getLogger(__name__)


def backoff(attempt: int) -> float:
    """Seconds before the next attempt: doubled each time, with jitter, so that what failed together does not return so."""
    return float(min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** (attempt - 1)) * random.uniform(0.5, 1.5))


class Runner:
    """Carries runs out. `before_effect` is called before each transaction that writes; tests use it to stop in time."""

    def __init__(self, engine: Engine, before_effect: Callable[[Claim], None] = lambda _: None):
        self.engine, self.before_effect = engine, before_effect
        self.versions = Versions()

    def carry(self, claim: Claim) -> None:
        """Carry a run as far as it goes. Never raises: what goes wrong is kept with the run."""
        space = self.engine.directory.open(claim.workspace_id)
        topics: set[str] = {"runs", f"workflow:{claim.workflow_id}"}
        try:
            if claim.attempts > MOST_ATTEMPTS:  # it took its worker with it, each time
                raise Standing("this run ended its worker each time that it was begun, and was set aside", "run")
            self._carry(space, claim, topics)
        except Fenced:
            log.warning("run %s was taken over by another worker; nothing was written", claim.run_id)
            return
        except Passing as failure:
            self._later(space, claim, str(failure), failure.after)
        except Standing as failure:
            workflow = self.versions.get(space, claim.version_id)
            self.engine.note_failure(space, workflow.when.connection, failure)
            self._fail(space, claim, None, str(failure))
        except Exception as error:
            log.exception("run %s failed", claim.run_id)
            self._later(space, claim, f"something went wrong inside Kelvix ({type(error).__name__})", None)
        self.engine.dispatch.announce(space.id, *sorted(topics))

    def _later(self, space: Space, claim: Claim, sentence: str, after: float | None) -> None:
        if claim.kind == "try" or claim.attempts >= MOST_ATTEMPTS:
            return self._fail(
                space,
                claim,
                None,
                sentence
                if claim.kind == "try"
                else f"{sentence}; given up after {claim.attempts} attempts. Run it again when the cause is gone",
            )
        pause = after if after is not None else backoff(claim.attempts)

        def work(t: Transaction) -> None:
            runs.hold(t, claim, LEASE)
            runs.wait(t, claim, pause, {"sentence": sentence, "attempt": claim.attempts, "again_in": round(pause, 1)})

        self._guarded(space, work)

    def _fail(self, space: Space, claim: Claim, line: str | None, sentence: str) -> None:
        def work(t: Transaction) -> None:
            runs.hold(t, claim, LEASE, None, "failed", {"sentence": sentence, "line": line})

        self._guarded(space, work)

    def _guarded(self, space: Space, work: Callable[[Transaction], None]) -> None:
        try:
            space.transact(work)
        except Fenced:
            return

    def _carry(self, space: Space, claim: Claim, topics: set[str]) -> None:
        workflow = self.versions.get(space, claim.version_id)
        around = self.engine.surroundings(space, workflow)
        progress = self._item(space, claim, workflow)
        recorded = space.read(lambda t: runs.lines(t, space.id, [claim.run_id]))[claim.run_id] if claim.token > 1 else {}
        carrying = Carrying(self.engine, space, claim, workflow, around, progress, recorded, self.before_effect)
        try:
            carrying.carry()
        finally:
            topics |= carrying.topics

    def _item(self, space: Space, claim: Claim, workflow: Workflow) -> Progress:
        """The source item: as it was when first fetched for this run, else fetched now."""
        if claim.item is not None:
            return Progress(claim.item, False)
        app, token = self.engine.access(space, workflow.when.connection)
        return Progress(as_kept(app, app.item(token, claim.item_id)), True)
