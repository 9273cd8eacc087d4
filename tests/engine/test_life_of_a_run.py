"""The life of a run against a simple model: whatever claims, ends of leases, failures and wakings come in whatever order, a run
is in one place, what it has written is written once, and nobody writes without holding it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, invariant, rule, run_state_machine_as_test

from kelvix.engine.engine import make
from kelvix.store import events, people, runs
from kelvix.store.migrate import migrate
from kelvix.store.runs import Claim, Fenced
from kelvix.store.secrets import digest

LEASE = 30
EFFECTS = 3


@dataclass
class Model:
    """What ought to be: `place` is ready, held or ended; `token` of whoever holds it; `written` the effects in their order."""

    place: str = "ready"
    token: int = 0
    written: list[int] = field(default_factory=list)
    suspect: bool = False
    state: str = "waiting"


@pytest.fixture(scope="module")
def alone(kelvix):
    """A workspace in a schema that no worker looks into."""
    home = replace(kelvix.settings.servers["home"], schema="kelvix_life")
    migrate(home)
    engine = make(replace(kelvix.settings, servers={"home": home}))
    owner = people.create_workspace(engine.directory.home, "Life", "Orla", "Europe/London")
    space = engine.directory.open(owner.workspace_id)
    space.read(lambda t: t.execute("CREATE TABLE IF NOT EXISTS written (run_id BIGINT, n INT)"))
    return space


def machine(space):
    class Life(RuleBasedStateMachine):
        claims = Bundle("claims")

        def __init__(self):
            super().__init__()
            for table in ("ready", "event", "run", "written", "run_line", "run_attempt"):
                space.read(lambda t, table=table: t.execute(f"DELETE FROM {table}"))
            self.model: dict[int, Model] = {}
            self.events = 0

        # What happens

        @rule()
        def arrives(self):
            self.events += 1
            item = {"id": str(self.events), "title": "x", "link": None, "app": "kelvix", "container": "", "values": {}}
            known = digest("life", self.events)
            made = space.transact(lambda t: events.take_in(t, space.id, 1, 1, known, item, "request"))
            again = space.transact(lambda t: events.take_in(t, space.id, 1, 1, known, item, "request"))
            assert made and again is None, "told twice, it is one event"

        @rule(target=claims, suspect=st.booleans())
        def claim(self, suspect):
            taken = space.transact(lambda t: runs.claim(t, 2, LEASE, suspect))
            for one in taken:
                before = self.model.setdefault(one.run_id, Model())
                assert before.place == "ready" and before.suspect == suspect and one.token > before.token
                before.place, before.token, before.state = "held", one.token, "running"
            return taken[0] if taken else None

        def _holds(self, claim: Claim | None) -> bool:
            return (
                claim is not None and self.model[claim.run_id].place == "held" and self.model[claim.run_id].token == claim.token
            )

        @rule(claim=claims)
        def writes_an_effect(self, claim):
            if claim is None:
                return
            model = self.model[claim.run_id]
            next_one = len(model.written)
            if next_one >= EFFECTS:
                return
            last = next_one == EFFECTS - 1

            def work(t):
                runs.hold(t, claim, LEASE, None, "done" if last else None)
                t.execute("INSERT INTO written VALUES (%s,%s)", (claim.run_id, next_one))

            if not self._holds(claim):
                with pytest.raises(Fenced):
                    space.transact(work)
                return
            space.transact(work)
            model.written.append(next_one)
            if last:
                model.place, model.state = "ended", "done"

        @rule(claim=claims)
        def is_cut_within_an_effect(self, claim):
            """The process ends between the effect and the commit: nothing of it is there."""
            if claim is None:
                return

            class Cut(BaseException):
                pass

            def work(t):
                runs.hold(t, claim, LEASE)
                t.execute("INSERT INTO written VALUES (%s,99)", (claim.run_id,))
                raise Cut

            with pytest.raises((Cut, Fenced)):
                space.transact(work)

        @rule(claim=claims, counts=st.booleans())
        def meets_a_passing_failure(self, claim, counts):
            if claim is None:
                return

            def work(t):
                runs.hold(t, claim, LEASE)
                runs.wait(t, claim, 0, {"sentence": "busy"}, counts)

            if not self._holds(claim):
                with pytest.raises(Fenced):
                    space.transact(work)
                return
            space.transact(work)
            model = self.model[claim.run_id]
            model.place, model.suspect, model.state = "ready", False, "waiting"

        @rule(claim=claims)
        def fails_for_good(self, claim):
            if not self._holds(claim):
                return
            space.transact(lambda t: runs.hold(t, claim, LEASE, None, "failed", {"sentence": "no"}))
            model = self.model[claim.run_id]
            model.place, model.state = "ended", "failed"

        @rule(claim=claims)
        def its_lease_ends(self, claim):
            """Its worker died, or was frozen: somebody else puts it back."""
            if not self._holds(claim):
                return
            space.transact(
                lambda t: t.execute("UPDATE run SET lease_until=NOW(3) - INTERVAL 1 SECOND WHERE id=%s", (claim.run_id,))
            )
            assert space.transact(runs.release_expired) == [claim.run_id]
            space.transact(lambda t: t.execute("UPDATE ready SET due_at=NOW(3) WHERE run_id=%s", (claim.run_id,)))
            model = self.model[claim.run_id]
            model.place, model.suspect, model.state = "ready", True, "waiting"
            model.token += 1

        @rule(claim=claims)
        def a_person_runs_it_again(self, claim):
            if claim is None:
                return
            model = self.model[claim.run_id]
            took = space.transact(lambda t: runs.again(t, space.id, claim.run_id, claim.version_id))
            assert took == (model.state == "failed")
            if took:
                model.place, model.suspect, model.state = "ready", False, "waiting"

        # What always holds

        @invariant()
        def each_run_is_in_one_place(self):
            ready = {}
            for row in space.rows("SELECT run_id, suspect FROM ready WHERE run_id IS NOT NULL"):
                assert row["run_id"] not in ready, "ready twice"
                ready[row["run_id"]] = bool(row["suspect"])
            for row in space.rows("SELECT id, state, token, lease_until, finished_at FROM run"):
                model = self.model[row["id"]]
                assert row["state"] == model.state
                assert (row["id"] in ready) == (model.place == "ready")
                assert (row["lease_until"] is not None) == (model.place == "held")
                assert (row["finished_at"] is not None) == (model.place == "ended")
                if model.place == "ready":
                    assert ready[row["id"]] == model.suspect

        @invariant()
        def what_is_written_is_written_once_and_in_order(self):
            rows = space.rows("SELECT run_id, n FROM written")
            for run, model in self.model.items():
                assert [r["n"] for r in rows if r["run_id"] == run] == model.written

        @invariant()
        def nothing_is_lost(self):
            row = space.row("SELECT (SELECT COUNT(*) FROM run) + (SELECT COUNT(*) FROM ready WHERE event_id IS NOT NULL) AS n")
            assert row["n"] == self.events

    return Life


@pytest.mark.timeout(300)
def test_the_life_of_a_run(alone):
    run_state_machine_as_test(machine(alone), settings=settings(max_examples=40, stateful_step_count=40, deadline=None))
