"""Databases of ours as collections: records are items, and the log of changes says what became of them.

A write is kept with its key, in the same commit, so that it is done once however often it is asked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from hashlib import sha256
from typing import cast

from kelvix.collections import write as records_writing
from kelvix.collections.write import Actor, NotAllowed
from kelvix.core.collection import (
    Capabilities,
    Change,
    ChangeKind,
    Changes,
    Collection,
    ConflictError,
    GoneError,
    Happened,
    Item,
    Page,
    PermanentError,
    Ref,
    Schema,
    Write,
    Written,
)
from kelvix.core.not_found import NotFoundError
from kelvix.core.operators import OPERATORS
from kelvix.core.query import Query
from kelvix.core.schema import TEXT_FIELD, Database
from kelvix.core.values import Unfit, as_text, whole
from kelvix.store import changes, databases, mirror_intents, query, records
from kelvix.store.changes import Change as Logged
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Record

BATCH_SIZE = 200  # changes of a workspace that are looked at
KINDS: Mapping[str, ChangeKind] = {"add": "added", "restore": "added", "delete": "deleted"}  # all others change a record
CAPABILITIES = Capabilities(
    told=frozenset(("added", "changed", "deleted")),
    told_between=True,
    operators=frozenset(OPERATORS),
    orders=True,
)
WRITES = replace(
    CAPABILITIES, keys=True, versions=True, writes=frozenset(("create", "update", "delete", "restore"))
)  # for whoever may write


class Records(Collection):
    """The records of a database. `address` is where Kelvix is reached, for their links. `actor`: who writes; without one they
    are only read."""

    capabilities = WRITES
    reach = "Includes every record now in this database, but not those in the trash."

    def __init__(self, space: Space, database: Database, address: str, actor: Actor | None = None):
        self.space, self.database, self.address, self.actor = space, database, address, actor
        self.capabilities = WRITES if actor is not None and actor.may_write else CAPABILITIES
        self.ref = Ref(f"kelvix:{space.id}", str(database.id))

    def schema(self) -> Schema:
        fields = self.database.fields
        body = TEXT_FIELD if self.database.field(TEXT_FIELD) else None
        return Schema(fields, sha256(repr(fields).encode()).hexdigest(), title=fields[0].id, body=body)

    def one(self, id: str) -> Item:
        found = self.get((id,)).get(id)
        if found is None:
            raise GoneError(f"{self.database.name} has record not found any more")
        return found

    def get(self, ids: Sequence[str]) -> dict[str, Item]:
        numbers = [n for id in ids if (n := whole(id)) is not None]
        found = self.space.read(lambda t: records.many(t, self.database, numbers))
        return {str(record.id): self.item(record) for record in found}

    def query(self, asked: Query) -> Page:
        found, after = self.space.read(lambda t: query.page(t, self.database, asked, self.space.zone))
        return Page(tuple(map(self.item, found)), after, after is None)

    def head(self) -> str:
        return str(self.space.read(lambda t: changes.last(t, self.space.id)))

    def changes(self, cursor: str) -> Changes:
        found = self.space.read(lambda t: changes.after(t, self.space.id, int(cursor), BATCH_SIZE))
        return Changes(self.of_log(found), str(found[-1].seq) if found else cursor, len(found) == BATCH_SIZE)

    def make_choice(self, field: str, name: str, key: str) -> None:
        try:
            databases.add_choice(self.space, self.database, field, name)
        except (databases.Refused, NotFoundError) as error:
            raise PermanentError(str(error), "call") from None
        self.database = self.space.read(lambda t: databases.get(t, self.space.id, self.database.id)) or self.database

    def write(self, write: Write) -> Written:
        try:
            happened, record_id = self.space.transact(lambda t: self._write(t, write))
        except NotFoundError as error:
            raise GoneError(str(error)) from None
        except (Unfit, NotAllowed) as error:
            raise PermanentError(str(error), "call") from None
        return Written(happened, self.get((str(record_id),)).get(str(record_id)))

    def _write(self, t: Transaction, write: Write) -> tuple[Happened, int]:
        """Write within a transaction, once for each key."""
        if self.actor is None:
            raise PermanentError("this can only be read", "call")
        if (known := mirror_intents.written(t, self.space.id, write.key)) is not None:
            return cast(Happened, known[1]), known[0]
        place = (t, self.space.id, self.database)
        actor = replace(self.actor, origin=replace(self.actor.origin, editor=write.editor or None))
        record_id = whole(write.id) or 0
        happened: Happened
        match write.kind:
            case "create":
                record_id, _ = records_writing.add(*place, write.values, actor)
                happened = "created"
            case "update":
                record = records.get(t, self.database, record_id, lock=True)
                if record is None:
                    raise GoneError("the record is not there any more")
                if write.version is not None and str(record.version) != write.version:
                    raise ConflictError("the record was changed meanwhile")
                happened = "updated"
                if any(record.values.get(f) != value for f, value in write.values.items()):
                    records_writing.change(*place, record, write.values, actor)
                else:
                    happened = "unchanged"
            case "delete":
                happened = self._delete(t, record_id, write.version)
            case "restore":
                records_writing.restore(*place, record_id, self.actor)
                happened = "restored"
        mirror_intents.note_written(t, self.space.id, write.key, record_id, happened)
        return happened, record_id

    def _delete(self, t: Transaction, record_id: int, version: str | None) -> Happened:
        assert self.actor is not None
        record = records.get(t, self.database, record_id, lock=True)
        if record is None:
            return "already_gone"
        if version is not None and str(record.version) != version:
            raise ConflictError("the record was changed meanwhile")
        records_writing.delete(t, self.space.id, self.database, record_id, self.actor)
        return "deleted"

    def of_log(self, logged: Sequence[Logged]) -> tuple[Change, ...]:
        """Return what became of its records, of changes that were read of the workspace's log, once for whoever listens."""
        return tuple(self._change(c) for c in logged if c.database_id == self.database.id)

    def item(self, record: Record) -> Item:
        """Return a record as an item."""
        return Item(
            str(record.id),
            str(record.version),
            record.values,
            as_text(record.values.get(self.database.fields[0].id), self.space.zone),
            f"{self.address}/databases/{self.database.id}/{record.id}",
            str(self.database.id),
            self.database.name,
            record.created_at,
            changed=record.changed_at,
            created_by=record.created_by or "",
            changed_by=record.changed_by or "",
        )

    def _change(self, change: Logged) -> Change:
        before, after = (changes.values(kept, self.database) for kept in (change.before, change.after))
        kind = KINDS.get(change.kind, "changed")
        return Change(str(change.record_id), kind, change.kind, change.seq, change.at, before, after, change.origin)
