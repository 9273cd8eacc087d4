"""The conformance suite over all that is read here: databases of ours, Mail, Files, Reading, and an app of a package."""

from __future__ import annotations

import importlib.util
import json
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from itertools import count
from pathlib import Path

import pytest

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.connectors.conformance import POINTS, Bench
from kelvix.connectors.contract import Outgoing
from kelvix.core import file_name
from kelvix.core.feel import Env
from kelvix.core.schema import TEXT_FIELD
from kelvix.store import databases, records
from kelvix.store.databases import NewField
from kelvix.store.records import Origin
from support import Kelvix, Person

ACTOR = Actor(Origin(person="Orla"))


class Database(Bench):
    def __init__(self, kelvix: Kelvix):
        self.kelvix = kelvix
        self.mine, other = (self.made(kelvix.person(name)) for name in ("Orla", "Ida"))
        self.collection, self.other = self.mine, other
        self.space, self.database, self.env = self.mine.space, self.mine.database, env(self.mine.space)

    def made(self, person: Person):
        fields = [NewField("Number", "number"), NewField("Day", "date"), NewField("Kind", "labels", choices=("New", "Old"))]
        return person.kelvix.engine.records(person.space, databases.create(person.space, "Things", fields))

    def add(self, title: str) -> str:
        values = {self.database.fields[0].id: title}
        return str(self.space.transact(lambda t: write.add(t, self.space.id, self.database, values, ACTOR))[0])

    def change(self, id: str, text: str) -> None:
        def work(t):
            record = records.get(t, self.database, int(id), lock=True)
            write.change(t, self.space.id, self.database, record, {TEXT_FIELD: text}, ACTOR)

        self.space.transact(work)

    def delete(self, id: str) -> None:
        self.space.transact(lambda t: write.delete(t, self.space.id, self.database, int(id), ACTOR))


class App(Bench):
    """A container of a practice app, which is written to on its page."""

    app: str
    place = "Enquiries"
    troubles = frozenset(("limited", "failing", "refusing"))

    def __init__(self, kelvix: Kelvix):
        self.orla, ida = kelvix.person("Orla"), kelvix.person("Ida")
        self.folder = self.orla.container(self.app, self.place)
        self.connection, theirs = (person.connect(self.place, app=self.app, send=True) for person in (self.orla, ida))
        self.collection, self.other = (
            person.source(connection, str(person.container(self.app, self.place)))
            for person, connection in ((self.orla, self.connection), (ida, theirs))
        )
        self.env, self.numbers = env(self.orla.space), count(1)

    @property
    def account(self):
        return self.orla.kelvix.engine.account(self.orla.space, self.connection)

    def found(self, name: str, key: str) -> str:
        """The newest item of a name: its id."""
        items = self.orla.kelvix.practice.items(self.folder, 500)
        return str(next(i["id"] for i in items if json.loads(i["body"])[key] == name))

    def posts(self, where: str, **more) -> None:
        with self.orla.practice_page() as page:
            answer = page.post(f"/{self.app}/{where}", **more)
            assert answer.status_code in (200, 303), answer.text

    @contextmanager
    def trouble(self, trouble) -> Iterator[None]:
        self.orla.faults(trouble, app=self.app)
        try:
            yield
        finally:
            self.orla.faults(app=self.app)


class Mail(App):
    app = "mail"

    def add(self, title: str) -> str:
        self.orla.deliver(title, self.place)
        return self.found(title, "subject")

    def delete(self, id: str) -> None:
        self.posts(f"messages/{id}/delete")

    def write(self, title: str, key: str) -> None:
        self.account.send(Outgoing((self.orla.addresses[self.place],), title, "Good morning.", ""), key)


class Files(App):
    app = "files"

    def add(self, title: str) -> str:
        self.orla.put_files(self.place, {title: b""})
        return self.found(self.called(title), "name")

    def called(self, name: str) -> str:
        """A folder has no names with slashes in them; a form sends quotes as %22 (HTML, multipart/form-data encoding)."""
        return file_name.clean(name.replace('"', "%22"))

    def change(self, id: str, text: str) -> None:
        self.posts(f"files/{id}/rename", data={"name": f"{text}.txt"})

    def delete(self, id: str) -> None:
        self.posts(f"files/{id}/delete")

    def write(self, title: str, key: str) -> None:
        self.account.save(str(self.folder), title, iter([b"words"]), "number", key)


class Reading(App):
    app = "reading"

    def add(self, title: str) -> str:
        address = f"https://wick.example/{next(self.numbers)}"
        self.posts(f"lists/{self.folder}", data={"address": address, "title": title})
        return self.found(address, "address")

    def change(self, id: str, text: str) -> None:
        self.posts(f"articles/{id}/highlight", data={"text": text})

    def delete(self, id: str) -> None:
        self.posts(f"articles/{id}/delete")


class Logbook(Bench):
    """A book of the app that a package brings, which is a file."""

    def __init__(self, kelvix: Kelvix):
        self.env = env(kelvix.person("Orla").space)
        place = Path(__file__).parents[1] / "packages/logbook.py"
        spec = importlib.util.spec_from_file_location(
            "logbook", place
        )  # not by the path: the other tests are to know nothing of it
        assert spec and spec.loader
        logbook = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(logbook)
        app, self.lock = logbook.CONNECTOR(""), threading.Lock()
        self.collection, self.other = (self.book(app, tempfile.mkdtemp()) for _ in range(2))

    def book(self, app, folder: str):
        (Path(folder) / "Tuning.jsonl").touch()
        return app.account(folder, folder, self.env).collection("Tuning")

    def add(self, title: str) -> str:
        entry = {"what": title, "hertz": "440", "at": datetime.now(UTC).isoformat()}
        with self.lock, (self.collection.account.folder / "Tuning.jsonl").open("a") as book:
            book.write(json.dumps(entry) + "\n")
            book.flush()
            return str(len(self.collection.entries()))


def env(space) -> Env:
    return space.env(datetime.now(UTC))


@pytest.fixture(scope="module")
def bench_of(kelvix):
    made: dict[type, Bench] = {}

    def of(kind):
        return made.get(kind) or made.setdefault(kind, kind(kelvix))

    return of


@pytest.mark.parametrize("kind", [Database, Mail, Files, Reading, Logbook], ids=lambda k: k.__name__.lower())
@pytest.mark.parametrize("point", POINTS, ids=lambda p: p.__name__)
def test_point(bench_of, kind, point):
    point(bench_of(kind))
