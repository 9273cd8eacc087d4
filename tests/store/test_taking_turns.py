"""Queues take turns, lanes keep order, calls keep their distance."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.engine.engine import make
from kelvix.store import events, lanes, pace, people, ready, runs
from kelvix.store.arrivals import Arrival
from kelvix.store.migrate import migrate


def fill(space, queue, number):
    for n in range(number):
        space.transact(lambda t, n=n: ready.event(t, space.id, queue, 10_000 * queue + n))


@pytest.fixture(scope="module")
def alone(kelvix):
    """A workspace in a schema that no worker looks into."""
    home = replace(kelvix.settings.servers["home"], schema="kelvix_turns")
    migrate(home)
    engine = make(replace(kelvix.settings, servers={"home": home}))
    person = people.create_workspace(engine.directory.home, "Turns", "Orla", "Europe/London")
    return engine.directory.open(person.workspace_id)


@pytest.fixture
def quiet(alone):
    alone.transact(lambda t: [t.execute(f"DELETE FROM {table}") for table in ("ready", "lane", "lane_place", "pace")])
    return alone


def test_a_long_queue_does_not_starve_a_short_one(quiet):
    fill(quiet, 7, 60)
    fill(quiet, 8, 2)
    taken = Counter()
    for _ in range(3):
        for queue, n in ready.shares(quiet.read(ready.queues), 4).items():
            taken[queue[1]] += len(quiet.transact(lambda t, queue=queue, n=n: ready.take_due(t, queue, n)))
    assert taken[8] == 2 and taken[7] >= 6


def test_what_is_not_due_is_in_no_queue(quiet):
    quiet.transact(lambda t: t.execute(
        "INSERT INTO ready (workspace_id, queue, event_id, due_at) VALUES (%s,9,1,NOW(3) + INTERVAL 1 HOUR)", (quiet.id,)
    ))  # fmt: skip
    assert quiet.read(ready.queues) == []


@given(st.lists(st.tuples(st.integers(1, 4), st.integers(-3, 3)), unique=True, min_size=1), st.integers(1, 40))
def test_shares_differ_by_one_between_workspaces(due, limit):
    """Round robin: no workspace gets two more than another (max-min fairness, common practice)."""
    given_ = ready.shares(due, limit)
    by_space = Counter()
    for (space, _), n in given_.items():
        by_space[space] += n
    counts = [by_space[s] for s in {d[0] for d in due}]
    assert sum(counts) == limit and max(counts) - min(counts) <= 1


def test_one_workspace_leaves_room_for_another():
    due = [(1, 7), (1, 8)]
    assert sum(ready.shares(due, 5, lambda _: 2).values()) == 2
    given_ = ready.shares([*due, (2, 9)], 5, lambda space: {1: 0, 2: 4}[space])
    assert given_ == {(2, 9): 4}


def new_event(space, workflow, number, order, item):
    def work(t):
        lane = lanes.lane_of(order, workflow, item)
        made = t.insert(
            "INSERT INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by, lane) "
            "VALUES (%s,%s,1,%s,%s,'push',%s)",
            (space.id, workflow, Arrival(str(number)).digest("", str(workflow)), item, lane),
        )
        events.line_up(t, space.id, workflow, made, lane)
        return made, lane

    return space.transact(work)


def due_events(space):
    return [r["event_id"] for r in space.rows("SELECT event_id FROM ready WHERE workspace_id=%s ORDER BY id", (space.id,))]


def test_the_next_of_a_lane_is_ready_when_the_one_before_has_ended(quiet):
    first, lane = new_event(quiet, 901, 1, "item", "a")
    second, _ = new_event(quiet, 901, 2, "item", "a")
    other, _ = new_event(quiet, 901, 3, "item", "b")
    assert due_events(quiet) == [first, other]
    assert quiet.read(lambda t: lanes.waiting(t, quiet.id, 901)) == 1
    quiet.transact(lambda t: lanes.leave(t, quiet.id, lane, first))
    assert due_events(quiet) == [first, other, second]
    quiet.transact(lambda t: lanes.leave(t, quiet.id, lane, first))  # ended again: nobody is let in twice
    assert due_events(quiet) == [first, other, second]
    quiet.transact(lambda t: lanes.leave(t, quiet.id, lane, second))
    assert not quiet.rows("SELECT * FROM lane WHERE digest=%s", (lane,))


def test_a_run_that_ends_lets_the_next_in(quiet):
    first, _ = new_event(quiet, 902, 1, "all", "a")
    second, _ = new_event(quiet, 902, 2, "all", "b")
    [claim] = quiet.transact(lambda t: runs.claim(t, 10, 30))
    assert claim.event_id == first and due_events(quiet) == []
    quiet.transact(lambda t: runs.hold(t, claim, 30))
    assert due_events(quiet) == []
    quiet.transact(lambda t: runs.hold(t, claim, 30, None, "failed", {"sentence": "no"}))
    assert due_events(quiet) == [second], "one that fails does not hold up those behind it"


def test_calls_are_kept_apart_as_long_as_the_app_asks_for_it(quiet):
    key = (quiet.id, 77)
    assert quiet.transact(lambda t: pace.turn(t, *key)) == (0.0, True)
    quiet.transact(lambda t: pace.refused(t, *key, 1.0))
    turns = [quiet.transact(lambda t: pace.turn(t, *key)) for _ in range(4)]
    assert all(own for _, own in turns)
    waits = [after for after, _ in turns]
    assert waits[0] == pytest.approx(1, abs=0.3) and all(0.7 < b - a < 1.3 for a, b in pairwise(waits))
    later = [quiet.transact(lambda t: pace.turn(t, *key)) for _ in range(12)]
    assert not later[-1][1] and later[-1][0] > pace.AHEAD, "turns are given only for a while in advance"
    assert key in quiet.read(pace.kept)
    for _ in range(40):
        quiet.transact(lambda t: pace.went_through(t, *key))
    assert key not in quiet.read(pace.kept)


def test_a_refusal_moves_the_next_turn_and_never_brings_it_closer(quiet):
    key = (quiet.id, 78)
    quiet.transact(lambda t: pace.refused(t, *key, 5.0))
    quiet.transact(lambda t: pace.refused(t, *key, 0.0))
    after, own = quiet.transact(lambda t: pace.turn(t, *key))
    assert after > 4 and own
