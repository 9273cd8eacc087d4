"""A storm: messages are carried through a workflow that writes here, sends a mail and sends a web request, while every process is
killed and started again, workers and the database are frozen, the disk is full and empties again, the clocks of all processes
are set back and forth, the apps are slow, fail, limit and fall silent, and pushes come doubled and in any order. At the end a
ledger says what each message led to. The bench uses it too."""

from __future__ import annotations

import glob
import json
import os
import random
import signal
import smtplib
import subprocess
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from unittest.mock import patch

import httpx2 as httpx

from kelvix.commands.serve import Installation
from kelvix.formats import webhook_signature
from kelvix.store import subscriptions
from support import Kelvix, Person, document, until

LEASE = 3.0  # seconds
DISK, LOW = 900 << 20, 60 << 20  # bytes of the storm's own disk, and of its low-water mark
CLOCKS = ("+1h", "-20m", "+3m", "-2h", "+0")
FROZEN = float(os.environ.get("KELVIX_STORM_FROZEN", "5"))  # seconds for which the database stands still
FAULTS = ("slow", "failing", "limited", "down", "none")


def deliver_surely(person: Person, subject: str) -> None:
    """As a mail server would: what was not accepted is sent again. What was accepted is there."""
    for _ in range(300):
        try:
            return person.deliver(subject)
        except (smtplib.SMTPException, OSError):
            time.sleep(0.2)
    raise AssertionError("never accepted")


@contextmanager
def small_disk(folder: Path) -> Iterator[Path]:
    """A disk of its own, of a fixed size, where the machine lets us mount one; else the folder."""
    folder.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={DISK}", "tmpfs", str(folder)], capture_output=True)
    try:
        yield folder
    finally:
        if mounted.returncode == 0:
            subprocess.run(["umount", "-l", str(folder)], check=True)


def other_clocks(clock: Path) -> dict[str, str]:
    """What gives processes that are started now a clock that a file sets forward or back (Debian's faketime): what they measure
    durations by is left alone, as on a machine whose clock is set."""
    found = sorted(glob.glob("/usr/lib/*/faketime/libfaketimeMT.so.1"))
    if not found:
        return {}
    clock.write_text("+0")
    return {"LD_PRELOAD": found[0], "FAKETIME_TIMESTAMP_FILE": str(clock), "FAKETIME_CACHE_DURATION": "1",
            "FAKETIME_DONT_FAKE_MONOTONIC": "1"}  # fmt: skip


@contextmanager
def stormy_kelvix(folder: Path, workers: int) -> Iterator[Kelvix]:
    """A Kelvix with short leases and several workers, on a small disk, by a clock of its own."""
    clock = folder.parent / "clock"
    set_for_it = other_clocks(clock) | {"KELVIX_LEASE": str(LEASE), "KELVIX_LOW_WATER": str(LOW)}
    with small_disk(folder) as disk:
        os.environ |= set_for_it
        try:
            imports = f"{Installation.imports}:{Path(__file__).parent / 'clocks'}" if clock.exists() else Installation.imports
            with patch.object(Installation, "imports", imports):
                running = Kelvix(disk / "data")
            running.installation.imports = imports
            try:
                running.installation.start(*(f"worker-{n}" for n in range(1, workers)))
                yield running
            finally:
                running.stop()
        finally:
            for name in set_for_it:
                del os.environ[name]


@dataclass
class Ledger:
    """What the messages led to: how many effects of each kind each has, by its subject."""

    messages: int
    records: Counter[str]
    mails: Counter[str]
    requests: Counter[str]
    states: Counter[str]
    struck: Counter[str] = field(default_factory=Counter)

    def wrong(self) -> dict[str, list[str]]:
        """What is lost, and what is there twice."""
        found: dict[str, list[str]] = {}
        for name, kind in (("records", self.records), ("mails", self.mails), ("requests", self.requests)):
            lost = self.messages - len(kind)
            twice = [subject for subject, n in kind.items() if n > 1]
            if lost:
                found[f"lost {name}"] = [str(lost)]
            if twice:
                found[f"doubled {name}"] = twice
        return found


class Storm:
    def __init__(self, running: Kelvix, seed: int):
        self.running, self.dice = running, random.Random(seed)
        self.orla = running.person("Orla")
        self.struck: Counter[str] = Counter()
        self._set_up()

    def _set_up(self) -> None:
        orla = self.orla
        connection = orla.connect("Enquiries", send=True)
        self.table = orla.database("Letters", {"name": "Name", "type": "text"})
        self.name = str(self.table["fields"][0]["id"])
        path = f"storm/{orla.owner.id}"
        self.path = path
        when, add = document(connection, orla.folders["Enquiries"], self.table, {"Name": "subject"})["lines"]
        subject = [{"ref": {"line": "w", "value": "subject"}}]
        mail = {"verb": "send_mail", "id": "m", "connection": connection, "to": [{"text": "ada@stbride.example"}],
                "subject": subject, "paragraphs": [[{"text": "Received."}]]}  # fmt: skip
        address = f"{self.running.settings.practice_address}/receiver/api/{path}"
        tell = {"verb": "web_request", "id": "r", "address": [{"text": address}], "recognises": True,
                "body": [{"key": "subject", "filling": subject}]}  # fmt: skip
        self.workflow = orla.workflow("Through the storm", {"lines": [when, add, mail, tell]})
        orla.api("POST", f"/workflows/{self.workflow}/on")

    # What strikes

    def _workers(self) -> list[str]:
        return [n for n in self.running.installation._children if n.startswith("worker")]

    def _kill(self, name: str) -> None:
        child = self.running.installation.child(name)
        child.kill()
        child.wait()
        self.running.installation.start(name)

    def kill_a_worker(self) -> None:
        self._kill(self.dice.choice(self._workers()))

    def kill_the_web_application(self) -> None:
        self._kill("web")

    def kill_the_practice_apps(self) -> None:
        self._kill("practice")

    def freeze_a_worker(self) -> None:
        child = self.running.installation.child(self.dice.choice(self._workers()))
        child.send_signal(signal.SIGSTOP)
        time.sleep(self.dice.choice((0.5, LEASE + 1)))
        child.send_signal(signal.SIGCONT)

    def restart_the_database(self) -> None:
        mariadb = self.running.installation.mariadb
        assert mariadb.child
        mariadb.child.kill()
        mariadb.child.wait()
        time.sleep(0.3)
        mariadb.start()

    def freeze_the_database(self) -> None:
        child = self.running.installation.mariadb.child
        assert child
        child.send_signal(signal.SIGSTOP)
        time.sleep(FROZEN)
        child.send_signal(signal.SIGCONT)

    def fill_the_disk(self) -> None:
        data = self.running.installation.data
        if not os.path.ismount(data.parent):
            return
        free = os.statvfs(data)
        with (data.parent / "filler").open("wb") as file:
            os.posix_fallocate(file.fileno(), 0, max(1, free.f_bavail * free.f_frsize - LOW // 2))
        time.sleep(4)
        (data.parent / "filler").unlink()

    def set_the_clocks(self) -> None:
        if clock := os.environ.get("FAKETIME_TIMESTAMP_FILE"):
            Path(clock).write_text(self.dice.choice(CLOCKS))
            time.sleep(2)  # until all have looked

    def turn_a_switch(self) -> None:
        with_patience(lambda: self.orla.faults(self.dice.choice(FAULTS), self.dice.choice(("once", "twice", "never"))))
        with_patience(lambda: self.orla.faults(self.dice.choice(FAULTS), app="receiver"))

    def push_again_in_any_order(self) -> None:
        """Pushes of messages that were pushed before, as an app might send them that was not sure."""
        space = self.orla.space
        of = space.read(lambda t: subscriptions.of_workflow(t, space.id, self.workflow))
        vault = self.running.engine.vault
        secret = space.read(lambda t: subscriptions.push_secret(t, vault, space.id, of.id)) if of else None
        if not of or not secret:
            return
        folder = self.orla.folders["Enquiries"]
        items = [m["id"] for m in self.running.practice.items(folder, 40)]
        self.dice.shuffle(items)
        for item in items[:10]:
            body = json.dumps({"app": "mail", "container": str(folder), "item": str(item), "kind": "new"}).encode()
            stamp = int(time.time())
            headers = {"webhook-id": f"again-{item}", "webhook-timestamp": str(stamp),
                       "webhook-signature": webhook_signature.sign(secret, f"again-{item}", stamp, body)}  # fmt: skip
            with_patience(lambda b=body, h=headers: httpx.post(
                f"{self.running.address}/hooks/{space.id}/{of.id}", content=b, headers=h, timeout=30, trust_env=False
            ))  # fmt: skip

    def _rage(self, pause: float, goes_on: Callable[[], bool]) -> None:
        """In the main thread: processes that are started end with the thread that started them."""
        strikes: list[tuple[Callable[[], None], int]] = [
            (self.kill_a_worker, 5),
            (self.freeze_a_worker, 3),
            (self.turn_a_switch, 4),
            (self.push_again_in_any_order, 3),
            (self.restart_the_database, 1),
            (self.kill_the_web_application, 2),
            (self.kill_the_practice_apps, 2),
            (self.freeze_the_database, 1),
            (self.fill_the_disk, 1),
            (self.set_the_clocks, 3),
        ]
        first = [strike for strike, _ in strikes]  # each at least once
        while first or goes_on():
            strike = first.pop() if first else self.dice.choices([s for s, _ in strikes], [w for _, w in strikes])[0]
            strike()
            self.struck[strike.__name__] += 1
            time.sleep(self.dice.uniform(0.3, pause))

    # What is carried through

    def blow(self, messages: int, pause: float = 1.5, calm: float = 120) -> Ledger:
        """Deliver messages while it rages; when all are in, let it calm down, and take stock when all were carried or `calm`
        seconds are over."""
        senders = [threading.Thread(target=self._deliver, args=(n, messages), daemon=True) for n in range(4)]
        for one in senders:
            one.start()
        self._rage(pause, lambda: any(one.is_alive() for one in senders))
        for one in senders:
            one.join()
        if clock := os.environ.get("FAKETIME_TIMESTAMP_FILE"):
            Path(clock).write_text("+0")
        with_patience(lambda: self.orla.faults())
        with_patience(lambda: self.orla.faults(app="receiver"))
        with_patience(lambda: self.orla.api("POST", f"/workflows/{self.workflow}/check-now"))
        number = len(self._in_mail())
        end = time.monotonic() + calm
        while time.monotonic() < end and self._done() < number:
            time.sleep(0.5)
        time.sleep(LEASE + 1)  # a frozen worker that wakes late has had its chance to write twice
        return self._take_stock()

    def _deliver(self, first: int, messages: int) -> None:
        for n in range(first, messages, 4):
            deliver_surely(self.orla, f"letter {n:05}")

    def _in_mail(self) -> list[str]:
        """The messages that lie in Mail. One whose acceptance was lost on the way was sent again: that is two messages."""
        rows = self.running.practice.server.read(lambda t: t.rows(
            "SELECT id FROM item WHERE container_id=%s", (self.orla.folders["Enquiries"],)))  # fmt: skip
        return [str(r["id"]) for r in rows]

    def _done(self) -> int:
        """One that failed while an app was away is not done: it is taken up again once its connection is well."""
        row = self.orla.space.row("SELECT COUNT(*) AS n FROM run WHERE workflow_id=%s AND state='done'", (self.workflow,))
        return int(row["n"]) if row else 0

    def _take_stock(self) -> Ledger:
        """Effects are told apart by the run that made them: each message has one run, and each run one effect of a kind."""
        space = self.orla.space
        runs = space.rows("SELECT id, state FROM run WHERE workflow_id=%s", (self.workflow,))
        added = space.rows("SELECT run_id FROM `change` WHERE workspace_id=%s AND kind='add'", (space.id,))
        sent = self._sent()
        came = self.running.practice.server.read(lambda t: t.rows("SELECT headers FROM received WHERE path=%s", (self.path,)))
        return Ledger(
            messages=len(self._in_mail()),
            records=Counter(str(r["run_id"]) for r in added),
            mails=Counter(sent),
            requests=Counter(json.loads(r["headers"])["kelvix-source"] for r in came),
            states=Counter(r["state"] for r in runs),
            struck=self.struck,
        )

    def _sent(self) -> list[str]:
        """Mails that went out, by subject and a number: a letter that lies in Mail twice is answered twice."""
        server, account = self.running.practice.server, self.orla.account
        rows = server.read(lambda t: t.rows(
            "SELECT i.body FROM item i JOIN container c ON c.id = i.container_id WHERE c.account_id=%s AND c.name='Sent' ORDER BY i.id",
            (account,)))  # fmt: skip
        inbox = server.read(lambda t: t.rows("SELECT body FROM item WHERE container_id=%s", (self.orla.folders["Enquiries"],)))
        expected = Counter(json.loads(r["body"])["subject"] for r in inbox)
        found: list[str] = []
        seen: Counter[str] = Counter()
        for row in rows:
            subject = json.loads(row["body"])["subject"]
            seen[subject] += 1
            found.append(f"{subject} #{min(seen[subject], expected[subject])}")
        return found


def with_patience(work: Callable[[], Any]) -> Any:
    """What a person would do while the database is away: try again."""

    def attempt() -> tuple[Any] | None:
        try:
            return (work(),)
        except (AssertionError, httpx.HTTPError, OSError):
            time.sleep(0.3)
            return None

    return until(attempt, 60)[0]
