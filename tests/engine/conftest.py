"""A workflow that is on; runs that a test carries itself."""

from __future__ import annotations

import json
from typing import Any

import pytest

from kelvix.engine.runner import Runner
from kelvix.store import runs, workflows
from support import On, Person, turn_on


@pytest.fixture
def on(orla: Person) -> On:
    return turn_on(orla)


class Cut(BaseException):
    """The process ends here."""


class ByHand:
    """Runs of a workflow's draft that nobody else takes up."""

    def __init__(self, orla: Person):
        self.orla, self.space = orla, orla.space

    def begin(self, workflow: int, values: dict[str, Any]) -> int:
        item = {"id": "7", "title": "x", "link": None, "app": "mail", "container": "Enquiries", "values": values}

        def work(t):
            version = workflows.version_of_draft(t, self.space.id, workflows.get(t, self.space.id, workflow))
            return t.insert(
                "INSERT INTO run (workspace_id, workflow_id, version_id, kind, state, item_id, item) "
                "VALUES (%s,%s,%s,'event','waiting','7',%s)",
                (self.space.id, workflow, version, json.dumps(item)),
            )

        return self.space.transact(work)

    def claim(self, run: int, lease: int = 30) -> runs.Claim:
        def work(t):
            t.execute(
                "UPDATE run SET state='running', attempts=attempts+1, token=token+1, "
                "lease_until=NOW(3) + INTERVAL %s SECOND WHERE id=%s",
                (lease, run),
            )
            [row] = t.rows(f"SELECT {runs.CLAIMED} FROM run WHERE id=%s", (run,))
            return runs.Claim(**(row | {"item": json.loads(row["item"]) if row["item"] else None}))

        return self.space.transact(work)

    def carry(self, run: int, before: Any = lambda number: None) -> dict[str, Any]:
        """Carry a run; `before` is called with the number of each effect, from 1. What became of it."""
        numbers = iter(range(1, 1_000))
        Runner(self.orla.kelvix.engine, before_effect=lambda _: before(next(numbers))).carry(self.claim(run))
        return self.orla.api("GET", f"/runs/{run}")["run"]

    def cut(self, run: int, at: int) -> None:
        """Carry a run until its process ends before an effect."""

        def end(number: int) -> None:
            if number == at:
                raise Cut

        with pytest.raises(Cut):
            self.carry(run, end)


@pytest.fixture
def by_hand(orla: Person) -> ByHand:
    return ByHand(orla)
