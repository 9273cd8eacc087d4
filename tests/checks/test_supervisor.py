"""Child processes are kept up, each by itself: what ends is started again with a growing pause, what is frozen is killed."""

from __future__ import annotations

import os
import signal
import sys
import time

import pytest

from kelvix import processes
from kelvix.commands import secret_files, supervisor
from kelvix.commands.mariadb import MariaDB
from kelvix.commands.supervisor import Child
from kelvix.settings import TOP

BEATS = "from kelvix import processes; import time; processes.BEAT_EVERY = 0.05; processes.keep_beating(); time.sleep(60)"


def child(tmp_path, name, code):
    env = os.environ | {"PYTHONPATH": str(TOP / "src")}
    return Child(name, [sys.executable, "-c", code], env, tmp_path / f"{name}.log")


def look(children, seconds, said=lambda _: None, until=lambda: False):
    end = time.monotonic() + seconds
    while time.monotonic() < end and not until():
        for one in children:
            one.look(time.monotonic(), said)
        time.sleep(0.01)


def test_one_that_keeps_failing_does_not_hold_up_another(tmp_path, monkeypatch):
    monkeypatch.setattr(supervisor, "FIRST_PAUSE", 0.1)
    said: list[str] = []
    failing, well = child(tmp_path, "failing", "raise SystemExit(3)"), child(tmp_path, "well", BEATS)
    failing._pause = 0.1
    for one in (failing, well):
        one.start()
    first = well.process.pid
    look((failing, well), 3, said.append)
    assert well.process.pid == first and well.process.poll() is None
    pauses = [float(s.rpartition(" in ")[2].partition(" s")[0]) for s in said]
    assert 3 <= len(said) <= 6 and all("failing process exited (3)" in s for s in said), said
    assert pauses == sorted(pauses) and failing._pause > 0.5, "each pause is twice the one before"
    os.kill(first, signal.SIGKILL)
    look((failing, well), 3, said.append, lambda: well.process.pid != first and well.process.poll() is None)
    assert well.process.pid != first
    for one in (failing, well):
        one.stop(5)


def test_one_that_is_frozen_is_killed_and_started_again(tmp_path, monkeypatch):
    monkeypatch.setattr(supervisor, "FROZEN", 0.5)
    monkeypatch.setattr(supervisor, "STARTING", 5.0)
    said: list[str] = []
    one = child(tmp_path, "frozen", BEATS)
    one._pause = 0.1
    one.start()
    first = one.process.pid
    look((one,), 3, said.append)
    assert one.process.pid == first and not said, "while it beats it is left alone"
    os.kill(first, signal.SIGSTOP)
    look((one,), 5, said.append, lambda: one.process.pid != first)
    assert "has not answered" in said[0] and one.process.pid != first
    one.stop(5)


def test_nobody_beats_where_nobody_listens(monkeypatch):
    monkeypatch.delenv(processes.BEATS, raising=False)
    processes.beat()
    monkeypatch.setenv(processes.BEATS, "9999")
    processes.beat()


def test_a_secret_is_whole_or_not_there(tmp_path, monkeypatch):
    file = tmp_path / "key"
    secret_files.write(file, "first")
    assert file.stat().st_mode & 0o777 == 0o600 and secret_files.read(file, "a key") == "first"

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError):
        secret_files.write(file, "second")
    assert file.read_text() == "first" and list(tmp_path.iterdir()) == [file]
    file.write_text("")
    with pytest.raises(SystemExit, match="is empty, and should hold a key"):
        secret_files.read(file, "a key")
    assert secret_files.read(tmp_path / "none", "a key") is None


def test_a_password_that_was_cut_short_is_made_anew_only_where_it_protects_nothing(tmp_path):
    (tmp_path / "password").write_text("")
    assert MariaDB(tmp_path).password == (tmp_path / "password").read_text() != ""
    (tmp_path / "mysql").mkdir()
    (tmp_path / "password").write_text("")
    with pytest.raises(SystemExit, match="is empty"):
        MariaDB(tmp_path)
    (tmp_path / "password").unlink()
    with pytest.raises(SystemExit, match="is missing"):
        MariaDB(tmp_path)
