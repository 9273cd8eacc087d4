"""A reading of an app's changes that ends at any of its commits: nothing is lost, and nothing comes twice."""

from __future__ import annotations

import pytest

from kelvix.core.query import Query
from kelvix.engine.subscriptions import polling
from kelvix.store import subscriptions
from kelvix.store.directory import Space
from support import turn_on, until

SUBJECTS = ["One", "Two", "Three"]


class Cut(BaseException):
    """The process ends here."""


@pytest.fixture
def polled(orla, monkeypatch):
    """A workflow that nobody pushes to and no worker checks; and how to check it, ending at the nth commit."""
    on = turn_on(orla)
    orla.faults(push="never")
    orla.space.transact(
        lambda t: t.execute(
            "UPDATE subscription SET next_check_at=NOW(3) + INTERVAL 1 HOUR WHERE workspace_id=%s", (orla.space.id,)
        )
    )
    honest = Space.transact

    def check(at: int | None = None, committed: bool = False) -> bool:
        """Whether it ended at its commit number `at`, before or after that was done."""
        number = 0

        def transact(space, work):
            nonlocal number
            number += 1
            if number == at and not committed:
                raise Cut
            result = honest(space, work)
            if number == at:
                raise Cut
            return result

        of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow))
        with monkeypatch.context() as patch:
            patch.setattr(Space, "transact", transact)
            try:
                polling.check(orla.kelvix.engine, of)
            except Cut:
                return True
        return False

    yield orla, on, check
    orla.faults()


@pytest.mark.parametrize("committed", [False, True], ids=["before it is done", "after it is done"])
def test_a_check_that_ends_at_each_of_its_commits(polled, committed):
    orla, on, check = polled
    for subject in SUBJECTS:
        orla.deliver(subject)
    at = 1
    while check(at, committed):
        orla.deliver(f"Beside {at}")
        at += 1
    assert at > 1, "it has a commit at which it can end"
    check()
    expected = sorted([*SUBJECTS, *(f"Beside {n}" for n in range(1, at))])
    assert until(lambda: (titles := sorted(on.titles())) == expected and titles)
    assert len(orla.runs(on.workflow)) == len(expected)


def test_a_check_that_was_overtaken_moves_no_cursor_back(polled):
    """Two check at once: the one that ends later read less."""
    orla, on, check = polled
    slow = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow))
    orla.deliver("One")
    check()
    reached = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow)).cursor_at
    assert reached != slow.cursor_at
    orla.space.transact(lambda t: subscriptions.checked(t, slow, slow.cursor_at, slow.cursor_at + "0", 60, None))
    assert orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow)).cursor_at == reached


def test_a_query_and_a_rehearsal_between_two_readings_change_nothing(polled):
    """Only taking in moves how far a source was read."""
    orla, on, check = polled
    source = orla.source(on.connection, str(orla.folders["Enquiries"]))
    before = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow)).cursor_at
    for subject in SUBJECTS:
        orla.deliver(subject)
    first = source.changes(before)
    assert [c.kind for c in first.changes] == ["added"] * 3
    draft = {"document": on.detail()["document"]}
    assert len(orla.api("POST", f"/workflows/{on.workflow}/samples/fetch", json=draft | {"count": 3})) == 3
    assert orla.api("POST", f"/workflows/{on.workflow}/rehearse", json=draft)["cells"]
    assert len(source.query(Query(limit=10)).items) == 3
    assert source.changes(before) == first
    assert orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow)).cursor_at == before
    check()
    assert until(lambda: (titles := sorted(on.titles())) == sorted(SUBJECTS) and titles)
