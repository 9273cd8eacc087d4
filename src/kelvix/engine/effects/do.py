"""Doing to an item of an app what the app offers, each once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kelvix.core import outcome
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.lines import do, kind_of
from kelvix.core.lines.do import Do, DoKind
from kelvix.core.outcome import Operated, Outcome
from kelvix.core.schema import Database, Operation
from kelvix.core.values import to_wire
from kelvix.core.walking import Place
from kelvix.engine.effects import items
from kelvix.engine.effects.effect import Effect
from kelvix.engine.engine import Engine
from kelvix.engine.outside import Outside
from kelvix.engine.remote_write import RemoteWrite
from kelvix.store.directory import Space


@dataclass(frozen=True)
class DoneByApp(RemoteWrite):
    """An operation of a run. Its payload is the item, and what the operation takes."""

    engine: Engine
    space: Space
    database: Database
    operation: Operation
    payload: Mapping[str, Any]

    question = "Unconfirmed: was this done? Look in the app."

    def repeats(self) -> bool:
        return self.operation.knows_keys

    def execute(self, intent: Intent) -> Any:
        given = intent.payload["values"]
        values = {f.id: from_wire(given[f.id], f.type) for f in self.operation.inputs if f.id in given}
        source = items.source(self.engine, self.space, self.database)
        with items.calls(self.engine, self.space, self.database):
            link = source.perform(self.operation.code, intent.payload["id"], values, intent.key)
        return self._made(intent, link)

    def arrived(self, intent: Intent, by: str | None) -> Any:
        return self._made(intent, None)

    def _made(self, intent: Intent, link: str | None) -> Any:
        of = self.database.outside
        app, kept = (of.app, of.app_name) if of else ("", ""), intent.payload
        return Operated("did", self.operation.words, kept["title"], link or kept["link"], self.database.name, *app).kept()

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        given = intent.payload["values"]
        values = [(f.name, str(given.get(f.id) or "")) for f in self.operation.inputs]
        return [("What", f"{self.operation.words}: {intent.payload['title']}"), *values]


class DoEffect(Effect[Do]):
    recalls = Operated

    def has_something(self, line: Do, carried: Carried) -> bool:
        return carried.records[line.of].record is not None

    def execute(self, run: Outside, line: Do, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        kind = kind_of(line)
        assert isinstance(kind, DoKind)
        database = kind.database_of(line, carried, run.context.databases)
        operation = do.operation_of(line, database) if database else None
        if database is None or operation is None:
            raise PermanentError("the app no longer offers what this line does", "run")
        held = carried.records[line.of]
        title, link = held.values.get(database.fields[0].id), database.link("", held.record, held.values)
        values = {f: to_wire(v) for f, v in cell.writes.items()}
        payload = {"id": str(held.record), "title": str(title or ""), "link": link, "values": values}
        write = DoneByApp(run.engine, run.space, database, operation, payload)
        _, end = run.write_outside(line, place, carried, write, lambda made: outcome.read("did", made))
        return carried, end

    def as_recorded(self, run: Outside, line: Do, done: Outcome, carried: Carried) -> tuple[Carried, str]:
        return carried, ""


EFFECT = DoEffect()
