"""What is asked of a database server from outside, to see whether all is well with it."""

from __future__ import annotations

from datetime import datetime

import pymysql

from kelvix.settings import Server
from kelvix.store.database_server import DatabaseServer, Row


class Unreachable(Exception):
    """A server that does not answer, or lets nobody in; `code` is its own, or the client library's."""

    def __init__(self, code: int):
        super().__init__(str(code))
        self.code = code


def version(server: Server) -> tuple[str, bool]:
    """Return a server's version, and whether it has the schema. Raises Unreachable."""
    try:
        db = pymysql.connect(host=server.host, port=server.port, user=server.user, password=server.password, connect_timeout=5)
    except pymysql.err.OperationalError as error:
        raise Unreachable(error.args[0] if error.args else 0) from None
    with db, db.cursor() as cursor:
        cursor.execute("SELECT VERSION()")
        row = cursor.fetchone()
        cursor.execute("SHOW DATABASES LIKE %s", (server.schema,))
        return str(row[0]) if row else "0.0", cursor.fetchone() is not None


def lets_in(server: Server) -> bool:
    """Say whether a server answers and takes the password."""
    try:
        version(server)
    except Unreachable:
        return False
    return True


def variables(server: DatabaseServer) -> dict[str, str]:
    return {r["Variable_name"]: r["Value"] for r in server.read(lambda t: t.rows("SHOW GLOBAL VARIABLES"))}


def now(server: DatabaseServer) -> datetime | None:
    """Return the time by a server's clock, in UTC."""
    row = server.read(lambda t: t.row("SELECT UTC_TIMESTAMP(3) AS now"))
    return row["now"] if row else None


def steps_done(server: DatabaseServer) -> set[str]:
    """Return the names of the migrations that were begun."""
    try:
        return {r["name"] for r in server.read(lambda t: t.rows("SELECT DISTINCT name FROM migration"))}
    except pymysql.err.MySQLError:
        return set()


def unsettled_fields(server: DatabaseServer) -> int:
    """Return how many fields are half made or half dropped, counted to 100."""
    rows = server.read(lambda t: t.rows("SELECT id FROM field WHERE state NOT IN ('ready','dropped') LIMIT 100"))
    return len(rows)


def newest_secret(home: DatabaseServer) -> Row | None:
    """Return the connection that was sealed last."""
    return home.read(lambda t: t.row("SELECT id, workspace_id, secret FROM connection ORDER BY id DESC LIMIT 1"))
