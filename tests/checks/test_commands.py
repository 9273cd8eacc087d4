"""The commands: one address to sign in, everything ends with the command, clear sentences when something is in the way."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import httpx2 as httpx
import pytest

from kelvix.commands.mariadb import MariaDB
from kelvix.processes import free_port
from kelvix.settings import TOP
from support import until

ENV = {k: v for k, v in os.environ.items() if k != "KELVIX_SETTINGS"} | {
    "PYTHONPATH": str(TOP / "src"),
    "PYTHONUNBUFFERED": "1",
}


def kelvix(*words, **more):
    return subprocess.run(
        [sys.executable, "-m", "kelvix", *map(str, words)], env=ENV, capture_output=True, text=True, timeout=120, **more
    )


def begin(command, folder, port):
    words = [sys.executable, "-m", "kelvix", command, "--data", str(folder / "data"), "--port", str(port)]
    with (folder / f"{command}.out").open("wb") as log:
        return subprocess.Popen(words, env=ENV, stdout=log, stderr=log, start_new_session=True)


def address(folder, command, seconds=90):
    return until(lambda: re.search(r"http://\S+/sign-in/\S+", (folder / f"{command}.out").read_text()), seconds)[0]


def of_folder(folder):
    """The processes that have this data folder's settings or database open."""
    found = []
    for pid in filter(str.isdigit, os.listdir("/proc")):
        try:
            said = Path(f"/proc/{pid}/cmdline").read_text() + Path(f"/proc/{pid}/environ").read_text()
        except OSError:
            continue
        if str(folder / "data") in said:
            found.append(int(pid))
    return found


def port_of_three():
    """A port whose neighbours for the practice apps and for SMTP are free too."""
    while True:
        port = free_port()
        try:
            free_port(port + 1)
            free_port(port + 25)
            return port
        except OSError:
            continue


@pytest.mark.alone
@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGINT])
def test_start_prints_one_address_and_everything_ends_with_it(tmp_path, how):
    port = port_of_three()
    child = begin("start", tmp_path, port)
    first = address(tmp_path, "start")
    assert httpx.get(first, trust_env=False).status_code == 303
    assert httpx.get(first, trust_env=False).status_code == 410
    assert len(of_folder(tmp_path)) >= 5

    second = kelvix("start", "--data", tmp_path / "data", "--port", port_of_three())
    assert second.returncode == 1 and "already running with the data folder" in second.stderr

    token = kelvix("token", "--name", "tests", "--data", tmp_path / "data").stdout.strip()
    me = httpx.get(f"http://127.0.0.1:{port}/api/v1/me", headers={"authorization": f"Bearer {token}"}, trust_env=False)
    assert me.json()["role"] == "owner"
    again = kelvix("sign-in", "--data", tmp_path / "data").stdout.strip()
    assert httpx.get(again, trust_env=False).status_code == 303

    said = tmp_path / "worker.out"
    with said.open("wb") as log:
        worker = subprocess.Popen(
            [sys.executable, "-m", "kelvix", "worker", "--data", str(tmp_path / "data")], env=ENV, stderr=log
        )
    until(lambda: "taking up work" in said.read_text())
    worker.terminate()
    assert worker.wait(10) == 0

    child.send_signal(how)
    child.wait(30)
    until(lambda: not of_folder(tmp_path))
    began = time.monotonic()
    child = begin("start", tmp_path, port)
    (tmp_path / "start.out").write_text("")
    address(tmp_path, "start")
    assert time.monotonic() - began < 60
    child.send_signal(signal.SIGTERM)
    child.wait(30)
    until(lambda: not of_folder(tmp_path))


def test_a_port_in_use_gets_one_clear_sentence(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        said = kelvix("start", "--data", tmp_path / "data", "--port", taken.getsockname()[1])
    assert said.returncode == 1 and said.stderr.strip().startswith("kelvix: port") and "in use" in said.stderr
    assert len(said.stderr.strip().splitlines()) == 1


def test_joining_what_does_not_run_says_so(tmp_path):
    said = kelvix("token", "--name", "x", "--data", tmp_path)
    assert said.returncode == 1 and "Kelvix has not been started here yet" in said.stderr
    assert kelvix("help").returncode == 0 and kelvix("nonsense").returncode == 2


def test_a_database_that_was_half_made_is_made_anew(tmp_path):
    half = tmp_path / "db/mysql.new"
    half.mkdir(parents=True)
    (half / "rubbish").write_text("x")
    server = MariaDB(tmp_path / "db")
    server.start()
    server.drop("nothing")
    server.stop()
    assert not half.exists()


@pytest.mark.timeout(420)  # the weeks that it makes up take half a minute alone, and minutes beside other tests
def test_the_demo_is_deterministic_and_rich(tmp_path):
    from kelvix.demo.messages import LETTERS, all_sources

    assert len(LETTERS) >= 60
    assert [s for _, s in all_sources()] == [s for _, s in all_sources()]
    port = port_of_three()
    child = begin("demo", tmp_path, port)
    try:
        with httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False) as web:
            web.get(address(tmp_path, "demo", 300))
            flows_on = {w["name"]: w["state"] for w in web.get("/api/v1/workflows").json()}
            databases = {d["name"]: d["records"] for d in web.get("/api/v1/databases").json()}
            assert databases == {
                "Enquiries": 20, "Notes": 11, "Papers": 10, "Parishes": 11, "Reading list": 30, "Suppliers’ invoices": 1,
                "Tuning calendar": 27, "Visitations": 3, "Workshop tasks": 244,
            }  # fmt: skip
            viewed = {}
            for database in web.get("/api/v1/databases").json():
                where = f"/api/v1/databases/{database['id']}"
                for kept in web.get(f"{where}/views").json()["views"]:
                    asked = {"view": kept["view"], "saved": kept["id"]}
                    shown = web.post(f"{where}/figures", json=asked, headers={"origin": f"http://127.0.0.1:{port}"}).json()
                    viewed.setdefault(database["name"], {})[kept["name"]] = shown["records"]
            assert {name: len(several) for name, several in viewed.items()} == {
                "Enquiries": 3, "Notes": 3, "Parishes": 3, "Suppliers’ invoices": 3, "Tuning calendar": 4, "Workshop tasks": 4,
            }  # fmt: skip
            assert viewed["Tuning calendar"]["By week"] == 27 and viewed["Enquiries"]["Won this year"] == 2
            assert 20 < viewed["Workshop tasks"]["On the bench"] < 244
            assert all(flows_on.get(n) == "on" for n in ("Surveys on the shelf", "Papers of the post", "Articles into notes"))
            flows = {w["name"]: w for w in web.get("/api/v1/workflows").json()}
            assert flows["Enquiries from the post"]["state"] == "on" and flows["Invoices from suppliers"]["tried_never_on"]
            assert flows["What is open"]["listens"]["kind"] == "schedule"
            added = ("Visits into the round", "Invoices into the ledger", "Surveys by name", "Quotes won", "The register")
            assert all(flows_on[name] == "on" for name in added)
            assert [(p["name"], p["outside"]["app"]) for p in web.get("/api/v1/places").json()] == [
                ("Books › Invoices", "sheets"), ("Deanery register › Benefices", "tables"),
                ("Deanery register › Parishes in care", "tables"), ("Deanery register › Visitations", "tables"),
                ("Restoration", "issues"), ("Visits and faults", "issues"), ("Workshop reading", "reading"),
                ("Workshop › Bench", "tasks"), ("Workshop › Rounds", "tasks"),
            ]  # fmt: skip
            shown = {m["name"]: m for m in web.get("/api/v1/mirrors").json()}
            assert {m["state"] for m in shown.values()} == {"on"} and len(shown) == 4
            restoration = shown["Workshop tasks and Restoration"]["counts"]
            assert (restoration["conflict"], restoration["held"]) == (2, 1) and restoration["in_step"] > 30
            assert shown["Reading list"]["counts"] == {"in_step": 30}
            assert [n["workflow"] for n in web.get("/api/v1/needs").json()] == ["Sort the post"]
            states = [r["state"] for r in web.get("/api/v1/runs?limit=200").json()["runs"]]
            assert {s: states.count(s) for s in set(states)} == {"done": 80, "passed_by": 49, "failed": 1, "waiting": 1}
    finally:
        child.terminate()
        child.wait(30)
    until(lambda: not of_folder(tmp_path))
