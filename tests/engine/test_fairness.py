"""A workspace whose runs are slow does not hold up another's, on one worker."""

from __future__ import annotations

import threading
import time

import pytest

from kelvix.engine import worker
from kelvix.engine.engine import make
from support import turn_on, until

pytestmark = pytest.mark.alone


def test_slow_runs_of_one_workspace_leave_room_for_another(kelvix):
    """Twelve runs that wait for a slow app, four at a time: another workspace's request comes through meanwhile."""
    slow, quick = turn_on(kelvix.person("Orla")), kelvix.person("Ivo")
    log = quick.database("Log", {"name": "Name", "type": "text"})
    name = log["fields"][0]["id"]
    own = {"kind": "record", "database": log["id"], "event": "added"}
    tasks = quick.database("Tasks", {"name": "Name", "type": "text"})
    add = {"verb": "add", "id": "a", "database": tasks["id"],
           "fillings": [{"field": tasks["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": f"f_{name}"}}]}]}  # fmt: skip
    workflow = quick.workflow("Quick", {"lines": [{"verb": "when", "id": "w", "own": own}, add]})
    quick.api("POST", f"/workflows/{workflow}/on")
    slow.person.faults("slow")  # three seconds for each item
    try:
        for n in range(12):
            slow.person.deliver(f"slow {n}")
        until(lambda: len([r for r in slow.person.runs(slow.workflow) if r["state"] == "running"]) >= 4)
        began = time.monotonic()
        quick.api("POST", f"/databases/{log['id']}/records", json={"values": {str(name): "quick"}})
        until(lambda: quick.records(tasks["id"]))
        passed = time.monotonic() - began
        left = [r for r in slow.person.runs(slow.workflow) if r["state"] != "done"]
    finally:
        slow.person.faults()
    assert left, f"it came through after {passed:.1f} s, when all slow ones were done"
    until(lambda: len(slow.titles()) == 12)


def test_a_workspace_at_its_limit_goes_on_as_soon_as_one_run_has_ended(kelvix, monkeypatch):
    """Not only at the worker's next look, which here would come too late."""
    on = turn_on(kelvix.person("Orla"))
    kelvix.installation.stop_child("worker")
    many = 5 * worker.MAX_OF_ONE
    monkeypatch.setattr(worker, "LOOK", 600.0)
    own = worker.Worker(make(kelvix.settings))
    working = threading.Thread(target=own.run)
    try:
        for n in range(many):
            on.person.deliver(f"one of many {n}")
        working.start()
        until(lambda: len(on.titles()) == many)
    finally:
        own.stop()
        own.engine.dispatch.wake()
        kelvix.installation.start("worker")
    working.join(10)
    assert not working.is_alive()
