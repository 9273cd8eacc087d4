"""Running it: what is looked at, measured and logged; workers that end in order, and workers on other hosts."""

from __future__ import annotations

import contextlib
import json
import os
import re
import subprocess
import sys
import time
from dataclasses import replace

import httpx2 as httpx
import pytest
from prometheus_client.parser import text_string_to_metric_families

from kelvix.commands import doctor, secret_files
from kelvix.settings import TOP, VARIABLE
from kelvix.store.secrets import new_key
from support import Kelvix, turn_on, until


@pytest.fixture(scope="module")
def own(tmp_path_factory):
    """A Kelvix of this module's own, on an address that other hosts could reach, if there were any."""
    running = Kelvix(tmp_path_factory.mktemp("own"), database_host="127.0.0.2")
    yield running
    running.stop()


def examined(settings):
    return {f.name: f for f in doctor.examine(settings)}


def test_the_doctor_finds_all_well(own):
    turn_on(own.person("Orla"))
    found = until(lambda: (f := examined(own.settings)) and all(x.well for x in f.values()) and f)
    assert {"key", "clocks", "schema", "workers", "web application", "email to owners", "fields"} <= set(found)
    said = []
    assert doctor.report(iter(found.values()), said.append) and said[-1] == "No problems found."


def test_the_doctor_says_what_is_not_well_and_what_to_do(own, tmp_path):
    wrong = examined(replace(own.settings, key=new_key()))["key"]
    assert not wrong.well and "restore the key file" in wrong.advice
    home = own.settings.servers["home"]
    gone = examined(replace(own.settings, servers={"home": replace(home, port=1)}))
    assert "start Kelvix" in gone["database home"].advice and "clocks" not in gone
    refused = examined(replace(own.settings, servers={"home": replace(home, password="x")}))["database home"]
    assert "user and password" in refused.advice
    empty = examined(replace(own.settings, servers={"home": replace(home, schema="nothing_yet")}, data=str(tmp_path)))
    assert not empty["settings.json"].well and "start Kelvix once" in empty["database home"].advice
    down = examined(replace(own.settings, port=1, smtp_port=1))
    assert not down["web application"].well and "owners get no email" in down["email to owners"].advice
    (file := own.installation.settings_file).chmod(0o644)
    try:
        assert "chmod 600" in examined(own.settings)["settings.json"].advice
        done = subprocess.run(
            [sys.executable, "-m", "kelvix", "doctor", "--data", own.settings.data], capture_output=True, text=True,
            env=os.environ | {"PYTHONPATH": str(TOP / "src")},
        )  # fmt: skip
        assert done.returncode == 1 and "! settings.json" in done.stdout and "run doctor again" in done.stdout
    finally:
        file.chmod(0o600)


def samples(port):
    text = httpx.get(f"http://127.0.0.1:{port}/metrics", trust_env=False).text
    return {s.name + str(sorted(s.labels.items())): s.value for f in text_string_to_metric_families(text) for s in f.samples}


def of_worker(own):
    """A worker's, which takes the next port that is free."""
    for port in range(own.settings.metrics_port + 1, own.settings.metrics_port + 6):
        with contextlib.suppress(httpx.ConnectError):
            found = samples(port)
            if found.get("kelvix_run_seconds_count[]"):
                return found
    return None


def test_metrics_are_read_by_prometheus_own_parser(own):
    on = turn_on(own.person("Orla"))
    on.person.deliver("counted")
    until(on.titles)
    web = samples(own.settings.metrics_port)
    assert (
        web["kelvix_ready[('server', 'home')]"] >= 0 and "kelvix_runs_not_ended[('server', 'home'), ('state', 'held')]" in web
    )
    assert web["kelvix_events_taken_in_total[('by', 'push')]"] >= 1
    worker = until(lambda: of_worker(own))
    assert worker["kelvix_runs_taken_up_total[('outcome', 'carried')]"] >= 1
    assert not any("counted" in name or "@" in name for name in (*web, *worker)), "nothing about anybody"


def test_logs_are_json_and_say_which_run(own):
    on = turn_on(own.person("Orla"))
    on.person.deliver("logged")
    until(on.titles)
    space = on.person.space
    space.transact(
        lambda t: t.execute("UPDATE run SET item='{}', finished_at=NULL, state='waiting' WHERE workspace_id=%s", (space.id,))
    )
    space.transact(
        lambda t: t.execute("DELETE FROM run_line WHERE run_id IN (SELECT id FROM run WHERE workspace_id=%s)", (space.id,))
    )
    [run] = space.rows("SELECT id FROM run WHERE workspace_id=%s", (space.id,))
    space.transact(
        lambda t: t.execute("INSERT INTO ready (workspace_id, queue, run_id) VALUES (%s,0,%s)", (space.id, run["id"]))
    )
    log = own.installation.data / "worker.log"

    def found():
        lines = [json.loads(x) for x in log.read_text().splitlines() if x.startswith("{")]
        return [x for x in lines if x.get("run") == run["id"]]

    [line] = until(found)[:1]
    assert (
        line["level"] == "error" and line["workspace"] == space.id and line["attempt"] >= 1 and "KeyError" in line["exception"]
    )
    assert re.fullmatch(r"\d{4}-\d\d-\d\dT[\d:.]+Z", line["timestamp"]) and line["process"] == "worker"
    assert "logged" not in log.read_text(), "what runs carry is not logged"


def worker_elsewhere(own, tmp_path):
    """As on another host: all that it has is the settings file."""
    copy = tmp_path / "settings.json"
    secret_files.write(copy, own.settings.json())
    out = tmp_path / "worker.out"
    with out.open("wb") as log:
        env = {k: v for k, v in os.environ.items() if k != VARIABLE}
        child = subprocess.Popen(
            [sys.executable, "-m", "kelvix", "worker"], stderr=log, cwd=tmp_path,
            env=env | {VARIABLE: str(copy), "PYTHONPATH": str(TOP / "src")},
        )  # fmt: skip
    until(lambda: "taking up work" in out.read_text())
    return child


def test_a_worker_on_another_host_takes_up_work_and_is_told_of_it(own, tmp_path):
    on = turn_on(own.person("Orla"))
    own.installation.stop_child("worker")
    child = worker_elsewhere(own, tmp_path)
    try:
        listens = until(lambda: on.person.space.rows("SELECT address FROM listener WHERE wants='work'"))
        assert len(listens) == 1 and listens[0]["address"].startswith("127.0.0."), "the one that was stopped has left"
        on.person.deliver("from afar")
        assert until(on.titles) == ["from afar"]
    finally:
        child.terminate()
        assert child.wait(30) == 0
        own.installation.start("worker")


def test_a_worker_that_is_told_to_end_finishes_what_it_began(own, tmp_path):
    """The app is slow: the worker is asked to end while it waits for it. The run is done by it, not by another."""
    on = turn_on(own.person("Orla"))
    own.installation.stop_child("worker")
    child = worker_elsewhere(own, tmp_path)
    on.person.faults("slow")
    try:
        on.person.deliver("begun")
        until(lambda: [r for r in on.person.runs(on.workflow) if r["state"] == "running"])
        child.terminate()
        assert child.wait(30) == 0
        [run] = on.person.runs(on.workflow)
        assert run["state"] == "done" and run["attempts"] == 1
        on.person.deliver("not begun")
        time.sleep(0.5)
        assert [r["state"] for r in on.person.runs(on.workflow)] == ["done"]
    finally:
        on.person.faults()
        own.installation.start("worker")
    until(lambda: len(on.titles()) == 2, 60)  # a worker begins anew first
