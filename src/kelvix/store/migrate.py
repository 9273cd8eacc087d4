"""Brings a server's schema up to date: each file in migrations/ is run once, in order of its name."""

from __future__ import annotations

import pathlib
import re

import pymysql
import structlog
from pymysql.cursors import Cursor

from kelvix.settings import Server

DATA = ("INSERT", "UPDATE", "DELETE")
NOT_YET = r"(?!IF (?:NOT )?EXISTS)"
AGAIN = [
    (re.compile(rf"\bCREATE TABLE {NOT_YET}"), "CREATE TABLE IF NOT EXISTS "),
    (re.compile(rf"\bADD COLUMN {NOT_YET}"), "ADD COLUMN IF NOT EXISTS "),
    (re.compile(rf"\bADD (UNIQUE KEY|KEY) {NOT_YET}(?=\w)"), r"ADD \1 IF NOT EXISTS "),
    (re.compile(r"\bADD KEY \((\w+)\)"), r"ADD KEY IF NOT EXISTS \1 (\1)"),
    (re.compile(rf"\bDROP (KEY|COLUMN) {NOT_YET}"), r"DROP \1 IF EXISTS "),
]
FOLDER = pathlib.Path(__file__).parent / "migrations"
log = structlog.stdlib.get_logger(__name__)


def statements(text: str) -> list[str]:
    """Return the statements of a migration file, which has neither semicolons in literals nor stored programs."""
    plain = "\n".join(line for line in text.splitlines() if not line.lstrip().startswith("--"))
    return [s.strip() for s in plain.split(";") if s.strip()]


def migrate(server: Server, folder: pathlib.Path = FOLDER) -> None:
    """Make the schema where it is missing and run what has not been run."""
    db = pymysql.connect(host=server.host, port=server.port, user=server.user, password=server.password, autocommit=True)
    with db, db.cursor() as cursor:
        cursor.execute(f"CREATE DATABASE IF NOT EXISTS `{server.schema}` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
        cursor.execute(f"USE `{server.schema}`")
        cursor.execute("CREATE TABLE IF NOT EXISTS migration (name VARCHAR(100), statement INT, PRIMARY KEY (name, statement))")
        cursor.execute(
            "CREATE TABLE IF NOT EXISTS migration_begun (name VARCHAR(100), statement INT, "
            "started_at DATETIME NOT NULL DEFAULT CURRENT_TIMESTAMP, PRIMARY KEY (name, statement))"
        )
        cursor.execute("SELECT name, statement FROM migration")
        done = set(cursor.fetchall())
        for file in sorted(folder.glob("*.sql")):
            for number, statement in enumerate(statements(file.read_text())):
                if (file.name, number) not in done:
                    _step(cursor, file.name, number, statement)


def _step(cursor: Cursor, name: str, number: int, statement: str) -> None:
    """Run one statement and remember it. DDL commits by itself, so a process may end between the two: what was begun is noted
    before, and a statement that is found begun is named and carried on as one that can be run again."""
    cursor.execute("SELECT started_at FROM migration_begun WHERE name=%s AND statement=%s", (name, number))
    if (begun := cursor.fetchone()) is not None:
        log.warning("resuming an interrupted migration", file=name, statement=number + 1, since=str(begun[0]))
        statement = repeatable(statement)
    else:
        cursor.execute("INSERT INTO migration_begun (name, statement) VALUES (%s, %s)", (name, number))
    if statement.startswith(DATA):  # with what remembers it in one transaction
        cursor.execute("START TRANSACTION")
    cursor.execute(statement)
    cursor.execute("INSERT INTO migration VALUES (%s, %s)", (name, number))
    cursor.execute("DELETE FROM migration_begun WHERE name=%s AND statement=%s", (name, number))
    cursor.execute("COMMIT")


def repeatable(statement: str) -> str:
    """Return a statement that changes tables, written so that what it made already is left alone (MariaDB's IF NOT EXISTS)."""
    for plain, again in AGAIN:
        statement = plain.sub(again, statement)
    return statement
