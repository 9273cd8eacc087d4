"""A private MariaDB server with a data folder of its own: on loopback, unless workers on other hosts are to reach it."""

from __future__ import annotations

import os
import pathlib
import secrets
import shutil
import signal
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable

import pymysql

from kelvix import processes
from kelvix.commands import secret_files
from kelvix.settings import Server

FIRST_PAUSE, MAX_PAUSE = 0.5, 60.0  # seconds before it is started again
STARTS = 60.0  # seconds that it may take to answer
ASK_EVERY = 5.0  # seconds
FROZEN = 120.0  # seconds without an answer: a server that is merely busy gets through
OPTIONS = (
    "--no-defaults",
    "--skip-name-resolve",
    "--skip-networking=0",
    "--character-set-server=utf8mb4",
    "--collation-server=utf8mb4_unicode_ci",
    "--transaction-isolation=READ-COMMITTED",
    "--innodb-rollback-on-timeout=ON",
    "--max-allowed-packet=128M",
    "--sql-mode=STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,ERROR_FOR_DIVISION_BY_ZERO",
    "--innodb-buffer-pool-size=256M",
    "--innodb-log-file-size=128M",
    "--max-connections=400",
    "--innodb-lock-wait-timeout=10",
    "--skip-log-bin",
    "--performance-schema=OFF",
)


class MariaDB:
    """One server process. `start` initialises the folder at first; `stop` ends the process and waits."""

    def __init__(self, folder: pathlib.Path, port: int = 0, extra: tuple[str, ...] = (), host: str = "127.0.0.1"):
        self.folder, self.extra, self.host = folder, extra, host
        self.port = port or processes.free_port()
        self.password = self._password()
        self.child: subprocess.Popen[bytes] | None = None
        self._pause, self._due = FIRST_PAUSE, 0.0
        self._asked = self._answered = 0.0
        self._asking: threading.Thread | None = None

    def server(self, schema: str) -> Server:
        return Server(self.host, self.port, "kelvix", self.password, schema)

    def _password(self) -> str:
        """Kept before the database is made, so that no database is ever without. Raises SystemExit."""
        self.folder.mkdir(parents=True, exist_ok=True)
        file = self.folder / "password"
        if file.exists() and not file.read_text().strip() and not (self.folder / "mysql").exists():
            file.unlink()  # a first start that was cut short: it protects nothing yet
        kept = secret_files.read(file, "the database's password")
        if kept is None:
            if (self.folder / "mysql").exists():
                raise SystemExit(f"kelvix: {file} is missing; restore it from a backup of the data folder.")
            kept = secrets.token_hex(24)
            secret_files.write(file, kept)
        return kept

    def _initialise(self) -> None:
        data = self.folder / "mysql"
        if data.exists():
            return
        half = self.folder / "mysql.new"  # renamed when whole: a start that was cut short leaves nothing half-made
        shutil.rmtree(half, ignore_errors=True)
        user = ["--user=root"] if os.geteuid() == 0 else []
        words = ["mariadb-install-db", "--no-defaults", f"--datadir={half}", "--skip-test-db", *user]
        done = subprocess.run(
            [*words, "--auth-root-authentication-method=normal"],
            capture_output=True,
            text=True,
            env=os.environ | {"TMPDIR": str(self._temporary())},
        )
        if done.returncode:
            said = [line for line in (done.stdout + done.stderr).splitlines() if "ERROR" in line or "rror:" in line]
            raise SystemExit(f"kelvix: the database could not be created in {half}: {'; '.join(said) or 'no reason was given'}")
        half.rename(data)

    def _temporary(self) -> pathlib.Path:
        """Return a folder of its own: two servers that share one have been seen to take each other's temporary tables."""
        folder = self.folder / "tmp"
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def _first_words(self) -> pathlib.Path:
        """Run by the server at each start: our user exists, root can no longer sign in."""
        file = self.folder / "init.sql"
        from_where = "127.0.0.1" if self.host == "127.0.0.1" else "%"  # it is bound to one address, and has a password
        secret_files.write(
            file,
            "\n".join(
                (
                    f"CREATE USER IF NOT EXISTS 'kelvix'@'{from_where}' IDENTIFIED BY '{self.password}';",
                    f"GRANT ALL ON *.* TO 'kelvix'@'{from_where}';",
                    *(
                        f"ALTER USER IF EXISTS 'root'@'{host}' IDENTIFIED BY '{self.password}';"
                        for host in ("localhost", "127.0.0.1", "::1")
                    ),
                    "",
                )
            ),
        )
        return file

    def start(self) -> None:
        """Start the server and wait until it answers. Raises SystemExit with a sentence where it does not come up."""
        self._initialise()
        log = self.folder / "mariadb.log"
        child = self._spawn(log)
        until = time.monotonic() + STARTS
        while time.monotonic() < until:
            if child.poll() is not None:
                raise SystemExit(
                    f"kelvix: the database did not start. Last lines of {log}:\n"
                    + "\n".join(log.read_text(errors="replace").splitlines()[-5:])
                )
            if self._answers():
                return
            time.sleep(0.05)
        self.stop()
        raise SystemExit(f"kelvix: the database did not respond within a minute. See {log}")

    def _answers(self) -> bool:
        try:
            pymysql.connect(
                host=self.host, port=self.port, user="kelvix", password=self.password, connect_timeout=5, read_timeout=5
            ).close()
        except pymysql.err.OperationalError:
            return False
        return True

    def look(self, now: float, say: Callable[[str], None]) -> None:
        """Start the server again where it ended, with a pause that grows while it keeps failing; one that has not answered for
        minutes is killed first."""
        if self.child is None:
            return
        if self.child.poll() is None:
            if now - self._asked > ASK_EVERY and (self._asking is None or not self._asking.is_alive()):
                self._asked = now
                self._asking = threading.Thread(target=self._ask, daemon=True)
                self._asking.start()
            if now - self._answered > FROZEN and self._answered:
                say(f"the database has not answered for {FROZEN:.0f} seconds and is being restarted")
                self._answered = 0.0
                self.child.kill()
                self.child.wait()
            return
        if not self._due:
            self._due = now + self._pause
            say(f"the database exited ({self.child.returncode}) and will be restarted in {self._pause:.0f} s")
            self._pause = min(MAX_PAUSE, self._pause * 2)
        elif now >= self._due:
            self._due = self._answered = 0.0
            self._spawn(self.folder / "mariadb.log")

    def _ask(self) -> None:
        if self._answers():
            self._answered, self._pause = time.monotonic(), FIRST_PAUSE

    def _spawn(self, log: pathlib.Path) -> subprocess.Popen[bytes]:
        socket = pathlib.Path(tempfile.gettempdir()) / f"kelvix-{self.port}.sock"  # socket names must be short
        user = ["--user=root"] if os.geteuid() == 0 else []
        self.child = processes.spawn(
            [
                "mariadbd",
                *OPTIONS,
                *user,
                f"--bind-address={self.host}",
                f"--datadir={self.folder / 'mysql'}",
                f"--port={self.port}",
                f"--socket={socket}",
                f"--tmpdir={self._temporary()}",
                f"--pid-file={self.folder / 'mariadb.pid'}",
                f"--init-file={self._first_words()}",
                *self.extra,
            ],
            when_parent_dies=signal.SIGTERM,
            quiet=str(log),
        )
        return self.child

    def drop(self, schema: str) -> None:
        with pymysql.connect(host=self.host, port=self.port, user="kelvix", password=self.password) as db:
            db.cursor().execute(f"DROP DATABASE IF EXISTS `{schema}`")

    def stop(self) -> None:
        if self.child:
            processes.stop(self.child, 30)
