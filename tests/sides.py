"""Places that lines can listen to and write to, each with the hands of its user, so that tests need know no app."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from typing import Any
from uuid import uuid4

from kelvix.core.collection import Collection, Write
from kelvix.core.fields import TYPES
from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.values import File, Value, Wire, to_wire
from kelvix.engine import file_content


class Side(ABC):
    """`id`: by which lines know the place; `title`: the field by which its items are called."""

    id: int
    title: str
    source: Collection

    @abstractmethod
    def __init__(self, orla, name: str): ...

    @abstractmethod
    def whens(self) -> list[dict[str, Any]]:
        """When lines for what is added and for what is changed: one, or one for each."""

    @abstractmethod
    def key(self, field: str) -> str:
        """Under which key its When line carries a field."""

    @abstractmethod
    def create(self, values: dict[str, Value]) -> str:
        """Create an item by what its user would do: its id."""

    @abstractmethod
    def edit(self, id: str, values: dict[str, Value]) -> None: ...

    @abstractmethod
    def delete(self, id: str) -> None: ...

    def fields(self) -> dict[str, Field]:
        """What can be written of it, by type: the first of each, but for the title."""
        found: dict[str, Field] = {}
        for f in self.source.schema().fields:
            if f.can_write and f.id != self.title and not TYPES[f.type].refers:
                found.setdefault(f.type, f)
        return found

    def items(self):
        return self.source.query(Query(limit=50)).items


class Own(Side):
    """A database of ours, with a field of each type that another place may have."""

    def __init__(self, orla, name: str):
        kinds = ("date", "datetime", "number", "yes_no", "person", "link", "email", "time", "file")
        made = [{"name": kind, "type": kind} for kind in kinds]
        many = [{"name": kind, "type": kind, "grows": True, "choices": ["Fault", "Wish"]} for kind in ("choice", "labels")]
        self.orla, kept = orla, orla.database(name, {"name": "Name", "type": "text"}, *made, *many)
        self.id, self.title = kept["id"], kept["fields"][0]["id"]
        self.engine = orla.kelvix.engine

    @property
    def source(self):
        known = self.orla.space.read(lambda t: self.engine.known.load(t, self.orla.space.id))
        return self.engine.records(self.orla.space, known[self.id])

    def whens(self):
        own = {"kind": "record", "database": self.id}
        return [{"verb": "when", "id": "w", "own": {**own, "event": event}} for event in ("added", "changed")]

    def key(self, field):
        return f"f_{field}"

    def _sent(self, values):
        return {f: self._uploaded(v) if isinstance(v, File) else to_wire(v) for f, v in values.items()}

    def _uploaded(self, file: File) -> Wire:
        content = b"".join(file_content.content(self.engine, self.orla.space, file))
        return self.orla.api("POST", f"/files?name={file}", content=content)["file"]

    def create(self, values):
        made = self.orla.api("POST", f"/databases/{self.id}/records", json={"values": self._sent(values)})
        return str(made["record"]["id"])

    def edit(self, id, values):
        version = self.source.one(id).version
        where = f"/databases/{self.id}/records/{id}"
        self.orla.api("PATCH", where, json={"values": self._sent(values)}, headers={"if-match": str(version)})

    def delete(self, id):
        self.orla.api("POST", f"/databases/{self.id}/records/delete", json={"records": [int(id)]})


class Outside(Side):
    """A place of an app."""

    app: str

    def __init__(self, orla, name: str):
        self.orla = orla
        self.connection, self.place = orla.connect(name, app=self.app, send=True), str(orla.container(self.app, name))
        self.id = orla.api("POST", "/places", json={"connection": self.connection, "place": self.place})["id"]
        self.source = orla.source(self.connection, self.place)
        self.title = self.source.schema().title

    def whens(self):
        where = {"app": self.app, "connection": self.connection, "container": self.place, "event": "any_change"}
        return [{"verb": "when", "id": "w", **where}]

    def key(self, field):
        return field

    def fields(self):
        self.source.look_anew()  # choices may have come since
        return super().fields()

    def create(self, values):
        return self.source.write(Write("create", f"by hand {uuid4()}", values=values, opens=self._opens)).item.id

    def edit(self, id, values):
        version = self.source.one(id).version
        self.source.write(Write("update", f"by hand {uuid4()}", id, values, version, opens=self._opens))

    def delete(self, id):
        self.source.write(Write("delete", f"by hand {uuid4()}", id, version=self.source.one(id).version))

    def _opens(self, file: File) -> Iterator[bytes]:
        return file_content.content(self.orla.kelvix.engine, self.orla.space, file)


class Tasks(Outside):
    app = "tasks"


class Issues(Outside):
    app = "issues"

    def __init__(self, orla, name: str):
        project = orla.container("issues", name)
        with orla.practice_page() as page:
            for field, type in (("Hours", "number"), ("Visit", "date"), ("Parish", "text")):
                page.post(f"/issues/projects/{project}/fields", data={"name": field, "type": type})
        super().__init__(orla, name)


class Sheets(Outside):
    app = "sheets"

    def __init__(self, orla, name: str):
        sheet = orla.container("sheets", name)
        with orla.practice_page() as page:
            page.post(f"/sheets/sheets/{sheet}/rows", data={"rows": "Name;Notes;Hours;Visit;Seen;Fixed;Text"})
            for column, format in zip("CDEFG", ("number", "date", "moment", "check", "lines"), strict=True):
                page.post(f"/sheets/sheets/{sheet}/format", data={"column": column, "format": format})
        super().__init__(orla, name)


class Tables(Outside):
    app = "tables"

    def __init__(self, orla, name: str):
        table = orla.container("tables", name)
        kinds = ("text", "lines", "number", "day", "moment", "check", "person", "pick", "picks", "file")
        with orla.practice_page() as page:
            for kind in kinds:
                told = {"name": kind, "type": kind, "options": "Fault, Wish, reeds, leather, pipes"}
                assert page.post(f"/tables/tables/{table}/fields", data=told).status_code == 303
        super().__init__(orla, name)
