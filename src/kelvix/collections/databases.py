"""Databases of ours as collections: records are items, and the log of changes says what became of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from hashlib import sha256

from kelvix.core.collection import (
    Capabilities,
    Change,
    ChangeKind,
    Changes,
    Collection,
    GoneError,
    Item,
    Page,
    Ref,
    Schema,
)
from kelvix.core.operators import OPERATORS
from kelvix.core.query import Query
from kelvix.core.schema import TEXT_FIELD, Database
from kelvix.core.values import as_text, whole
from kelvix.store import changes, query, records
from kelvix.store.changes import Change as Logged
from kelvix.store.directory import Space
from kelvix.store.records import Record

BATCH_SIZE = 200  # changes of a workspace that are looked at
KINDS: Mapping[str, ChangeKind] = {"add": "added", "restore": "added", "delete": "deleted"}  # all others change a record
CAPABILITIES = Capabilities(
    told=frozenset(("added", "changed", "deleted")), told_between=True, operators=frozenset(OPERATORS), orders=True
)


class Records(Collection):
    """The records of a database. `address` is where Kelvix is reached, for their links."""

    capabilities = CAPABILITIES
    reach = "Includes every record now in this database, but not those in the trash."

    def __init__(self, space: Space, database: Database, address: str):
        self.space, self.database, self.address = space, database, address
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
