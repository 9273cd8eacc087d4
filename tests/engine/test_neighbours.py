"""One workspace's trouble is its own: while a receiver, a file or a feed of one holds up whatever it can, another's items cross
as in quiet."""

from __future__ import annotations

import os
import time

import pytest

from attacks import dripping, heavy_pdf, tell_a_receiver
from kelvix.engine.subscriptions import feeding
from kelvix.store import runs
from support import FIELDS, Kelvix, document, turn_on, until

pytestmark = pytest.mark.alone

LEASE = 2.0  # seconds: shorter than each of the attacks


@pytest.fixture(scope="module")
def troubled(tmp_path_factory):
    """A Kelvix with short leases, and a receiver that answers a byte at a time, for ever."""
    os.environ["KELVIX_LEASE"] = str(LEASE)
    with dripping(b"H", 0.5) as port:
        running = Kelvix(tmp_path_factory.mktemp("troubled"), reachable=(f"localhost:{port}",))
        try:
            yield running, f"http://localhost:{port}/"
        finally:
            running.stop()
            del os.environ["KELVIX_LEASE"]


@pytest.fixture
def neighbour(troubled):
    return turn_on(troubled[0].person("Nell"))


def crossings(on, seconds: float, what: str) -> list[float]:
    """How long messages take to become records, one after the other."""
    found: list[float] = []
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        name = f"{what} {len(found)}"
        began = time.monotonic()
        on.person.deliver(name)
        until(lambda name=name: name in on.titles())
        found.append(time.monotonic() - began)
    return found


def p90(times: list[float]) -> float:
    return sorted(times)[int(len(times) * 0.9)]


def at_most_a_second_later(quiet: list[float], meanwhile: list[float]) -> None:
    assert p90(meanwhile) < p90(quiet) + 1.0, (p90(quiet), p90(meanwhile), len(meanwhile))


def test_a_receiver_that_drips(troubled, neighbour):
    running, address = troubled
    quiet = crossings(neighbour, 2, "quiet")
    orla = running.person("Orla")
    workflow = tell_a_receiver(orla, address)
    for n in range(8):
        orla.deliver(f"to tell {n}")
    until(lambda: len(orla.runs(workflow, "running")) >= 4)
    at_most_a_second_later(quiet, crossings(neighbour, 8, "dripping"))
    rows = orla.space.rows("SELECT state, endings FROM run WHERE workflow_id=%s", (workflow,))
    assert {r["endings"] for r in rows} == {0}, "none is taken for one that ended its worker"
    until(lambda: any("did not respond" in str(r["problem"]) for r in orla.runs(workflow)))
    orla.api("POST", f"/workflows/{workflow}/off")


def test_files_that_take_their_reader_minutes(troubled, neighbour):
    running, _ = troubled
    quiet = crossings(neighbour, 2, "quiet")
    orla = running.person("Orla")
    connection = orla.connect("Papers", app="files")
    table = orla.database("Papers", *FIELDS)
    made = document(connection, orla.container("files", "Papers"), table, {"Name": "name", "Text": "text"})
    made["lines"][0]["app"] = "files"
    workflow = orla.workflow("Papers", made)
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.put_files("Papers", {f"heavy {n}.pdf": heavy_pdf() for n in range(6)})
    at_most_a_second_later(quiet, crossings(neighbour, 8, "heavy"))
    until(lambda: len(orla.runs(workflow, "done")) == 6, 60, 0.5)
    assert len(orla.records(table["id"])) == 6, "each file has its record, with what is known of it"
    rows = orla.space.rows("SELECT endings FROM run WHERE workflow_id=%s", (workflow,))
    assert {r["endings"] for r in rows} == {0}


def test_a_run_that_ends_its_worker_is_carried_in_a_process_of_its_own(troubled, neighbour):
    """Nobody else waits for it, neither before nor while it is carried; nor does what is suspect of somebody else."""
    running, address = troubled
    quiet = crossings(neighbour, 2, "quiet")
    on, mona = turn_on(running.person("Orla")), running.person("Mona")
    tells = tell_a_receiver(mona, address)
    running.installation.stop_child("worker")
    space, hers = on.person.space, mona.space
    for person in (mona, on.person):
        person.deliver("suspect")
        until(lambda: feeding.feed(running.engine, space.server))
        until(lambda of=person.space: of.row("SELECT id FROM event WHERE workspace_id=%s", (of.id,)))
    claims = [
        until(lambda of=of: of.transact(lambda t: runs.claim(t, 1, 0.1, room=lambda id: int(id == of.id))))
        for of in (hers, space)
    ]
    [[hangs], [claim]] = claims
    for one in (hangs, claim):
        until(lambda one=one: space.row("SELECT id FROM run WHERE id=%s AND lease_until < NOW(3)", (one.run_id,)))
    assert {hangs.run_id, claim.run_id} <= set(space.transact(runs.release_expired))
    running.installation.start("worker")
    crossings(neighbour, 0.1, "the worker has started")
    at_most_a_second_later(quiet, crossings(neighbour, 3, "suspect"))
    assert until(lambda: on.titles() or [r["problem"] for r in mona.runs(tells) if r["problem"]]) == ["suspect"]
    row = space.row("SELECT endings, attempts FROM run WHERE id=%s", (claim.run_id,))
    assert row == {"endings": 1, "attempts": 2}


def test_an_app_that_is_slow_holds_up_no_other_feed(troubled, neighbour):
    """Feeds are read side by side: the checks of one that takes seconds do not delay another's."""
    running, _ = troubled
    many = running.person("Mona")
    connection = many.connect("Surveys", app="files")
    table = many.database("Papers", *FIELDS)
    for n in range(6):
        made = document(connection, many.container("files", "Surveys"), table, {"Name": "name"})
        made["lines"][0]["app"] = "files"
        workflow = many.workflow(f"Papers {n}", made)
        many.api("POST", f"/workflows/{workflow}/on")
    neighbour.check_now()
    many.faults("slow", app="files")
    try:
        many.space.transact(
            lambda t: t.execute("UPDATE subscription SET next_check_at=NOW(3) WHERE workspace_id=%s", (many.space.id,))
        )
        time.sleep(0.5)
        began = time.monotonic()
        neighbour.check_now()
        assert time.monotonic() - began < 2.0
    finally:
        many.faults(app="files")
