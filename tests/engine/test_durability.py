"""Nothing twice and nothing lost: workers killed and frozen, the database killed and restarted."""

from __future__ import annotations

import json
import os
import pathlib
import random
import signal
import sys
import threading
import time

import pytest

from kelvix import processes
from kelvix.connectors.http import Caller
from kelvix.engine.leases import Leases
from kelvix.settings import TOP, VARIABLE
from kelvix.store import runs
from storming import deliver_surely
from support import Kelvix, claim, turn_on, until

pytestmark = pytest.mark.alone

LEASE = 2.0  # seconds, so that the tests need not wait long
HERE = pathlib.Path(__file__).parent


@pytest.fixture(scope="module")
def own(tmp_path_factory):
    """A Kelvix of this module's own, whose processes may be killed."""
    os.environ["KELVIX_LEASE"] = str(LEASE)
    running = Kelvix(tmp_path_factory.mktemp("own"))
    yield running
    running.stop()
    del os.environ["KELVIX_LEASE"]


@pytest.fixture
def on(own):
    if "worker" not in own.installation._children:
        own.installation.start("worker")
    return turn_on(own.person("Orla"))


@pytest.fixture
def pausing(own, on, tmp_path):
    """In place of the worker, one that pauses before each effect."""
    own.installation.stop_child("worker")
    env = os.environ | {VARIABLE: str(own.installation.settings_file), "PYTHONPATH": str(TOP / "src")}
    child = processes.spawn(
        [sys.executable, str(HERE / "pausing_worker.py"), str(tmp_path)], env=env, quiet=str(tmp_path / "log")
    )
    yield child
    child.send_signal(signal.SIGCONT)
    processes.stop(child, 3)


def paused(folder):
    return until((folder / "paused").exists) and int((folder / "paused").read_text())


def test_a_worker_killed_between_claim_and_commit(own, on, pausing, tmp_path):
    on.person.deliver("Killed")
    run = paused(tmp_path)
    pausing.kill()
    pausing.wait()
    assert on.titles() == []
    own.installation.start("worker")
    assert until(on.titles) == ["Killed"]
    until(lambda: on.person.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    assert on.person.api("GET", f"/runs/{run}")["run"]["attempts"] == 2


def test_a_worker_frozen_past_its_lease_writes_nothing_when_it_wakes(own, on, pausing, tmp_path):
    on.person.deliver("Frozen")
    run = paused(tmp_path)
    pausing.send_signal(signal.SIGSTOP)
    stat = pathlib.Path(f"/proc/{pausing.pid}/stat")
    until(lambda: stat.read_text().rpartition(")")[2].split()[0] == "T")  # a busy machine stops it a little later
    (tmp_path / "go").touch()
    own.installation.start("worker")
    assert until(on.titles) == ["Frozen"]
    pausing.send_signal(signal.SIGCONT)
    said = lambda: [json.loads(line) for line in (tmp_path / "log").read_text().splitlines() if line.startswith("{")]  # noqa: E731
    until(lambda: any(line.get("run") == run and "taken over by another worker" in line["event"] for line in said()))
    assert on.titles() == ["Frozen"]
    changes = on.person.space.rows("SELECT kind FROM `change` WHERE workspace_id=%s", (on.person.space.id,))
    assert [c["kind"] for c in changes] == ["add"]


def test_a_worker_killed_in_the_midst_of_saving_a_large_file(own):
    """The other app keeps nothing of half a file; the next worker fetches it anew and saves it, once."""
    if "worker" not in own.installation._children:
        own.installation.start("worker")
    orla, piece, pieces = own.person("Orla"), bytes(range(256)) * 4096, 160  # MB
    connection = orla.connect("In", "Out", app="files", send=True)
    folder, out = orla.container("files", "In"), orla.container("files", "Out")
    when = {"verb": "when", "id": "w", "app": "files", "connection": connection, "container": str(folder)}
    save = {"verb": "save_file", "id": "s", "connection": connection, "container": str(out), "container_name": "Out",
            "file": [{"ref": {"line": "w", "value": "file"}}]}  # fmt: skip
    flow = orla.workflow("Large", {"lines": [when, save]})
    orla.api("POST", f"/workflows/{flow}/on")
    caller, where = Caller("Files", own.settings.practice_address), f"/files/api/folders/{folder}/files"
    large = (piece for _ in range(pieces))
    caller.call("POST", where, orla.token(connection), params={"name": "large.bin"}, body=large)
    contents = pathlib.Path(own.settings.data) / "practice-files"

    def coming():
        try:
            return [size for path in contents.glob("coming-*") if (size := path.stat().st_size) > 4 * len(piece)]
        except FileNotFoundError:  # it came to its end in between
            return []

    assert until(coming, every=0.001)[0] < pieces * len(piece)
    own.installation.child("worker").kill()
    own.installation.child("worker").wait()
    until(lambda: not list(contents.glob("coming-*")))
    assert own.practice.items(out, 10) == [] and not orla.runs(flow, "done")
    own.installation.start("worker")
    until(lambda: orla.runs(flow, "done"), 60)
    [run], [kept] = orla.runs(flow), own.practice.items(out, 10)
    assert orla.api("GET", f"/runs/{run['id']}")["run"]["attempts"] == 2
    with orla.practice_page() as page:
        copy = page.get(f"/files/files/{kept['id']}/copy").content
    assert copy == piece * pieces


def test_the_fencing_token_alone_stops_a_late_writer(own, on):
    """The same, without processes: a claim whose lease is over, or that was claimed again, may not write."""
    own.installation.stop_child("worker")
    space = on.person.space
    on.person.deliver("Fenced")
    [late] = until(lambda: claim(space, own.engine, limit=10, lease=0.2))
    space.transact(lambda t: runs.hold(t, late, 0.2))
    time.sleep(0.4)
    with pytest.raises(runs.Fenced):
        space.transact(lambda t: runs.hold(t, late, 30))
    assert space.transact(runs.release_expired) == [late.run_id]
    assert space.transact(lambda t: runs.claim(t, 10, 30)) == [], "what may have ended its worker is carried alone"
    [now] = space.transact(lambda t: runs.claim(t, 1, 30, suspect_of=space.id))
    assert now.run_id == late.run_id and now.token > late.token and now.attempts == 2
    with pytest.raises(runs.Fenced):
        space.transact(lambda t: runs.hold(t, late, 30))
    space.transact(lambda t: runs.hold(t, now, 30))
    space.transact(lambda t: runs.wait(t, now, 0, {"sentence": "given back"}))
    own.installation.start("worker")
    assert until(on.titles) == ["Fenced"]


def test_a_machine_that_stood_still_makes_no_run_suspect(own, on):
    """What is outside when a lease runs out, since no thread came to renew it, is still held by whoever held it."""
    own.installation.stop_child("worker")
    space = on.person.space
    on.person.deliver("Asleep")
    [held] = until(lambda: claim(space, own.engine, limit=10, lease=0.2))
    leases = Leases(120.0)  # which renews by itself only after half a minute
    with leases.outside(space, held):
        until(lambda: space.row("SELECT id FROM run WHERE id=%s AND lease_until < NOW(3)", (held.run_id,)), every=0.05)
        leases.renew()
        assert space.transact(runs.release_expired) == []
        space.transact(lambda t: runs.hold(t, held, 30))
    space.transact(lambda t: runs.wait(t, held, 0, {"sentence": "given back"}))
    own.installation.start("worker")
    assert until(on.titles) == ["Asleep"]


def test_two_workers_never_claim_the_same(own, on):
    own.installation.stop_child("worker")
    space = on.person.space
    for n in range(40):
        space.read(
            lambda t, n=n: t.execute(
                "INSERT INTO ready (workspace_id, run_id) VALUES (%s,%s)", (space.id, new_run(space, on, n))
            )
        )
    claimed: list[int] = []

    def work():
        server = own.engine.directory.home
        while taken := server.transact(lambda t: runs.claim(t, 3, 30)):
            claimed.extend(c.run_id for c in taken)

    threads = [threading.Thread(target=work) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(claimed) == len(set(claimed)) == 40
    own.installation.start("worker")


def new_run(space, on, number):
    version = on.person.space.row("SELECT live_version_id AS v FROM workflow WHERE workspace_id=%s", (space.id,))["v"]
    return space.transact(lambda t: t.insert(
        "INSERT INTO run (workspace_id, workflow_id, version_id, kind, state, item_id) VALUES (%s,%s,%s,'event','waiting',%s)",
        (space.id, on.workflow, version, str(number))))  # fmt: skip


def test_200_messages_while_workers_are_killed_and_the_database_is_killed_and_restarted(own, on):
    """Exactly one record for each message, none missing."""
    dice = random.Random(20261125)
    subjects = [f"message {n:03}" for n in range(200)]
    done = threading.Event()

    def send():
        for subject in subjects:
            deliver_surely(on.person, subject)
        done.set()

    sender = threading.Thread(target=send)
    sender.start()
    kills = 0
    while not done.is_set() or kills < 4:
        time.sleep(dice.uniform(0.2, 0.8))
        own.installation.child("worker").kill()
        own.installation.child("worker").wait()
        own.installation.start("worker")
        kills += 1
        if kills == 2:
            own.installation.mariadb.child.kill()
            own.installation.mariadb.child.wait()
            time.sleep(0.5)
            own.installation.mariadb.start()
    sender.join()
    on.check_now()  # what a push could not tell while the database was away
    until(lambda: len(set(on.titles())) == 200, 90)
    time.sleep(LEASE + 1)
    titles = on.titles()
    # A message that was kept, but whose acceptance was lost on the way, was sent again: it is two messages in Mail then.
    in_mail = [m["body"] for m in own.practice.items(on.person.folders["Enquiries"], 1000)]
    assert len(titles) == len(in_mail) and set(titles) == set(subjects)
    assert {r["state"] for r in on.person.runs(on.workflow)} == {"done"}
    assert kills >= 4


def test_the_database_restarted_while_a_record_is_written_through_the_api(own, on):
    """The caller waits a little instead of getting an error, and the write is there once."""
    mariadb = own.installation.mariadb
    mariadb.child.terminate()
    mariadb.child.wait()
    answers = []

    def write():
        answers.append(
            on.person.api("POST", f"/databases/{on.database['id']}/records", json={"values": {on.name_field: "Patient"}})
        )

    writer = threading.Thread(target=write)
    writer.start()
    time.sleep(0.5)
    mariadb.start()
    writer.join()
    assert answers[0]["record"]["id"] and on.titles() == ["Patient"]
