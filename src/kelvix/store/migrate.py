"""Brings a server's schema up to date: each file in migrations/ is run once, in order of its name."""

from __future__ import annotations

import pathlib

import pymysql

from kelvix.settings import Server

FOLDER = pathlib.Path(__file__).parent / "migrations"


def statements(text: str) -> list[str]:
    """The statements of a migration file, which has neither semicolons in literals nor stored programs."""
    plain = "\n".join(line for line in text.splitlines() if not line.lstrip().startswith("--"))
    return [s.strip() for s in plain.split(";") if s.strip()]


def migrate(server: Server, folder: pathlib.Path = FOLDER) -> None:
    """Make the schema where it is missing and run what has not been run."""
    db = pymysql.connect(host=server.host, port=server.port, user=server.user, password=server.password, autocommit=True)
    with db, db.cursor() as cursor:
        cursor.execute(f"CREATE DATABASE IF NOT EXISTS `{server.schema}` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
        cursor.execute(f"USE `{server.schema}`")
        cursor.execute("CREATE TABLE IF NOT EXISTS migration (name VARCHAR(100), statement INT, PRIMARY KEY (name, statement))")
        cursor.execute("SELECT name, statement FROM migration")
        done = set(cursor.fetchall())
        for file in sorted(folder.glob("*.sql")):
            for number, statement in enumerate(statements(file.read_text())):
                if (file.name, number) not in done:  # DDL commits by itself, so each statement is remembered by itself
                    cursor.execute(statement)
                    cursor.execute("INSERT INTO migration VALUES (%s, %s)", (file.name, number))
