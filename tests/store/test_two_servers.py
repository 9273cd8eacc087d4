"""Workspaces on two MariaDB servers: each only on its own, and both served by one worker."""

from __future__ import annotations

from dataclasses import replace

import pytest

from kelvix.commands.mariadb import MariaDB
from kelvix.core.lines.add import Add
from kelvix.core.not_found import NotFoundError
from kelvix.core.workflow import FieldFilling, Part, Reference, When, Workflow
from kelvix.engine.engine import make
from kelvix.engine.worker import Worker
from kelvix.store import databases, people, record_writing, runs, workflows
from kelvix.store.databases import NewField
from kelvix.store.migrate import migrate
from kelvix.store.records import Origin
from support import newest, until


@pytest.fixture
def second(tmp_path):
    server = MariaDB(tmp_path / "second")
    server.start()
    yield server
    server.stop()


def test_a_workspace_lives_on_one_server(kelvix, second):
    away = second.server("kelvix")
    migrate(away)
    engine = make(replace(kelvix.settings, servers={**kelvix.settings.servers, "second": away}))
    home = engine.directory.home
    here = people.create_workspace(home, "Here", "Orla", "Europe/London")
    there = people.create_workspace(home, "There", "Ivo", "Asia/Tokyo", server="second")
    spaces = [engine.directory.open(p.workspace_id) for p in (here, there)]
    made = [databases.create(s, f"Of {s.id}", (NewField("Name", "text"),)) for s in spaces]
    for space, database in zip(spaces, made, strict=True):
        space.transact(
            lambda t, s=space, d=database: record_writing.add(t, s.id, d, {d.fields[0].id: "x"}, Origin(person="Orla"))
        )
    tables = [s.read(lambda t: {r["name"] for r in t.rows("SELECT name FROM `database`")}) for s in spaces]
    assert made[0].name in tables[0] and made[0].name not in tables[1] and tables[1] == {made[1].name}
    assert str(spaces[1].zone) == "Asia/Tokyo"
    with pytest.raises(NotFoundError):
        engine.directory.open(10**9)


def test_one_worker_takes_up_the_work_of_both(kelvix, second, tmp_path):
    away = second.server("kelvix")
    migrate(away)
    engine = make(replace(kelvix.settings, servers={"home": kelvix.settings.servers["home"], "second": away}))
    there = people.create_workspace(engine.directory.home, "There", "Ivo", "Europe/London", server="second")
    space = engine.directory.open(there.workspace_id)
    database = databases.create(space, "Target", (NewField("Name", "text"),))
    document = Workflow(
        (When("w"), Add("a", database.id, (FieldFilling(database.fields[0].id, (Part(ref=Reference("w", "subject")),)),)))
    )
    workflow = workflows.create(space, "Tried", document)

    def try_it(t):
        kept = workflows.get(t, space.id, workflow)
        version = workflows.version_of_draft(t, space.id, kept)
        return runs.new_try(
            t, space.id, workflow, version, "", "x", {"title": "x", "link": None, "values": {"subject": "from afar"}}, None
        )

    run = space.transact(try_it)
    worker = Worker(engine)
    worker.engine.dispatch.listen("work")
    until(lambda: worker._take_up() is not None and space.read(lambda t: runs.get(t, space.id, run)).state == "done")
    worker._pool.shutdown()
    assert space.read(lambda t: newest(t, database, 10))[0].values[database.fields[0].id] == "from afar"
