"""Files that hold secrets: written beside, synced and renamed, so that one is whole or not there. An empty one is refused: it
was cut short, and what it protects could not be told from what nothing protects."""

from __future__ import annotations

import os
import pathlib


def write(path: pathlib.Path, text: str) -> None:
    """Write a file that only its owner reads. Raises OSError, and leaves the file as it was."""
    assert text
    beside = path.with_name(f"{path.name}.new")
    descriptor = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    try:
        with os.fdopen(descriptor, "w") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        os.rename(beside, path)
    except OSError:
        beside.unlink(missing_ok=True)
        raise
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def read(path: pathlib.Path, what: str) -> str | None:
    """Read a secret; none where there is no file. Raises SystemExit for an empty one."""
    if not path.exists():
        return None
    text = path.read_text().strip()
    if not text:
        raise SystemExit(f"kelvix: {path} is empty, and should hold {what}. Restore it from a backup of the data folder.")
    return text
