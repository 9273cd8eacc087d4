"""Carrying claimed runs out, and what becomes of those that meet a failure."""

from __future__ import annotations

import contextlib
import json
import random
from collections.abc import Callable, Sequence
from dataclasses import replace

import structlog

from kelvix.collections import apps as in_apps
from kelvix.core.collection import PermanentError, RateLimitedError, TransientError
from kelvix.core.lines import kind_of
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import Unfit
from kelvix.core.workflow import Workflow
from kelvix.engine import finding, metrics, switch
from kelvix.engine.carrying import Carrying
from kelvix.engine.engine import Engine
from kelvix.engine.leases import Leases
from kelvix.engine.pacing import UNSAID, Paced
from kelvix.engine.sampling import MAX_ITEM, as_kept
from kelvix.engine.standpoint import Progress
from kelvix.engine.versions import Versions
from kelvix.remembering import Remembered
from kelvix.store import catch_ups, runs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space, Within
from kelvix.store.runs import Claim, Fenced

MAX_ATTEMPTS = 20  # of what passes by itself: nearly three hours
MAX_INSIDE = 6  # of what goes wrong inside Kelvix
MAX_ENDINGS = 8  # of a worker
MAX_SHARED, SHARED_SECONDS = 20, 5.0  # items that were read, for other runs that the same change starts
MAX_FAILURES_IN_A_ROW = 5  # failed runs, before a workflow is paused
FIRST_PAUSE, MAX_PAUSE = 1.0, 900.0  # seconds
log = structlog.stdlib.get_logger(__name__)


def backoff(attempt: int) -> float:
    """Seconds before the next attempt: doubled each time, with jitter, so that what failed together does not return so."""
    return float(min(MAX_PAUSE, FIRST_PAUSE * 2 ** (attempt - 1)) * random.uniform(0.5, 1.5))


class Runner:
    """Carries runs out. `before_effect` is called before each transaction that writes; tests use it to stop in time."""

    def __init__(self, engine: Engine, before_effect: Callable[[Claim], None] = lambda _: None):
        self.engine, self.before_effect = engine, before_effect
        self.leases = Leases(engine.settings.lease)
        self.versions = Versions()
        self._read: Remembered[str] = Remembered(MAX_SHARED, SHARED_SECONDS)

    def carry(self, claim: Claim) -> None:
        """Carry a run as far as it goes. Never raises: what goes wrong is kept with the run."""
        space = self.engine.directory.open(claim.workspace_id)
        structlog.contextvars.bind_contextvars(
            workspace=claim.workspace_id, workflow=claim.workflow_id, run=claim.run_id, attempt=claim.attempts
        )
        with metrics.SECONDS.time():
            self._carried(space, claim)
        structlog.contextvars.clear_contextvars()

    def goes_together(self, claim: Claim) -> bool:
        """Whether a run can be carried with others of its version in one transaction: one that is fresh, whose item is at hand,
        and whose lines do nothing outside and do not rest."""
        fresh = claim.kind == "event" and claim.token == 1 and claim.item is not None
        if not fresh or claim.lane is not None or claim.catch_up_id is not None:
            return False
        workflow = self.versions.get(self.engine.directory.open(claim.workspace_id), claim.version_id)
        return all(kind_of(line).is_local(line) for line in workflow.lines)

    def carry_together(self, claims: Sequence[Claim]) -> None:
        """Carry runs of one version in one transaction: all their effects are there, or none. Where that meets any trouble,
        each is carried by itself. Never raises."""
        first = claims[0]
        space = self.engine.directory.open(first.workspace_id)
        try:
            topics, failed = space.transact(lambda t: self._all(Within(space, t), claims))
        except Exception as trouble:
            log.info("running one by one", workflow=first.workflow_id, why=type(trouble).__name__)
            for claim in claims:
                self.carry(claim)
            return
        metrics.ENDED.labels("carried").inc(len(claims) - len(failed))
        metrics.ENDED.labels("failed").inc(len(failed))
        self.engine.dispatch.announce(space.id, *sorted(topics))
        for claim in failed[-1:]:
            self._pause_where_due(space, claim)

    def _all(self, space: Within, claims: Sequence[Claim]) -> tuple[set[str], list[Claim]]:
        workflow = self.versions.get(space, claims[0].version_id)
        space.transact(lambda t: runs.hold_all(t, claims))
        context = self.engine.context(space, workflow)
        context = replace(context, find=finding.holding(space, context.databases))
        topics: set[str] = {"runs", f"workflow:{claims[0].workflow_id}"}
        failed: list[Claim] = []
        for claim in claims:
            assert claim.item is not None
            progress = Progress(self.engine.settings.lease, claim.item, False)
            carrying = Carrying(self.engine, space, claim, workflow, context, progress, {}, self.before_effect, self.leases)
            carrying.carry()
            topics |= carrying.topics
            failed += [claim] if carrying.failed else []
        return topics, failed

    def _carried(self, space: Space, claim: Claim) -> None:
        if self._carry_guarded(space, claim) and claim.kind == "event":
            self._pause_where_due(space, claim)

    def _pause_where_due(self, space: Space, claim: Claim) -> None:
        """Pause a workflow of which run after run fails, and say why; a catch-up by itself."""
        if not space.read(lambda t: runs.failed_in_a_row(t, claim, MAX_FAILURES_IN_A_ROW)):
            return
        if claim.catch_up_id is not None:
            one = space.read(lambda t: catch_ups.get(t, space.id, claim.catch_up_id or 0))
            if one and one.state == "running":
                space.transact(lambda t: catch_ups.set_state(t, one, "paused"))
            return
        run = space.read(lambda t: runs.get(t, space.id, claim.run_id))
        if run and (run.problem or {}).get("connection"):
            return  # that is said of the connection, and what failed by it goes on when it is well
        said = (run.problem or {}).get("sentence", "") if run else ""
        with contextlib.suppress(NotFoundError):
            reason = f"{MAX_FAILURES_IN_A_ROW} runs failed in a row. Last error: {said}"
            switch.pause(self.engine, space, claim.workflow_id, reason[:1000])

    def _carry_guarded(self, space: Space, claim: Claim) -> bool:
        """Whether the run failed."""
        topics: set[str] = {"runs", f"workflow:{claim.workflow_id}"}
        failed = False
        try:
            if claim.endings >= MAX_ENDINGS:
                raise PermanentError("this run crashed repeatedly and was stopped", "run")
            with self.engine.pacer.turn(bool(claim.turn)):
                failed = self._carry(space, claim, topics)
        except Fenced:
            log.warning("taken over by another worker; nothing was written")
            metrics.ENDED.labels("fenced").inc()
            return False
        except Paced as paced:
            self._put_back(space, claim, str(paced), paced.after, paced.own)
        except RateLimitedError as limited:
            self._put_back(space, claim, str(limited), limited.after or UNSAID, False)
        except TransientError as failure:
            failed = self._later(space, claim, str(failure), failure.after, connection=failure.connection)
        except Unfit as unfit:  # what was written does not fit what is there by now
            failed = self._fail(space, claim, str(unfit))
        except PermanentError as failure:
            workflow = self.versions.get(space, claim.version_id)
            used = failure.connection or workflow.when.connection
            self.engine.note_failure(space, used, failure)
            because = used if failure.about == "access" else failure.connection if failure.about == "send" else None
            failed = self._fail(space, claim, str(failure), because)
        except Exception as error:
            log.exception("a run met an error of our own")
            failed = self._later(space, claim, f"Kelvix had an internal error ({type(error).__name__})", None, MAX_INSIDE)
        metrics.ENDED.labels("failed" if failed else "carried").inc()
        self.engine.dispatch.announce(space.id, *sorted(topics))
        return failed

    def _put_back(self, space: Space, claim: Claim, sentence: str, after: float, has_turn: bool) -> None:
        """Put a run back whose app asks for fewer calls, for as long as it takes, which is no attempt of its own."""
        metrics.REFUSED.inc()

        def work(t: Transaction) -> None:
            runs.hold(t, claim, self.engine.settings.lease)
            runs.wait(t, claim, after, {"sentence": sentence, "again_in": round(after, 1)}, False, has_turn)

        self._guarded(space, work)

    def _later(
        self,
        space: Space,
        claim: Claim,
        sentence: str,
        after: float | None,
        most: int = MAX_ATTEMPTS,
        connection: int | None = None,
    ) -> bool:
        """Let a run wait for its next attempt; whether it has failed instead, since this was the last."""
        if claim.kind == "try":
            return self._fail(space, claim, sentence)
        if claim.attempts >= most:
            given_up = f"Stopped after {claim.attempts} attempts. Run it again once the cause is fixed"
            return self._fail(space, claim, f"{sentence}. {given_up}", connection)
        pause = after if after is not None else backoff(claim.attempts)

        def work(t: Transaction) -> None:
            runs.hold(t, claim, self.engine.settings.lease)
            runs.wait(t, claim, pause, {"sentence": sentence, "attempt": claim.attempts, "again_in": round(pause, 1)})

        self._guarded(space, work)
        return False

    def _fail(self, space: Space, claim: Claim, sentence: str, connection: int | None = None) -> bool:
        """End a run as failed; `connection`: because of which it failed, where that is so."""
        problem = {"sentence": sentence, "line": None} | ({"connection": connection} if connection else {})

        def work(t: Transaction) -> None:
            runs.hold(t, claim, self.engine.settings.lease, None, "failed", problem)
            runs.note_attempt(t, claim, sentence, None)

        self._guarded(space, work)
        return True

    def _guarded(self, space: Space, work: Callable[[Transaction], None]) -> None:
        try:
            space.transact(work)
        except Fenced:
            return

    def _carry(self, space: Space, claim: Claim, topics: set[str]) -> bool:
        workflow = self.versions.get(space, claim.version_id)
        context = self.engine.context(space, workflow)
        progress = self._item(space, claim, workflow)
        recorded = space.read(lambda t: runs.lines(t, space.id, [claim.run_id]))[claim.run_id] if claim.token > 1 else {}
        carrying = Carrying(self.engine, space, claim, workflow, context, progress, recorded, self.before_effect, self.leases)
        if claim.catch_up_id is not None:
            one = space.read(lambda t: catch_ups.get(t, space.id, claim.catch_up_id or 0))
            carrying.recognises = one.recognises if one else {}
        try:
            carrying.carry()
        finally:
            topics |= carrying.topics
        return carrying.failed

    def _item(self, space: Space, claim: Claim, workflow: Workflow) -> Progress:
        """Return the source item: as it was when first fetched for this run, else fetched now."""
        if claim.item is not None:
            return Progress(self.engine.settings.lease, claim.item, False)
        when = workflow.when
        account = self.engine.account(space, when.connection)

        def read() -> str:
            can = account.app.capabilities.writes
            place = self.engine.kept_place(space, when.connection, when.container) if can else None
            calls = self.engine.pacer.calls(space, when.connection or 0)
            with self.leases.outside(space, claim), calls:
                found = account.collection(when.container or "").one(claim.item_id)
            if place is not None and not in_apps.knows(place, found):  # it has changed since it was read last
                place = self.engine.see_place(space, when.connection or 0, when.container or "")
            item = as_kept(account.app, found, place)
            kept = json.dumps(item, ensure_ascii=False)
            size = len(kept.encode())
            if size > MAX_ITEM:
                said = f"this {account.app.item_word} is {size / 2**20:.0f} MB without its attachments, more than"
                raise PermanentError(
                    f"{said} the {MAX_ITEM >> 20} MB that a run carries: shorten it, or leave it out by its size", "run"
                )
            return kept

        # One change is read once, however many workflows it starts.
        change = (space.id, when.connection, when.container, claim.item_id, claim.created_at)
        kept = self._read.get(change, read) if claim.event_id and claim.attempts == 1 else read()
        return Progress(self.engine.settings.lease, json.loads(kept), True)
