"""Names of files: what comes from outside never has a path in it, characters that hide or turn letters, or none at all."""

from __future__ import annotations

import mimetypes
import unicodedata
from collections.abc import Container

from pathvalidate import sanitize_filename

from kelvix.core.patterns import pattern

MAX_LENGTH = 180  # characters, so that it fits everywhere even when encoded
NONE = "unnamed"
PARTS = pattern(r"(.+?)((?:\.tar)?\.[A-Za-z0-9]{1,8})", worst=".tar")
UNSEEN = ("Cc", "Cf", "Cs")


def bare(name: str) -> str:
    """Return a name as it may be shown: of a path the last part, without control and direction characters and halves of
    characters (Unicode categories Cc, Cf, Cs). Empty where there is nothing else in it."""
    visible = "".join(c for c in unicodedata.normalize("NFC", name) if unicodedata.category(c) not in UNSEEN)
    return _bounded(visible.strip().rstrip("/\\").replace("\\", "/").rpartition("/")[2].strip(" ."))


def clean(name: str) -> str:
    """Return a name that any system keeps as it is: what one would not take becomes a hyphen."""
    return _bounded(sanitize_filename(bare(name), replacement_text="-", platform="universal").strip(" .")) or NONE


def _bounded(name: str) -> str:
    stem, extension = split(name)
    return stem[: MAX_LENGTH - len(extension)].rstrip() + extension


def split(name: str) -> tuple[str, str]:
    """Return a name and its extension with the point; two of them where the last only says how it is packed."""
    found = PARTS.fullmatch(name)
    return (found[1], found[2]) if found else (name, "")


def kind(name: str) -> str:
    """Return the media type that its extension stands for."""
    return mimetypes.guess_type(name)[0] or "application/octet-stream"


def with_extension(name: str, like: str) -> str:
    """Return a name that ends as another does: what is typed as a name seldom says what kind of file it is."""
    extension = split(like)[1]
    if not extension or name.casefold().endswith(extension.casefold()):
        return clean(name)
    return clean(name) + extension


def free(name: str, taken: Container[str]) -> str:
    """Return the name, or the first with a number that is not taken. `taken` are names without regard to case."""
    stem, extension = split(name)
    number, found = 1, name
    while found.casefold() in taken:
        number += 1
        found = f"{stem} ({number}){extension}"
    return found
