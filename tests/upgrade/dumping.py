"""A data folder as a file that can stand in a repository: its two schemas as SQL, packed, and back into a server of another port."""

from __future__ import annotations

import gzip
from pathlib import Path

import pymysql

from kelvix.settings import Server

IN_ONE = 100  # rows of one INSERT
PERSONS = r"record\_"  # tables whose times are a person's own values


def _connect(server: Server, schema: str | None) -> pymysql.Connection:
    return pymysql.connect(
        host=server.host, port=server.port, user=server.user, password=server.password, database=schema, autocommit=True
    )


def _literal(value: object) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, bytes):
        return f"x'{value.hex()}'"
    return f"'{pymysql.converters.escape_string(str(value))}'"


def dump(server: Server, file: Path) -> None:
    """Write all tables of a schema and what is in them, one statement a line."""
    with _connect(server, server.schema) as db, db.cursor() as cursor, gzip.GzipFile(file, "wb", mtime=0) as out:
        db.decoders = {}  # values as the server writes them
        cursor.execute("SHOW TABLES")
        for (table,) in sorted(cursor.fetchall()):
            cursor.execute(f"SHOW CREATE TABLE `{table}`")
            out.write((cursor.fetchone()[1].replace("\n", " ") + ";\n").encode())
            cursor.execute(f"SELECT * FROM `{table}`")
            rows = ["(" + ",".join(map(_literal, row)) + ")" for row in cursor.fetchall()]
            for first in range(0, len(rows), IN_ONE):
                out.write(f"INSERT INTO `{table}` VALUES {','.join(rows[first : first + IN_ONE])};\n".encode())


def load(server: Server, file: Path, ports: dict[int, int], later: float) -> None:
    """Make a schema of what `dump` wrote. `ports`: those of its installation, and those of this one, which stand in links and
    addresses. `later`: by how many seconds all that the program dates is put off, as if the folder had been left just then."""
    with _connect(server, None) as db, db.cursor() as cursor:
        cursor.execute(f"CREATE DATABASE `{server.schema}` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
        cursor.execute(f"USE `{server.schema}`")
        for line in gzip.decompress(file.read_bytes()).decode().splitlines():
            for before, now in ports.items():
                line = line.replace(f":{before}/", f":{now}/")
            cursor.execute(line)
        cursor.execute(
            "SELECT table_name, GROUP_CONCAT(column_name) FROM information_schema.columns WHERE table_schema=%s "
            "AND data_type='datetime' AND table_name NOT LIKE %s GROUP BY table_name",
            (server.schema, f"{PERSONS}%"),
        )
        for table, columns in cursor.fetchall():
            put_off = ", ".join(f"`{c}` = `{c}` + INTERVAL %s SECOND" for c in columns.split(","))
            cursor.execute(f"UPDATE `{table}` SET {put_off}", (later,) * len(columns.split(",")))
