"""Migrations: each statement once, also after a start that was cut short; and people's sign-ins."""

from __future__ import annotations

from dataclasses import replace

import pymysql
import pytest

from kelvix.settings import TOP
from kelvix.store import people
from kelvix.store.database_server import DatabaseServer
from kelvix.store.migrate import FOLDER, migrate, statements


@pytest.fixture
def server(kelvix):
    made = replace(kelvix.settings.servers["home"], schema="migrations")
    yield made
    kelvix.installation.mariadb.drop("migrations")


def test_statements_are_split_and_comments_dropped():
    assert statements("-- a; b\nCREATE TABLE x (id INT);\n\n  -- c\nINSERT INTO x VALUES (1);\n") == [
        "CREATE TABLE x (id INT)",
        "INSERT INTO x VALUES (1)",
    ]


def test_each_statement_is_run_once(server, tmp_path):
    (tmp_path / "001_a.sql").write_text("CREATE TABLE x (id INT); INSERT INTO x VALUES (1);")
    migrate(server, tmp_path)
    migrate(server, tmp_path)
    (tmp_path / "002_b.sql").write_text("INSERT INTO x VALUES (2);")
    migrate(server, tmp_path)
    rows = DatabaseServer(server).read(lambda t: t.rows("SELECT id FROM x ORDER BY id"))
    assert [r["id"] for r in rows] == [1, 2]


def test_a_start_that_was_cut_short_goes_on_where_it_stopped(server, tmp_path):
    file = tmp_path / "001_a.sql"
    file.write_text("CREATE TABLE x (id INT); INSERT INTO nowhere VALUES (1);")
    with pytest.raises(Exception, match="nowhere"):
        migrate(server, tmp_path)
    file.write_text("CREATE TABLE x (id INT); INSERT INTO x VALUES (1);")
    migrate(server, tmp_path)
    assert DatabaseServer(server).read(lambda t: t.row("SELECT COUNT(*) AS n FROM x"))["n"] == 1


class Cut(BaseException):
    """The process ends here."""


def test_every_migration_can_be_cut_short_at_each_of_its_steps(server, monkeypatch):
    """After each statement, before it was remembered: the next start names it, carries it on, and comes to the same tables."""

    def tables():
        opened = DatabaseServer(server)
        names = opened.read(lambda t: [next(iter(r.values())) for r in t.rows("SHOW TABLES")])
        return {n: opened.read(lambda t, n=n: t.row(f"SHOW CREATE TABLE `{n}`"))["Create Table"] for n in names}

    for folder in (FOLDER, TOP / "src/kelvix/practice/migrations"):
        migrate(server, folder)
        whole = tables()
        DatabaseServer(server).read(lambda t: t.execute("DROP DATABASE migrations"))
        cuts = 0
        real = pymysql.cursors.Cursor.execute
        seen: set[tuple[str, int]] = set()

        def execute(cursor, query, args=None, real=real, seen=seen):
            if query.startswith("INSERT INTO migration VALUES") and args not in seen:
                seen.add(args)
                raise Cut
            return real(cursor, query, args)

        with monkeypatch.context() as patched:
            patched.setattr(pymysql.cursors.Cursor, "execute", execute)
            while True:
                try:
                    migrate(server, folder)
                    break
                except Cut:
                    cuts += 1
        assert cuts == len(seen) > 5 and tables() == whole
        DatabaseServer(server).read(lambda t: t.execute("DROP DATABASE migrations"))


def test_links_and_sessions_run_out(orla):
    home = orla.kelvix.engine.directory.home
    code = people.new_sign_in_link(home, orla.owner.id)
    home.transact(
        lambda t: t.execute(
            "UPDATE sign_in_link SET expires_at=NOW(3) - INTERVAL 1 SECOND WHERE person_id=%s", (orla.owner.id,)
        )
    )
    assert people.use_sign_in_link(home, code) is None
    cookie = people.use_sign_in_link(home, people.new_sign_in_link(home, orla.owner.id))
    assert people.by_session(home, cookie).id == orla.owner.id
    home.transact(lambda t: t.execute("UPDATE session SET expires_at=NOW(3) WHERE person_id=%s", (orla.owner.id,)))
    assert people.by_session(home, cookie) is None
    token = people.new_token(home, orla.owner.id, "t")
    assert people.by_token(home, token).name == "Orla" and people.by_token(home, token[:-1]) is None
    people.end_session(home, cookie)
