"""What files contain, each kept once under the digest of its bytes, on disk: nothing is held whole in memory."""

from __future__ import annotations

import hashlib
import os
import pathlib
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

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

    def read(self, digest: str) -> Iterator[bytes]:
        with self._path(digest).open("rb") as file:
            while chunk := file.read(PIECE):
                yield chunk

    def _path(self, digest: str) -> pathlib.Path:
        if len(digest) != 64 or not all(c in "0123456789abcdef" for c in digest):
            raise ValueError("not a digest")
        return self.folder / digest
