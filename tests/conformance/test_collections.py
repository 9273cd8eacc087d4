"""The conformance suite over all that is read here: databases of ours, Mail, Files, Reading, Tasks, Issues, Tables, Sheets, XLSX and CSV in Files, and an app of a package."""

from __future__ import annotations

import csv
import importlib.util
import json
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from io import BytesIO, StringIO
from itertools import count
from pathlib import Path

import openpyxl
import pytest

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.connectors.conformance import POINTS, Bench
from kelvix.connectors.contract import Outgoing
from kelvix.core import file_name
from kelvix.core.collection import Write
from kelvix.core.feel import Env
from kelvix.core.query import Query
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
        return person.kelvix.engine.records(person.space, databases.create(person.space, "Things", fields), ACTOR)

    def write(self, title: str, key: str) -> None:
        self.collection.write(Write("create", key[:60], values={self.database.fields[0].id: title}))

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


class Tasks(App):
    app = "tasks"

    def add(self, title: str) -> str:
        self.posts(f"lists/{self.folder}", data={"title": title})
        return self.found(title, "title")

    def change(self, id: str, text: str) -> None:
        self.posts(f"tasks/{id}", data={"title": self.collection.one(id).title, "notes": text})

    def delete(self, id: str) -> None:
        self.posts(f"tasks/{id}/delete")

    def write(self, title: str, key: str) -> None:
        self.collection.write(Write("create", key, values={"title": title}))


class Issues(App):
    app = "issues"

    def __init__(self, kelvix: Kelvix):
        super().__init__(kelvix)
        fields = (("Hours", "number", ""), ("Visit", "date", ""), ("Parish", "text", ""), ("Urgency", "option", "Low, High"))
        for name, type, options in fields:
            self.posts(f"projects/{self.folder}/fields", data={"name": name, "type": type, "options": options})

    def add(self, title: str) -> str:
        self.posts(f"projects/{self.folder}", data={"title": title})
        return self.found(title, "title")

    def change(self, id: str, text: str) -> None:
        self.posts(f"issues/{id}", data={"title": self.collection.one(id).title, "text": text})

    def delete(self, id: str) -> None:
        self.posts(f"issues/{id}/delete")


class Tables(App):
    app = "tables"

    def __init__(self, kelvix: Kelvix):
        super().__init__(kelvix)
        other = self.orla.container("tables", "Deaneries")
        self.posts(f"tables/{other}", data={"field-1": "North"})
        for name, type in (
            ("Words", "lines"), ("Pipes", "number"), ("Tuned", "day"), ("Seen", "moment"), ("Fit", "check"), ("Care", "picks"),
            ("State", "pick"), ("Warden", "person"), ("Deanery", "rows"),
        ):  # fmt: skip
            self.posts(f"tables/{self.folder}/fields", data={"name": name, "type": type, "options": "New, Old", "table": other})

    def add(self, title: str) -> str:
        told = {"field-1": title, "field-3": "12", "field-7": "New, Old", "field-9": "Ada", "field-10": "North"}
        self.posts(f"tables/{self.folder}", data=told)
        return next(i.id for i in self.collection.query(Query(limit=50)).items if i.title == title)

    def change(self, id: str, text: str) -> None:
        self.posts(f"rows/{id}", data={"field-2": text})

    def delete(self, id: str) -> None:
        self.posts(f"rows/{id}/delete")

    def write(self, title: str, key: str) -> None:
        self.collection.write(Write("create", key, values={"f1": title}))


class Sheets(App):
    app = "sheets"

    def __init__(self, kelvix: Kelvix):
        super().__init__(kelvix)
        self.posts(f"sheets/{self.folder}/rows", data={"rows": "Part\tHours\tVisit\tSeen\tWords"})
        for column, format in zip("ABCE", ("text", "number", "date", "text"), strict=True):
            self.posts(f"sheets/{self.folder}/format", data={"column": column, "format": format})

    def add(self, title: str) -> str:
        self.posts(f"sheets/{self.folder}/rows", data={"rows": f"{title}\t8\t2026-11-29\t2026-11-29 09:30"})
        return next(i.id for i in self.collection.query(Query(limit=50)).items if i.title == " ".join(title.split()))

    def change(self, id: str, text: str) -> None:
        self.posts(f"sheets/{self.folder}/cell", data={"row": self.row(id), "column": "E", "text": text})

    def delete(self, id: str) -> None:
        self.posts(f"sheets/{self.folder}/remove", data={"row": self.row(id)})

    def row(self, id: str) -> str:
        return str(self.collection.one(id).values["row"])


class Rows(App):
    """A file in practice Files as a sheet, which its user opens, changes and saves."""

    app, troubles = "workbooks", frozenset(("limited", "failing", "refusing"))
    file: str

    def __init__(self, kelvix: Kelvix):
        self.orla, ida = kelvix.person("Orla"), kelvix.person("Ida")
        (self.folder, self.connection, self.collection), (_, _, self.other) = map(self.opened, (self.orla, ida))
        self.env, self.lock = env(self.orla.space), threading.Lock()

    def opened(self, person: Person):
        folder = person.container("files", self.place)
        person.put_files(self.place, {self.file: self.first()})
        connection = person.connect(self.place, app=self.app, send=True)
        account = person.kelvix.engine.account(person.space, connection)
        [place] = [p for p in account.check().places if self.file in p.full_name]
        return folder, connection, account.collection(place.id)

    def first(self) -> bytes: ...

    def edited(self, content: bytes, row: int | None, values: list[object] | None) -> bytes: ...

    def edit(self, row: int | None, values: list[object] | None) -> None:
        """Change a row, counted from 0; add one, where none is named; delete it, where it is to hold nothing."""
        with self.lock:
            content = self.collection.sheet.now().content
            file = self.collection.sheet.file
            self.posts_file(file, self.edited(content, row, values))

    def posts_file(self, file: str, content: bytes) -> None:
        with self.orla.practice_page() as page:
            answer = page.post(f"/files/files/{file}/version", files={"file": (self.file, content)})
            assert answer.status_code == 303, answer.text

    def add(self, title: str) -> str:
        self.edit(None, [title, 8, "Words"])
        return next(i.id for i in self.collection.query(Query(limit=50)).items if i.title == " ".join(title.split()))

    def change(self, id: str, text: str) -> None:
        self.edit(self.row(id), [None, None, text])

    def delete(self, id: str) -> None:
        self.edit(self.row(id), None)

    def row(self, id: str) -> int:
        return int(self.collection.one(id).values["row"]) - 1

    @contextmanager
    def trouble(self, trouble) -> Iterator[None]:
        self.orla.faults(trouble, app="files")
        try:
            yield
        finally:
            self.orla.faults(app="files")


class Xlsx(Rows):
    file = "Parts.xlsx"

    def first(self) -> bytes:
        book = openpyxl.Workbook()
        book.active.append(["Part", "Left", "Words"])
        return saved(book)

    def edited(self, content, row, values):
        book = openpyxl.load_workbook(BytesIO(content))
        page = book.active
        if values is None:
            page.delete_rows(row + 1)
        elif row is None:
            page.append(values)
        else:
            for at, value in enumerate(values, 1):
                if value is not None:
                    page.cell(row + 1, at).value = value
        return saved(book)


def saved(book: openpyxl.Workbook) -> bytes:
    out = BytesIO()
    book.save(out)
    return out.getvalue()


class Csv(Rows):
    file = "Parts.csv"

    def first(self) -> bytes:
        return b"Part,Left,Words\r\n"

    def edited(self, content, row, values):
        rows = list(csv.reader(StringIO(content.decode(), newline="")))
        if values is None:
            del rows[row]
        elif row is None:
            rows.append([str(v) for v in values])
        else:
            rows[row] = [str(new) if new is not None else old for new, old in zip(values, rows[row], strict=True)]
        out = StringIO(newline="")
        csv.writer(out).writerows(rows)
        return out.getvalue().encode()


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


KINDS = [Database, Mail, Files, Reading, Tasks, Issues, Tables, Sheets, Xlsx, Csv, Logbook]


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.__name__.lower())
@pytest.mark.parametrize("point", POINTS, ids=lambda p: p.__name__)
def test_point(bench_of, kind, point):
    point(bench_of(kind))
