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
PATIENCE = 60.0  # seconds for which a transaction waits for a server that is restarting


def _utc(raw: str) -> datetime | None:
    value = convert_datetime(raw)
    return value.replace(tzinfo=UTC) if isinstance(value, datetime) else None


def _sql_time(value: datetime, _mapping: object = None) -> str:
    if value.tzinfo:
        value = value.astimezone(UTC)
    return "'" + escape_string(value.strftime("%Y-%m-%d %H:%M:%S.%f")[:-3]) + "'"


CONVERSIONS: dict[Any, Any] = {**conversions, FIELD_TYPE.DATETIME: _utc, FIELD_TYPE.TIMESTAMP: _utc, datetime: _sql_time}


class Transaction:
    """One open transaction, or a connection in autocommit. Values are always bound, never pasted into SQL."""

    def __init__(self, connection: pymysql.Connection[Any]):
        self._connection = connection

    def execute(self, sql: str, args: Sequence[Any] = ()) -> int:
        """Run a statement; the number of rows it changed."""
        with self._connection.cursor() as cursor:
            return int(cursor.execute(sql, args or None))

    def insert(self, sql: str, args: Sequence[Any] = ()) -> int:
        """Run an INSERT; the id that it was given."""
        with self._connection.cursor() as cursor:
            cursor.execute(sql, args or None)
            return int(cursor.lastrowid or 0)

    def many(self, sql: str, rows: Sequence[Sequence[Any]]) -> int:
        with self._connection.cursor() as cursor:
            return cursor.executemany(sql, rows) or 0

    def rows(self, sql: str, args: Sequence[Any] = ()) -> list[Row]:
        with self._connection.cursor() as cursor:
            cursor.execute(sql, args or None)
            return list(cursor.fetchall())

    def row(self, sql: str, args: Sequence[Any] = ()) -> Row | None:
        with self._connection.cursor() as cursor:
            cursor.execute(sql, args or None)
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
                client_flag=CLIENT.FOUND_ROWS,
                connect_timeout=5,
                max_allowed_packet=128 << 20,
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
        return self._insist(lambda: work(Transaction(self._connection())))

    def _once(self, work: Callable[[Transaction], T]) -> T:
        connection = self._connection()
        connection.begin()
        try:
            result = work(Transaction(connection))
            connection.commit()
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
