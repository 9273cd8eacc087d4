"""What lines do to items of apps: the same as to records of ours, each write under an intent, and none twice."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property, partial
from hashlib import sha256
from typing import Any

from kelvix.collections import apps
from kelvix.core import writing
from kelvix.core.cells import Answer, Cell, Finding
from kelvix.core.collection import (
    Collection,
    GoneError,
    Happened,
    Item,
    TransientError,
    UnknownOutcomeError,
    Write,
    WriteKind,
    Written,
    undoing,
)
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried, Held
from kelvix.core.finding import Question
from kelvix.core.intents import Intent
from kelvix.core.outcome import Wrote
from kelvix.core.schema import LINK, Database, is_outside
from kelvix.core.values import FieldId, File, RecordId, Value, Wire, to_wire, whole
from kelvix.core.walking import Place
from kelvix.core.workflow import Adds, Writes
from kelvix.engine import file_content, recording
from kelvix.engine.effects import batches
from kelvix.engine.engine import Engine
from kelvix.engine.outside import Outside
from kelvix.engine.recording import place_text
from kelvix.engine.remote_write import RemoteWrite
from kelvix.store import adding, intents, own_writes, places
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.own_writes import OwnWrite
from kelvix.store.secrets import digest

RETRY_AFTER = 0.05  # seconds
CODES = {
    "created": "added",
    "updated": "updated",
    "unchanged": "unchanged",
    "deleted": "deleted",
    "already_gone": "found_none",
    "restored": "added",
}


NEW = "new"  # the slot of what is created; each other write has the slot of its item


@dataclass(frozen=True)
class One:
    """A write that is planned, as its intent keeps it; without one, the item is there as it should be."""

    slot: str
    payload: Mapping[str, Any] | None
    item: Item | None = None


@dataclass(frozen=True)
class Plan:
    """What a line does: its writes, and by what the one that is created is known, where it must not be there twice."""

    writes: Sequence[One]
    known_by: Question | None = None


@dataclass(frozen=True)
class WrittenByApp(RemoteWrite):
    """A write of a run. Its payload is the item, the version that was seen, and the values that are written."""

    engine: Engine
    space: Space
    database: Database
    payload: Mapping[str, Any]
    slot: str
    number: int

    question = "Unconfirmed: was this written? Look in the app."

    def repeats(self) -> bool:
        can = source(self.engine, self.space, self.database).capabilities
        return can.keys or can.looks

    def execute(self, intent: Intent) -> Any:
        found = source(self.engine, self.space, self.database)
        write = replace(write_of(self.database, intent), opens=partial(file_content.content, self.engine, self.space))
        with calls(self.engine, self.space, self.database):
            looks = intent.repeated and not found.capabilities.keys
            try:
                written = (found.look(write) if looks else None) or found.write(write)
            except UnknownOutcomeError as unanswered:  # nobody looks before the app can find it
                unanswered.after = max(unanswered.after or 0.0, found.capabilities.settles) or unanswered.after
                raise
        return _made(self.database, intent, written, found)

    def arrived(self, intent: Intent, by: str | None) -> Any:
        """Look for what was written; of what was created nobody knows which it is."""
        if intent.payload["kind"] == "create":
            return _made(self.database, intent, Written("created", None), None)
        found = source(self.engine, self.space, self.database)
        with calls(self.engine, self.space, self.database):
            item = found.get((intent.payload["id"],)).get(intent.payload["id"])
        happened: Happened = "deleted" if intent.payload["kind"] == "delete" else "updated"
        return _made(self.database, intent, Written(happened, item), found)

    def settle(self, t: Transaction, workflow_id: int, made: Any) -> None:
        of = source(self.engine, self.space, self.database).ref
        own_writes.note(t, self.space.id, workflow_id, of.account, of.place, _noted(self.payload, made))

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        of, kept = self.database, intent.payload
        values = [(f.name, str(kept["values"].get(f.id) or "")) for f in of.fields if f.id in kept["values"]]
        return [("Where", f"{of.outside.app_name if of.outside else ''} › {of.name}"), *values[:10]]


def _noted(payload: Mapping[str, Any], made: Any) -> list[OwnWrite]:
    """Return what is noted of a write, where its app tells versions by numbers."""
    revision = whole(made["version"]) if made["version"] is not None else None
    wrote = {key: value for key, value in made["values"].items() if key in payload["values"]}
    return [] if revision is None else [OwnWrite(made["id"], revision, made["happened"] == "created", wrote)]


def write_of(database: Database, intent: Intent) -> Write:
    kept = intent.payload
    values: dict[FieldId, Value] = {}
    for f in database.fields:
        if f.id in kept["values"]:
            values[f.id] = from_wire(kept["values"][f.id], f.type)
    return Write(kept["kind"], intent.key, kept["id"], values, kept["version"], datetime.fromisoformat(kept["at"]))


def _made(database: Database, intent: Intent, written: Written, found: Collection | None) -> dict[str, Any]:
    """Return what became of a write, as it is kept: the item as it is now, and what would undo that."""
    kept, item = intent.payload, written.item
    values = apps.values_of(item, database) if item else {}
    before = {f.id: from_wire(kept["before"].get(f.id), f.type) for f in database.fields}
    back = undoing(write_of(database, intent), written, before, found.capabilities) if found else None
    undo = None
    if back is not None:
        undo = {"kind": back.kind, "id": back.id, "version": back.version, "values": _wire(back.values), "saw": kept["version"]}
    return {
        "happened": written.happened,
        "id": item.id if item else kept["id"],
        "version": item.version if item else None,
        "title": item.title if item else kept["title"],
        "values": _wire(values) if item else kept["before"],
        "undo": undo,
    }


def _wire(values: Mapping[FieldId, Value]) -> dict[str, Wire]:
    return {key: to_wire(value) for key, value in values.items()}


def source(engine: Engine, space: Space, database: Database) -> Collection:
    """Return the collection that a place is. Raises PermanentError where its connection was removed."""
    assert database.outside
    return engine.account(space, database.outside.connection).collection(database.outside.place)


def calls(engine: Engine, space: Space, database: Database) -> Any:
    """Around calls of the app, at its pace."""
    assert database.outside
    return engine.pacer.calls(space, database.outside.connection)


@dataclass
class At:
    """A line of a run that writes to an app, and what it is given."""

    run: Outside
    line: Writes
    cell: Cell
    carried: Carried
    place: Place
    database: Database

    # What is the same for each of its writes

    def source(self) -> Collection:
        return source(self.run.engine, self.run.space, self.database)

    def calls(self) -> Any:
        return calls(self.run.engine, self.run.space, self.database)

    def write_of(self, intent: Intent) -> Write:
        return write_of(self.database, intent)

    def made(self, intent: Intent, written: Written, found: Collection) -> dict[str, Any]:
        return _made(self.database, intent, written, found)

    def settle(self, t: Transaction, found: Collection, several: Sequence[Intent]) -> None:
        """Note what else there is to know of writes that are done."""
        noted = [one for intent in several for one in _noted(intent.payload, intent.outcome)]
        of, claim = found.ref, self.run.claim
        own_writes.note(t, self.run.space.id, claim.workflow_id, of.account, of.place, noted)

    def payload_of(self, cell: Cell) -> dict[str, Any]:
        """Return what is written of an item that is created."""
        title = writing.title_of(cell.writes, self.database, self.run.context.env)
        return self._payload("create", "", None, title, cell.writes, {})

    # What is planned

    def create(self, known_by: Question | None = None) -> Plan:
        return Plan([One(NEW, self.payload_of(self.cell))], known_by)

    def one_of_a_kind(self, asked: Question, leave: bool) -> Plan:
        """Create what nobody else is creating, and what is not there by now; `leave`: what is there is left as it is."""
        key = self._key(asked)
        wait = self.run.space.transact(lambda t: adding.claim(t, key, self.run.claim, self.line.id))
        if wait is not None:
            raise TransientError(f"another run is just adding the same {self.database.record_word}", min(wait, 1.0))
        found = self.find(asked)
        if not found.count:
            return self.create(asked)
        if leave:
            return Plan([One("", None, self._read(str(found.record)))])
        raise TransientError(f"{self.database.records_word} of {self.database.name} that match have just changed", RETRY_AFTER)

    def update(self, ids: Sequence[RecordId]) -> Plan:
        """Write what differs from what the items have by now."""
        return Plan([self._update(str(id)) for id in ids])

    def _update(self, id: str) -> One:
        slot = _slot(id)
        if slot in self.begun:
            return One(slot, self.begun[slot].payload)
        item = self._read(id)
        there = Held(self.database.id, True, item.id, apps.values_of(item, self.database))
        changed = writing.changed(self.cell.results, there)
        values = {f: v for f, v in changed.items() if not self._is_copy(v, there.values.get(f))}
        before = {f: there.values.get(f) for f in values}
        payload = self._payload("update", item.id, item.version, item.title, values, before) if values else None
        return One(slot, payload, item)

    def _is_copy(self, one: Value, other: Value) -> bool:
        """Say whether a file is a copy of another, since an app keeps one of its own: alike, and the same to the last byte."""
        if not (isinstance(one, File) and isinstance(other, File)):
            return False
        alike = (str(one), one.size, one.kind) == (str(other), other.size, other.kind)
        return alike and self._digest(one) == self._digest(other)

    def _digest(self, file: File) -> bytes:
        run, hasher = self.run, sha256()
        with run.leases.outside(run.space, run.claim):
            for piece in file_content.content(run.engine, run.space, file):
                hasher.update(piece)
        return hasher.digest()

    def delete(self, id: RecordId) -> Plan:
        slot = _slot(str(id))
        if slot in self.begun:
            return Plan([One(slot, self.begun[slot].payload)])
        try:
            item = self._read(str(id))
        except GoneError:  # somebody else did it
            return Plan([])
        before = apps.values_of(item, self.database)
        return Plan([One(slot, self._payload("delete", item.id, item.version, item.title, {}, before))])

    @cached_property
    def begun(self) -> Mapping[str, Intent]:
        """What went out for this line before, or may have, by slot: that is taken up as it was."""
        run = self.run
        if (ahead := run.sent.pop((self.line.id, place_text(self.place)), None)) is not None:
            return {NEW: ahead}
        kept = run.space.read(lambda t: intents.of_line(t, run.claim, self.line.id, place_text(self.place)))
        return {slot: intent for slot, intent in kept.items() if intent.state != "unsent"}

    def look_anew(self) -> None:
        """Let what went out be read again."""
        self.__dict__.pop("begun", None)

    def _payload(
        self,
        kind: WriteKind,
        id: str,
        version: str | None,
        title: str,
        values: Mapping[FieldId, Value],
        before: Mapping[FieldId, Value],
    ) -> dict[str, Any]:
        of = {"kind": kind, "id": id, "version": version, "title": title, "at": datetime.now(UTC).isoformat()}
        return {**of, "values": _wire(values), "before": _wire(before)}

    def held(self, of: str) -> RecordId:
        """Return the item that a line above holds."""
        found = self.carried.records[of].record
        assert found is not None
        return found

    def find(self, asked: Question) -> Answer:
        found = self.run.context.find(asked)
        assert found
        return found

    def _read(self, id: str) -> Item:
        run = self.run
        with run.leases.outside(run.space, run.claim), self.calls():
            return self.source().one(id)

    def _key(self, asked: Question) -> bytes:
        what = [part for c in asked.compared for part in (c.field, str(c.value).casefold())]
        assert self.database.outside
        reached = self.source().ref
        return digest("adding", self.run.space.id, reached.account, reached.place, *what)

    # What is carried out

    def write(self, plan: Callable[[], Plan], answer: Mapping[str, Any]) -> tuple[Wrote | None, str]:
        """Carry the line out: what is recorded of it, or how the run ends or rests here."""
        planned = Plan([One(NEW, self.begun[NEW].payload)]) if NEW in self.begun else plan()
        if [one.slot for one in planned.writes] == [NEW] and not planned.known_by and (new := planned.writes[0].payload):
            planned = Plan([One(NEW, batches.add_ahead(self, NEW, new))])
        done: list[Mapping[str, Any]] = []
        for number, one in enumerate(planned.writes, 1):
            if one.payload is None:
                assert one.item
                done.append(_as_it_is(one.item, self.database))
                continue
            if (kept := self.begun.get(one.slot)) is not None and kept.state == "done":  # as one of a batch, or before
                done.append(kept.outcome)
                continue
            write = WrittenByApp(self.run.engine, self.run.space, self.database, one.payload, one.slot, number)
            made, end = self.run.write_outside(self.line, self.place, self.carried, write, None)
            if end:
                return None, end
            done.append(made)
        if planned.known_by:
            key, found = self._key(planned.known_by), self.source()
            self.run.space.transact(lambda t: adding.added(t, key, found.capabilities.settles))
        wrote = self._recorded(done, answer)
        self.run.record(self.line, self.place, wrote, recording.filled(self.line, self.cell, self.carried))
        return wrote, ""

    def _recorded(self, done: Sequence[Mapping[str, Any]], answer: Mapping[str, Any]) -> Wrote:
        """Return what is recorded of the line, with what undoes it."""
        if not done:
            return Wrote("found_none", self.database.id, self.database.name, count=0, more=answer)
        first, codes = done[0], [CODES[d["happened"]] for d in done]
        code = next((c for c in codes if c != "unchanged"), "unchanged")
        changed = sum(c not in ("unchanged", "there") for c in codes)
        undo = [d["undo"] for d in done if d["undo"]]
        more = {"app": self.database.outside.app if self.database.outside else "", "undo": undo, "stays": self._stays(done)}
        values = {f: v for f, v in first["values"].items() if self.database.field(f) is not None}
        link = values.get(LINK)
        return Wrote(
            code,
            self.database.id,
            self.database.name,
            first["id"] or None,
            first["title"],
            link if isinstance(link, str) else None,
            values,
            changed,
            first["happened"] == "created",
            more={**answer, **more},
        )

    def _stays(self, done: Sequence[Mapping[str, Any]]) -> str:
        """Return what can’t be undone, as a sentence."""
        left = [d for d in done if d["undo"] is None and CODES[d["happened"]] not in ("unchanged", "there", "found_none")]
        if not left:
            return ""
        said = f"1 {self.database.record_word} was" if len(left) == 1 else f"{len(left)} {self.database.records_word} were"
        return f"{said} {CODES[left[0]['happened']]} in {self.database.name} and can’t be undone."


def _slot(id: str) -> str:
    return digest("item", id).hex()


def _as_it_is(item: Item, database: Database) -> dict[str, Any]:
    values = _wire(apps.values_of(item, database))
    return {"happened": "unchanged", "id": item.id, "title": item.title, "values": values, "undo": None}


def may(engine: Engine, space: Space, line: Writes) -> list[Finding]:
    """Return what stands against a line that writes to an app. Raises TransientError, PermanentError."""
    if not isinstance(line, Adds) or not is_outside(line.database):
        return []
    database = space.read(lambda t: places.get(t, space.id, line.database or 0))
    if database is None or database.outside is None:
        return []
    of = database.outside
    account = engine.account(space, of.connection)
    with calls(engine, space, database):
        health = account.check()
    if of.place not in {p.id for p in health.places}:
        said = f"the {of.place_word} “{database.name}” is no longer shared with this connection. Choose another"
        return [Finding(line.id, said, key="database")]
    if not health.may_write:
        said = f"this connection can only read in {of.app_name}. Change its access, and allow it to add {of.items_word}"
        return [Finding(line.id, said, key="database")]
    return []
