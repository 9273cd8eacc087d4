"""Files that people put into records by hand, in pieces, none of which is held longer than it takes to pass it on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import partial
from itertools import count

from kelvix.core.not_found import NotFoundError
from kelvix.core.values import File
from kelvix.store import usage
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

SOURCE = "kept"  # what stands before the colon where such a file lies
PIECE = 1 << 20  # bytes


def keep(space: Space, name: str, kind: str, content: Iterable[bytes]) -> File:
    """Each piece is a transaction of its own; what breaks off on the way is no file. Raises usage.Full."""
    made = space.transact(
        lambda t: t.insert("INSERT INTO kept_file (workspace_id, name, kind) VALUES (%s,%s,%s)", (space.id, name, kind))
    )
    size = 0
    for number, piece in enumerate(_pieces(content)):
        size += len(piece)
        space.transact(partial(_add_counted, space=space, row=(made, number, piece)))
    space.transact(lambda t: t.execute("UPDATE kept_file SET size=%s, whole=1 WHERE id=%s", (size, made)))
    return File(name, size, kind, f"{SOURCE}:{made}")


def keep_within(t: Transaction, space: Space, name: str, kind: str, content: bytes) -> File:
    """Keep a small file, within the caller's transaction: it is kept with what else that does, or not at all. Raises
    usage.Full."""
    usage.reserve(t, space.id, len(content), space.most_bytes)
    made = t.insert(
        "INSERT INTO kept_file (workspace_id, name, kind, size, whole) VALUES (%s,%s,%s,%s,1)",
        (space.id, name, kind, len(content)),
    )
    for number, piece in enumerate(_pieces((content,))):
        _add_piece(t, (made, number, piece))
    return File(name, len(content), kind, f"{SOURCE}:{made}")


def _add_counted(t: Transaction, space: Space, row: tuple[int, int, bytes]) -> None:
    usage.reserve(t, space.id, len(row[2]), space.most_bytes)
    _add_piece(t, row)
    t.execute("UPDATE kept_file SET size=size+%s WHERE id=%s", (len(row[2]), row[0]))


def _add_piece(t: Transaction, row: tuple[int, int, bytes]) -> None:
    t.execute("INSERT INTO kept_file_piece VALUES (%s,%s,%s)", row)


def _pieces(content: Iterable[bytes]) -> Iterator[bytes]:
    gathered = bytearray()
    for part in content:
        gathered += part
        while len(gathered) >= PIECE:
            yield bytes(gathered[:PIECE])
            del gathered[:PIECE]
    if gathered:
        yield bytes(gathered)


def get(t: Transaction, workspace_id: int, source: str) -> File | None:
    """Return the file that lies there, if it is one of this workspace."""
    code, _, number = source.partition(":")
    if code != SOURCE or not number.isdecimal():
        return None
    row = t.row(
        "SELECT name, size, kind FROM kept_file WHERE workspace_id=%s AND id=%s AND whole=1", (workspace_id, int(number))
    )
    return File(row["name"], row["size"], row["kind"], source) if row else None


def content(space: Space, file: File) -> Iterator[bytes]:
    """Yield what a file contains. Raises NotFoundError where there is no such file."""
    if space.read(lambda t: get(t, space.id, file.source)) is None:
        raise NotFoundError("file not found")
    file_id = int(file.source.partition(":")[2])
    for number in count():
        piece = space.read(partial(_piece, file_id=file_id, number=number))
        if piece is None:
            return
        yield piece


def _piece(t: Transaction, file_id: int, number: int) -> bytes | None:
    row = t.row("SELECT content FROM kept_file_piece WHERE file_id=%s AND number=%s", (file_id, number))
    return row["content"] if row else None


def forget_broken_off(t: Transaction) -> None:
    """Delete what was begun a day ago and is not whole."""
    rows = t.rows(
        "SELECT id, workspace_id, size FROM kept_file WHERE whole=0 AND created_at < NOW(3) - INTERVAL 1 DAY LIMIT 20"
    )
    for row in rows:
        t.execute("DELETE FROM kept_file_piece WHERE file_id=%s", (row["id"],))
        t.execute("DELETE FROM kept_file WHERE id=%s", (row["id"],))
        usage.give_back(t, row["workspace_id"], row["size"])
