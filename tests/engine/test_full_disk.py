"""A disk that is full, and empties again: before the database would have to give up, nothing new is taken in; then all goes on."""

from __future__ import annotations

import errno
import os
import smtplib
import subprocess
import time

import httpx2 as httpx
import pytest

from storming import deliver_surely
from support import Kelvix, turn_on, until

pytestmark = pytest.mark.alone

SIZE, LOW = 700 << 20, 60 << 20  # bytes of the disk, and of its low-water mark


@pytest.fixture
def small(tmp_path):
    """A Kelvix whose data lie on a disk of its own, of a fixed size."""
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SIZE}", "tmpfs", str(disk)], capture_output=True)
    if mounted.returncode:
        pytest.skip("only root may mount a disk")
    os.environ["KELVIX_LOW_WATER"] = str(LOW)
    try:
        running = Kelvix(disk / "data")
        try:
            yield running, disk
        finally:
            running.stop()
    finally:
        del os.environ["KELVIX_LOW_WATER"]
        subprocess.run(["umount", "-l", str(disk)], check=True)


def fill(disk, leave: int):
    """Take the room that there is, but for some bytes: what is written meanwhile may need it first."""
    with (disk / "filler").open("wb") as file:
        while True:
            free = os.statvfs(disk)
            try:
                os.posix_fallocate(file.fileno(), 0, free.f_bavail * free.f_frsize - leave)
                return
            except OSError as error:
                if error.errno != errno.ENOSPC:
                    raise


def test_what_cannot_be_kept_is_sent_away_and_goes_on_by_itself(small):
    running, disk = small
    orla = running.person("Orla")
    on = turn_on(orla)
    orla.deliver("before")
    until(lambda: on.titles() == ["before"])
    captures = orla.api("POST", "/capture/addresses", json={"name": "Desk", "database": on.database["id"]})[0]["address"]
    fill(disk, LOW // 2)

    def refuses():
        answer = httpx.post(captures, content="asked", headers={"content-type": "text/plain"}, trust_env=False)
        return answer.status_code == 503 and answer

    answer = until(refuses)
    assert answer.headers["retry-after"] == "30" and "almost full" in answer.json()["title"]
    saved = orla.web.post(f"/api/v1/databases/{on.database['id']}/records", json={"values": {on.name_field: "x"}})
    assert saved.status_code == 503 and "continues automatically" in saved.json()["detail"]
    with pytest.raises(smtplib.SMTPRecipientsRefused, match="452"):
        until(lambda: orla.deliver("while full"))
    assert orla.web.get("/healthz").status_code == 200 and "before" in on.titles(), "what is there can be read"
    (disk / "filler").unlink()
    until(
        lambda: (
            httpx.post(captures, content="a line", headers={"content-type": "text/plain"}, trust_env=False).status_code == 201
        )
    )
    deliver_surely(orla, "after")
    until(lambda: sorted(set(on.titles()) - {"asked", "while full"}) == ["a line", "after", "before"])


def test_a_disk_that_is_full_to_the_last_byte_loses_and_doubles_nothing(small):
    running, disk = small
    orla = running.person("Orla")
    on = turn_on(orla)
    sent = [f"message {n}" for n in range(30)]
    for subject in sent[:10]:
        deliver_surely(orla, subject)
    fill(disk, 0)
    ends = time.monotonic() + 3
    while time.monotonic() < ends:  # what would keep all of it up does
        running.installation.look()
        time.sleep(0.1)
    (disk / "filler").unlink()
    for subject in sent[10:]:
        deliver_surely(orla, subject)

    def whole():
        running.installation.look()
        try:
            return len(on.titles()) >= len(sent)
        except (AssertionError, httpx.HTTPError):
            return False

    until(whole, 60, 0.2)
    assert sorted(on.titles()) == sorted(sent)
