"""Finding records by their fields: the answer to a Find line's question, by plain SQL."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from kelvix.core.cells import Answer
from kelvix.core.fields import TYPES
from kelvix.core.finding import MAX_COUNTED, MAX_TAKEN, Question
from kelvix.core.patterns import pattern
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value, fold, whole
from kelvix.store import ddl, keyset, query, records
from kelvix.store.database_server import DatabaseServer, Row, Transaction
from kelvix.store.secrets import digest

LINK = pattern(r"/databases/(?P<database>\d{1,18})/(?P<record>\d{1,18})(?:/page)?/?$", worst="/databases/1/1")


def prepare(server: DatabaseServer, database: Database, fields: Iterable[FieldId]) -> None:
    """Make the indexes that questions about these fields go by."""
    for field_id in fields:
        field = database.field(field_id)
        if field is not None and TYPES[field.type].is_indexed:
            ddl.index(server, database.id, field.id, field.type)


def find_all(t: Transaction, database: Database, question: Question, zone: ZoneInfo) -> list[int]:
    """Return the ids of all records that were meant, in the order asked for, and one more than are counted at most. Raises
    NotFoundError."""
    most = MAX_TAKEN if question.take == "all" else MAX_COUNTED
    return [r["id"] for r in _rows(t, database, question, "id", most + 1, zone)]


def _rows(t: Transaction, database: Database, question: Question, columns: str, limit: int, zone: ZoneInfo) -> list[Row]:
    asked = query.where(database, question.where, zone)
    order, args = "id DESC" if question.take == "newest" else "id", list[object]()
    by = database.readable_field(question.order) if question.order is not None else None
    if by is not None and TYPES[by.type].column is not None:
        order, args = keyset.by([keyset.Key(*keyset.rank(by), descending=question.descending)], tie="id")
    return query.select(t, database, columns, asked, order, limit, of_order=args)


def hold(t: Transaction, workspace_id: int, question: Question) -> bool:
    """Keep others who look for the same by the same fields, to add it if it is not there, waiting until the transaction ends.
    Spellings that the server takes for the same are held as the same. Whether it was held by this transaction before, so that
    what it last found still stands."""
    what = [part for c in question.compared for part in (c.field, _as_the_same(c.value))]
    key = digest("held", workspace_id, question.database, *what)
    if key in t.held:
        return True
    t.held.add(key)
    t.later("INSERT INTO held (digest) VALUES (%s) ON DUPLICATE KEY UPDATE digest=VALUES(digest)", (key,))
    return False


def _as_the_same(value: Value) -> str:
    return "".join(c for c in fold(str(value)) if c.isalnum())


def find(t: Transaction, database: Database, question: Question, zone: ZoneInfo) -> Answer:
    """Scoped by the database, whose workspace the caller has looked up. Raises NotFoundError."""
    if question.identity:
        return _by_identity(t, database, question.identity)
    if question.take == "all":
        return _all(t, database, find_all(t, database, question, zone))
    rows = _rows(t, database, question, records.columns(database), 2, zone)
    now = datetime.now(UTC)
    if not rows:
        return Answer(0, None, {}, now)
    record = records.read(rows[0], database)
    count = (
        1 if len(rows) == 1 else max(2, len(find_all(t, database, question, zone)))
    )  # most questions have one answer or none
    return Answer(count, record.id, record.readable, now)


def _by_identity(t: Transaction, database: Database, text: str) -> Answer:
    """By a record's number, or a link to it, as long as that leads into this database."""
    link = LINK.search(text)
    number = whole(link["record"]) if link and int(link["database"]) == database.id else None if link else whole(text)
    record = records.get(t, database, number) if number is not None else None
    now = datetime.now(UTC)
    return Answer(1, record.id, record.readable, now) if record else Answer(0, None, {}, now)


def _all(t: Transaction, database: Database, ids: list[int]) -> Answer:
    """More than are taken are only counted."""
    found = records.many(t, database, ids) if len(ids) <= MAX_TAKEN else []
    first = found[0] if found else None
    count = len(ids) if len(ids) > MAX_TAKEN else len(found)
    kept = tuple((r.id, r.readable) for r in found)
    return Answer(count, first.id if first else None, first.readable if first else {}, datetime.now(UTC), kept)
