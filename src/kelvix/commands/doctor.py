"""`doctor` looks at an installation from outside: whether all of it is there and well, and what to do where it is not."""

from __future__ import annotations

import base64
import pathlib
import shutil
import smtplib
import stat
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

import urllib3

from kelvix.commands.joining import parser, settings_at
from kelvix.settings import TOP, Server, Settings
from kelvix.store import checkup, listeners, migrate, ready
from kelvix.store.database_server import DatabaseServer
from kelvix.store.secrets import Vault

ROOM = 1 << 30  # bytes
APART = 2.0  # seconds between this host's clock and the database's
WAITS = 60.0  # seconds for which work may be due
WANTED = {
    "transaction_isolation": "READ-COMMITTED",
    "innodb_rollback_on_timeout": "1",
    "character_set_server": "utf8mb4",
}


@dataclass(frozen=True)
class Finding:
    """What was looked at; where it is not well, `advice` says what to do."""

    name: str
    said: str
    advice: str = ""

    @property
    def well(self) -> bool:
        return not self.advice


def examine(settings: Settings) -> Iterator[Finding]:
    """One finding for each thing that is looked at; what cannot be looked at because of another is left out."""
    yield from _files(settings)
    reached = []
    for name, server in settings.servers.items():
        found = _database(name, server)
        yield found
        if found.well:
            reached.append(name)
    for name in reached:
        opened = DatabaseServer(settings.servers[name])
        for look in (_settings_of_server, _clock, _schema, _fields, _work):
            yield look(opened)
    if "home" in reached:
        home = DatabaseServer(settings.servers["home"])
        yield _secrets(settings, home)
        yield from _processes(home)
    yield _web(settings)
    yield _mail(settings)


def _files(settings: Settings) -> Iterator[Finding]:
    data = pathlib.Path(settings.data)
    for name in ("settings.json", "key"):
        file = data / name
        if not file.exists():
            yield Finding(name, "is missing", f"check --data: {data} is not a data folder of Kelvix")
            continue
        mode = stat.S_IMODE(file.stat().st_mode)
        open_to_others = f"others on this host can read it. Run chmod 600 {file}" if mode & 0o077 else ""
        yield Finding(name, f"mode {mode:o}", open_to_others)
    free = shutil.disk_usage(data if data.exists() else "/").free
    little = f"free some space for {data}, or the database will stop" if free < ROOM else ""
    yield Finding("free disk space", f"{free / 2**30:.1f} GB free", little)
    built = (TOP / "web/dist/index.html").exists()
    yield Finding("front end", "built" if built else "is not built", "" if built else "run ./kelvix start once to build it")


def _database(name: str, server: Server) -> Finding:
    try:
        version, has_schema = checkup.version(server)
    except checkup.Unreachable as failure:
        code = failure.code
        advice = "start Kelvix, which starts its database" if code in (2002, 2003) else "check its user and password"
        return Finding(f"database {name}", f"no response from {server.host}:{server.port} ({code})", advice)
    if not has_schema:
        return Finding(f"database {name}", f"has no schema {server.schema}", "start Kelvix once to create it")
    old = tuple(int(n) for n in version.split("-")[0].split(".")[:2]) < (10, 6)
    return Finding(f"database {name}", version, "use MariaDB 10.6 or newer (Kelvix needs SKIP LOCKED)" if old else "")


def _settings_of_server(server: DatabaseServer) -> Finding:
    found = checkup.variables(server)
    found["innodb_rollback_on_timeout"] = "1" if found.get("innodb_rollback_on_timeout") in ("ON", "1") else "0"
    found["transaction_isolation"] = found.get("transaction_isolation", found.get("tx_isolation", ""))
    wrong = [f"{k}={v}" for k, v in WANTED.items() if found.get(k) != v]
    if "STRICT_ALL_TABLES" not in found.get("sql_mode", "") and "STRICT_TRANS_TABLES" not in found.get("sql_mode", ""):
        wrong.append("sql_mode=STRICT_ALL_TABLES")
    return Finding("database settings", "correct" if not wrong else "differ", f"set {', '.join(wrong)}" if wrong else "")


def _clock(server: DatabaseServer) -> Finding:
    now = checkup.now(server)
    apart = abs((datetime.now(UTC) - now.replace(tzinfo=UTC)).total_seconds()) if now else 0.0
    advice = "set the clocks of all hosts by NTP; otherwise times are shown wrong" if apart > APART else ""
    return Finding("clocks", f"{apart:.1f} s apart", advice)


def _schema(server: DatabaseServer) -> Finding:
    done = checkup.steps_done(server)
    there = {f.name for f in migrate.FOLDER.glob("*.sql")}
    if there - done:
        return Finding("schema", f"{len(there - done)} steps behind", "restart Kelvix to update the schema")
    ahead = "this Kelvix is older than its database. Use the newer version" if done - there else ""
    return Finding("schema", f"{len(done)} steps" if not ahead else f"{len(done - there)} steps ahead", ahead)


def _fields(server: DatabaseServer) -> Finding:
    number = checkup.unsettled_fields(server)
    advice = "restart Kelvix to finish them" if number else ""
    return Finding("fields", "all ready" if not number else f"{number} incomplete", advice)


def _work(server: DatabaseServer) -> Finding:
    number, age = server.read(ready.waiting)
    stuck = number and age > WAITS
    advice = "no worker is processing it. Check that one is running (./kelvix worker), and its log" if stuck else ""
    return Finding("work", f"{number} due, the oldest for {age:.0f} s", advice)


def _secrets(settings: Settings, home: DatabaseServer) -> Finding:
    """Whether the key is the one that the secrets were sealed with."""
    try:
        vault = Vault(settings.key)
        base64.b64decode(settings.key, validate=True)
    except ValueError:
        return Finding("key", "none", "restore the key file from a backup; without it no secret can be decrypted")
    row = checkup.newest_secret(home)
    if row is None:
        return Finding("key", "no secrets yet")
    try:
        vault.open(row["secret"], row["workspace_id"], f"connection/{row['id']}")
    except ValueError:
        return Finding(
            "key", "doesn’t match the saved secrets", "restore the key file from a backup, or reconnect every connection"
        )
    return Finding("key", "matches the saved secrets")


def _processes(home: DatabaseServer) -> Iterator[Finding]:
    seen = {wants: len(several) for wants, several in home.read(listeners.by_want).items()}
    for wants, name, advice in (
        ("work", "workers", "run ./kelvix start, or ./kelvix worker to add one"),
        ("news", "web applications", "start Kelvix"),
    ):
        number = seen.get(wants, 0)
        yield Finding(name, f"{number} seen in the last {listeners.SECONDS} s", "" if number else advice)


def _web(settings: Settings) -> Finding:
    began = time.monotonic()
    try:
        answer = urllib3.request("GET", f"{settings.address}/healthz", timeout=5, retries=False)
    except urllib3.exceptions.HTTPError as error:
        return Finding("web application", f"no response from {settings.address} ({type(error).__name__})", "start Kelvix")
    took = time.monotonic() - began
    well = answer.status == 200
    return Finding("web application", f"{answer.status} in {took * 1000:.0f} ms", "" if well else "check its log")


def _mail(settings: Settings) -> Finding:
    where = f"{settings.smtp_host}:{settings.smtp_port}"
    try:
        with smtplib.SMTP(settings.smtp_host, settings.smtp_port, timeout=5) as smtp:
            smtp.noop()
    except (OSError, smtplib.SMTPException) as error:
        advice = "owners get no email until it responds. Runs are not affected"
        return Finding("email to owners", f"{where} doesn’t accept email ({type(error).__name__})", advice)
    return Finding("email to owners", f"{where} accepts email")


def report(findings: Iterator[Finding], say: Callable[[str], None]) -> bool:
    """Say each finding in a line; whether all is well."""
    well = True
    for one in findings:
        say(f"{'✓' if one.well else '!'} {one.name}: {one.said}" + (f"\n    → {one.advice}" if one.advice else ""))
        well = well and one.well
    say("No problems found." if well else "Fix the items marked !, then run doctor again.")
    return well


def main(words: list[str]) -> None:
    settings = settings_at(parser().parse_args(words).data)
    raise SystemExit(0 if report(examine(settings), print) else 1)
