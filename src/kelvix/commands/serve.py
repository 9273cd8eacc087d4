"""`demo` and `start`: bring up the database, the practice apps, the web application and a worker, and keep them up."""

from __future__ import annotations

import argparse
import fcntl
import os
import pathlib
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType

import urllib3

from kelvix import processes
from kelvix import settings as settings_module
from kelvix.commands import secret_files
from kelvix.commands.mariadb import MariaDB
from kelvix.commands.supervisor import Child
from kelvix.settings import TOP, Server, Settings
from kelvix.store import ddl, people
from kelvix.store.database_server import DatabaseServer
from kelvix.store.migrate import migrate
from kelvix.store.secrets import new_key, sealed_with_another

PATIENCE = 120.0  # seconds in which a process begins to answer, on a machine that is busy with much else
STOPPING = {"worker": 30.0}  # seconds for which a process may finish what it began
CHILDREN = {"practice": ["practice"], "web": ["web"], "worker": ["worker"]}


def _port(wanted: int, what: str) -> int:
    try:
        return processes.free_port(wanted)
    except OSError:
        raise SystemExit(
            f"kelvix: port {wanted} for {what} is in use. Choose another with --port, or stop the program that uses it."
        ) from None


class Installation:
    """A data folder with its lock, its database and its settings file."""

    def __init__(
        self,
        data: pathlib.Path,
        host: str = "127.0.0.1",
        port: int = 0,
        mariadb_port: int = 0,
        database_host: str = "127.0.0.1",
        reachable: tuple[str, ...] = (),
    ):
        data.mkdir(parents=True, exist_ok=True)
        self.data = data
        self._lock = open(data / "lock", "w")  # noqa: SIM115  (held for as long as this process lives)
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise SystemExit(
                f"kelvix: already running with the data folder {data}. Stop it first, or choose another folder with --data."
            ) from None
        self.mariadb = MariaDB(data / "mariadb", mariadb_port, host=database_host)
        self.host, self.port, self.reachable = host, port, reachable
        self.settings_file = data / "settings.json"
        self._children: dict[str, Child] = {}
        self._stopping = False

    def prepare(self) -> Settings:
        """Start the database and write the settings; a second start keeps the key."""
        key_file = self.data / "key"
        kept_key = secret_files.read(key_file, "the key that encrypts secrets")
        key = kept_key or new_key()
        ports = [
            _port(self.port, "Kelvix"),
            _port(self.port + 1 if self.port else 0, "the practice apps"),
            _port(self.port + 25 if self.port else 0, "practice Mail's SMTP"),
            _port(self.port + 40 if self.port else 0, "metrics"),
            _port(self.port + 26 if self.port else 0, "email to capture addresses"),
        ]
        self.mariadb.start()
        home = self.mariadb.server("kelvix")
        self.settings = Settings(
            str(self.data),
            {"home": home},
            key,
            self.mariadb.server("kelvix_practice"),
            self.host,
            port=ports[0],
            practice_port=ports[1],
            smtp_port=ports[2],
            metrics_port=ports[3],
            capture_smtp_port=ports[4],
            reachable=self.reachable,
        )
        migrate(home)
        if sealed_with_another(DatabaseServer(home), key):
            self.mariadb.stop()
            raise SystemExit(
                f"kelvix: {key_file} is not the key with which this installation’s secrets were encrypted. Restore the key "
                "from a backup of the data folder; without it, no connection can be used."
            )
        if kept_key is None:
            secret_files.write(key_file, key)
        secret_files.write(self.settings_file, self.settings.json())
        ddl.reconcile(DatabaseServer(home))
        return self.settings

    def empty(self) -> None:
        """Both schemas as at the first start."""
        for server in (self.settings.servers["home"], self.settings.practice):
            self.mariadb.drop(server.schema)
        migrate(self.settings.servers["home"])

    imports = str(TOP / "src")  # where the children find what they import

    def start(self, *names: str) -> None:
        """Start child processes and wait until those that answer HTTP do."""
        env = os.environ | {settings_module.VARIABLE: str(self.settings_file), "PYTHONPATH": self.imports}
        for name in names:
            words = [sys.executable, "-W", "ignore::DeprecationWarning", "-m", "kelvix", *CHILDREN[name.partition("-")[0]]]
            self._children[name] = Child(name, words, env, self.data / f"{name}.log")
            self._children[name].start()
        for name, address in (("practice", self.settings.practice_address), ("web", self.settings.address)):
            if name in names:
                self._wait_for(name, f"{address}/healthz")

    def _wait_for(self, name: str, address: str) -> None:
        until = time.monotonic() + PATIENCE
        while time.monotonic() < until:
            if self.child(name).poll() is not None:
                break
            try:
                if urllib3.request("GET", address, timeout=2, retries=False).status == 200:
                    return
            except urllib3.exceptions.HTTPError:
                time.sleep(0.05)
        last = (self.data / f"{name}.log").read_text(errors="replace").splitlines()[-8:]
        raise SystemExit(f"kelvix: the {name} process did not start:\n" + "\n".join(last))

    def child(self, name: str) -> subprocess.Popen[bytes]:
        process = self._children[name].process
        assert process
        return process

    def stop_child(self, name: str) -> None:
        self._children.pop(name).stop(STOPPING.get(name.partition("-")[0], 10))

    def look(self) -> None:
        """Start again what ended by itself, the database too."""
        now = time.monotonic()
        self.mariadb.look(now, say)
        for child in self._children.values():
            child.look(now, say)

    def keep_up(self) -> None:
        """Look after all processes until a signal comes."""

        def stop(_: int, __: FrameType | None) -> None:
            self._stopping = True

        signal.signal(signal.SIGTERM, stop)
        signal.signal(signal.SIGINT, stop)
        while not self._stopping:
            time.sleep(0.2)
            self.look()

    def stop(self) -> None:
        for name in list(self._children):
            self.stop_child(name)
        self.mariadb.stop()


def say(sentence: str) -> None:
    print(f"kelvix: {sentence}", flush=True)


def sign_in_address(settings: Settings, server: Server) -> str:
    home = DatabaseServer(server)
    owner = people.first_owner(home)
    assert owner
    return f"{settings.address}/sign-in/{people.new_sign_in_link(home, owner.id)}"


def practice_account(settings: Settings) -> None:
    """Make an account in the practice apps to begin with, so that a first workflow can be tried."""
    from kelvix.practice.apps import kinds
    from kelvix.practice.store import Store

    practice = Store(DatabaseServer(settings.practice))
    account = practice.account("owner@practice.example", "Owner")
    for kind in kinds():
        for name in kind.begins_with:
            practice.container(kind.code, account, name, f"{name.lower()}@practice.example" if kind.addressed else None)


@contextmanager
def demo_for_a_while(port: int = 0) -> Iterator[Settings]:
    """Everything running with the demo's data, in a folder that is gone afterwards: for pictures and measurements."""
    from kelvix.demo.load import load

    with tempfile.TemporaryDirectory() as folder:
        installation = Installation(pathlib.Path(folder), port=port)
        try:
            settings = installation.prepare()
            installation.start("practice")
            load(settings)
            installation.start("web", "worker")
            yield settings
        finally:
            installation.stop()


def main(words: list[str], demo: bool) -> None:
    parser = argparse.ArgumentParser(prog=f"kelvix {'demo' if demo else 'start'}")
    parser.add_argument("--data", type=pathlib.Path, default=TOP / "data" / ("demo" if demo else "main"))
    parser.add_argument("--port", type=int, default=8600)
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument(
        "--database-host",
        default="127.0.0.1",
        help="this host’s address for workers on other hosts; use a private network only",
    )
    parser.add_argument(
        "--reach",
        metavar="HOST:PORT",
        action="append",
        default=[],
        help="a host on a private network that web requests may reach; can be given several times",
    )
    parser.add_argument("--no-practice", action="store_true", help="do not start the practice apps")
    given = parser.parse_args(words)
    if demo and given.no_practice:
        parser.error("the demo needs the practice apps")
    installation = Installation(
        given.data.resolve(), given.host, given.port, database_host=given.database_host, reachable=tuple(given.reach)
    )
    try:
        settings = installation.prepare()
        home = settings.servers["home"]
        loaded = installation.data / "loaded"
        if demo and not loaded.exists():
            installation.empty()  # an earlier loading may have been cut short
        if not given.no_practice:
            installation.start("practice")
        if people.first_owner(DatabaseServer(home)) is None:
            if demo:
                from kelvix.demo.load import load

                print("kelvix: loading the demo workspace", flush=True)
                load(settings)
                loaded.touch()
            else:
                people.create_workspace(DatabaseServer(home), "My workspace", "Owner", "Europe/London")
                if not given.no_practice:
                    practice_account(settings)
        installation.start("web", "worker")
        beside = "" if given.no_practice else f", the practice apps at {settings.practice_address}"
        print(
            f"\nKelvix runs at {settings.address}{beside}.\n"
            f"Sign in, once, at\n\n    {sign_in_address(settings, home)}\n\nCtrl-C stops everything.",
            flush=True,
        )
        installation.keep_up()
    except OSError as error:  # no room on the disk, a folder that may not be written
        raise SystemExit(f"kelvix: {error.strerror or error}: {error.filename or given.data}") from None
    finally:
        installation.stop()
