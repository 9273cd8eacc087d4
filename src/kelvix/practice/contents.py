"""What files contain, each kept once under the digest of its bytes, on disk: nothing is held whole in memory."""

from __future__ import annotations

import hashlib
import os
import pathlib
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from urllib.parse import quote

import anyio.from_thread
from fastapi import HTTPException, Request, UploadFile
from fastapi.responses import StreamingResponse

PIECE = 1 << 20  # bytes


@dataclass(frozen=True)
class Kept:
    """`digest` is the SHA-256 of the bytes, in hexadecimal digits."""

    digest: str
    size: int


class Contents:
    def __init__(self, folder: pathlib.Path):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def keep(self, chunks: Iterable[bytes]) -> Kept:
        """Keep what comes, chunk by chunk. What is cut short leaves nothing behind."""
        hasher, size = hashlib.sha256(), 0
        with tempfile.NamedTemporaryFile(dir=self.folder, prefix="coming-", delete=False) as coming:
            try:
                for chunk in chunks:
                    hasher.update(chunk)
                    size += len(chunk)
                    coming.write(chunk)
            except BaseException:
                os.unlink(coming.name)
                raise
        os.replace(coming.name, self._path(hasher.hexdigest()))
        return Kept(hasher.hexdigest(), size)

    def size(self, digest: str) -> int | None:
        """Return how long a content is, in bytes; None where it is not kept here."""
        try:
            return self._path(digest).stat().st_size
        except (OSError, ValueError):
            return None

    def read(self, digest: str) -> Iterator[bytes]:
        with self._path(digest).open("rb") as file:
            while chunk := file.read(PIECE):
                yield chunk

    def _path(self, digest: str) -> pathlib.Path:
        if len(digest) != 64 or not all(c in "0123456789abcdef" for c in digest):
            raise ValueError("not a digest")
        return self.folder / digest

    def download(self, name: str, digest: str, size: int) -> StreamingResponse:
        """Return what is kept, to be saved under a name (RFC 6266)."""
        headers = {"content-length": str(size), "content-disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
        return StreamingResponse(self.read(digest), media_type="application/octet-stream", headers=headers)


def body_of(request: Request, most: int) -> Iterator[bytes]:
    """Yield a request's body as it comes, read from a thread. Raises HTTPException beyond so many bytes."""
    coming = request.stream()

    async def next_one() -> bytes | None:
        return await anext(coming, None)

    size = 0
    while (chunk := anyio.from_thread.run(next_one)) is not None:
        size += len(chunk)
        if size > most:
            raise HTTPException(413, f"a file has at most {most >> 20:,} MB")
        yield chunk


def pieces(file: UploadFile) -> Iterator[bytes]:
    """Yield what was uploaded, a piece at a time."""
    while chunk := file.file.read(PIECE):
        yield chunk
