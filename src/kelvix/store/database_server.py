"""Connections to one MariaDB server, and transactions on it that are retried when the server asks for it."""

from __future__ import annotations

import contextlib
import random
import threading
import time
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from typing import Any, TypeVar

import pymysql
from pymysql.constants import CLIENT, FIELD_TYPE
from pymysql.converters import conversions, convert_datetime, escape_string

from kelvix.settings import Server

T = TypeVar("T")
Row = dict[str, Any]

DEADLOCK = {1205, 1213}
GONE = {2002, 2003, 2006, 2013, 2055, 1053, 1927, 1152}  # not there, went away, lost, shutting down, killed
IDLE = 5  # seconds: a process that is frozen inside a transaction loses it, so that its locks hold up nobody
LOOPBACK = ("127.0.0.1", "localhost", "::1")  # where nobody listens in: to set up TLS takes 40 ms for each thread
READS = 60  # seconds for which an answer is waited for: a server that is frozen is not waited for without end
PATIENCE = 60.0  # seconds for which a transaction waits for a server that is restarting


def _utc(raw: str) -> datetime | None:
    value = convert_datetime(raw)
    return value.replace(tzinfo=UTC) if isinstance(value, datetime) else None


def _sql_time(value: datetime, _mapping: object = None) -> str:
    if value.tzinfo:
        value = value.astimezone(UTC)
    return "'" + escape_string(value.strftime("%Y-%m-%d %H:%M:%S.%f")[:-3]) + "'"


CONVERSIONS: dict[Any, Any] = {**conversions, FIELD_TYPE.DATETIME: _utc, FIELD_TYPE.TIMESTAMP: _utc, datetime: _sql_time}


DatabaseError = pymysql.err.Error  # whatever goes wrong between us and a server
IntegrityError = pymysql.err.IntegrityError  # a row that is there already


class Transaction:
    """One open transaction, or a connection in autocommit. Values are always bound, never pasted into SQL.

    Statements whose answers nobody needs are put off (`later`) and sent with the next one in the same journey to the server, at
    the latest with the commit: journeys are what most transactions spend their time on.
    """

    def __init__(self, connection: pymysql.Connection[Any], *first: str):
        self._connection = connection
        self._binds = connection.cursor()
        self._put_off = list(first)
        self._told: dict[int, Callable[[int], object]] = {}  # by place among what is put off: who is told an INSERT's id
        self._gathered: dict[Callable[[list[str]], list[str]], list[str]] = {}
        self.held: set[tuple[int, int] | bytes] = (
            set()
        )  # what it has locked: runs with their tokens, and digests of what is sought

    @property
    def has_put_off(self) -> bool:
        return bool(self._put_off or self._gathered)

    def later(self, sql: str, args: Sequence[Any] = ()) -> None:
        """Run a statement before the next one that is run, or before the commit."""
        self._put_off.append(self._binds.mogrify(sql, args or None))

    def insert_later(self, sql: str, args: Sequence[Any], then: Callable[[int], object]) -> None:
        """Run an INSERT before the next statement that is run; `then` is told its id."""
        self._told[len(self._put_off)] = then
        self.later(sql, args)

    def gather(self, write: Callable[[list[str]], list[str]], row: str, args: Sequence[Any]) -> None:
        """Gather rows that are written together right before the commit, by the statements that `write` makes of them: what
        these lock is then locked for the shortest time."""
        self._gathered.setdefault(write, []).append(self._binds.mogrify(row, args))

    def finish(self, last: str) -> None:
        """Run what was put off, what was gathered, and a last statement."""
        if self._told:
            self.execute("DO 0")
        for write, rows in self._gathered.items():
            self._put_off += write(rows)
        self._gathered = {}
        with self._connection.cursor() as cursor:
            self._run(cursor, last, ())

    def _run(self, cursor: pymysql.cursors.Cursor, sql: str, args: Sequence[Any]) -> int:
        if not self._put_off:
            return int(cursor.execute(sql, args or None))
        together, self._put_off = ";".join((*self._put_off, cursor.mogrify(sql, args or None))), []
        told, self._told = self._told, {}
        cursor.execute(together)
        ids = [cursor.lastrowid]
        while cursor.nextset():  # the first that fails raises, and none after it is run
            ids.append(cursor.lastrowid)
        number = int(cursor.rowcount)
        for place, then in told.items():
            then(int(ids[place] or 0))
        return number

    def set_clock(self, when: datetime | None) -> None:
        """Set this connection's clock, for what tells of another time than now; None sets it free again."""
        self.execute(f"SET timestamp={'DEFAULT' if when is None else f'{when.timestamp():.3f}'}")

    def execute(self, sql: str, args: Sequence[Any] = ()) -> int:
        """Run a statement; the number of rows it changed."""
        with self._connection.cursor() as cursor:
            return self._run(cursor, sql, args)

    def insert(self, sql: str, args: Sequence[Any] = ()) -> int:
        """Run an INSERT; the id that it was given."""
        with self._connection.cursor() as cursor:
            self._run(cursor, sql, args)
            return int(cursor.lastrowid or 0)

    def many(self, sql: str, rows: Sequence[Sequence[Any]]) -> None:
        """Run an INSERT for all rows, in as few journeys as their size allows."""
        with self._connection.cursor() as cursor:
            if self._put_off:
                self._run(cursor, "DO 0", ())
            cursor.executemany(sql, rows)

    def rows(self, sql: str, args: Sequence[Any] = ()) -> list[Row]:
        with self._connection.cursor() as cursor:
            self._run(cursor, sql, args)
            return list(cursor.fetchall())

    def row(self, sql: str, args: Sequence[Any] = ()) -> Row | None:
        with self._connection.cursor() as cursor:
            self._run(cursor, sql, args)
            found: Row | None = cursor.fetchone()
            return found


class DatabaseServer:
    """A MariaDB server as this process sees it: one connection per thread, opened when first needed."""

    def __init__(self, server: Server):
        self.server = server
        self._local = threading.local()

    def _connection(self) -> pymysql.Connection[Any]:
        held: pymysql.Connection[Any] | None = getattr(self._local, "connection", None)
        if held is None:
            held = pymysql.connect(
                host=self.server.host,
                port=self.server.port,
                user=self.server.user,
                password=self.server.password,
                database=self.server.schema,
                charset="utf8mb4",
                autocommit=True,
                conv=CONVERSIONS,
                cursorclass=pymysql.cursors.DictCursor,
                client_flag=CLIENT.FOUND_ROWS | CLIENT.MULTI_STATEMENTS,
                connect_timeout=5,
                read_timeout=READS,
                write_timeout=READS,
                max_allowed_packet=128 << 20,
                ssl_disabled=self.server.host in LOOPBACK,
                init_command=f"SET time_zone='+00:00', idle_transaction_timeout={IDLE}",
            )
            self._local.connection = held
        return held

    def drop_connection(self) -> None:
        """Close this thread's connection; the next use opens a new one."""
        held = getattr(self._local, "connection", None)
        self._local.connection = None
        if held is not None:
            with contextlib.suppress(pymysql.err.Error, OSError):
                held.close()

    def transact(self, work: Callable[[Transaction], T]) -> T:
        """Run `work` in a transaction and commit. It is run again, from the start, after a deadlock or when the server
        went away; so it must have no effect but on this database, and must itself recognise that it was committed
        before (by a unique key, a version or a fencing token), since a lost connection may hide a commit."""
        return self._insist(lambda: self._once(work))

    def read(self, work: Callable[[Transaction], T]) -> T:
        """Run `work` without a transaction of its own."""

        def attempt() -> T:
            t = Transaction(self._connection())
            result = work(t)
            if t.has_put_off:
                t.finish("DO 0")
            return result

        return self._insist(attempt)

    def _once(self, work: Callable[[Transaction], T]) -> T:
        connection = self._connection()
        t = Transaction(connection, "START TRANSACTION")
        try:
            result = work(t)
            t.finish("COMMIT")
            return result
        except BaseException:
            try:
                connection.rollback()
            except (pymysql.err.Error, OSError):
                self.drop_connection()
            raise

    def _insist(self, attempt: Callable[[], T]) -> T:
        until, tries = time.monotonic() + PATIENCE, 0
        while True:
            try:
                return attempt()
            except (pymysql.err.OperationalError, pymysql.err.InterfaceError, pymysql.err.InternalError) as error:
                code = error.args[0] if error.args else 0
                tries += 1
                if code in DEADLOCK and tries < 20:
                    time.sleep(random.uniform(0, 0.02 * tries))
                elif (code in GONE or isinstance(error, pymysql.err.InterfaceError)) and time.monotonic() < until:
                    self.drop_connection()
                    time.sleep(min(0.05 * tries, 1))
                else:
                    raise
