"""Files that records hold: put in by hand, and read from where they lie."""

from __future__ import annotations

from collections.abc import Iterable

from kelvix.core import file_name
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import FieldId, File
from kelvix.store import databases, kept_files, records
from kelvix.store.database_server import Transaction
from kelvix.workspace import Space


def keep(space: Space, name: str, pieces: Iterable[bytes]) -> File:
    """Keep a file, as it comes, for a field of a record."""
    clean = file_name.clean(name)
    return kept_files.keep(space, clean, file_name.kind(clean), pieces)


def of_record(space: Space, database_id: int, record_id: int, field_id: FieldId, place: int) -> File:
    """Return a file of a record; `place` says which one of several, from 0. Raises NotFoundError."""

    def work(t: Transaction) -> object:
        database = databases.get(t, space.id, database_id)
        record = records.get(t, database, record_id) if database else None
        return record.values.get(field_id) if record else None

    value = space.read(work)
    files = value if isinstance(value, tuple) else (value,)
    file = files[place] if place < len(files) else None
    if not isinstance(file, File):
        raise NotFoundError("file not found")
    return file
