"""Names of files: what comes from outside never has a path in it, characters that hide or turn letters, or none at all."""

from __future__ import annotations

import mimetypes
import re
import unicodedata
from collections.abc import Container

from pathvalidate import sanitize_filename

LONGEST = 180  # characters, so that it fits everywhere even when encoded
NONE = "unnamed"
UNSEEN = ("Cc", "Cf", "Cs")


def clean(name: str) -> str:
    """A name that any system keeps as it is. Control and direction characters and halves of characters (Unicode categories
    Cc, Cf, Cs) go; of a path only
    the last part stays; what a system would not take becomes a hyphen."""
    visible = "".join(c for c in unicodedata.normalize("NFC", name) if unicodedata.category(c) not in UNSEEN)
    last = re.split(r"[/\\]", visible.strip().rstrip("/\\"))[-1]
    safe = sanitize_filename(last, replacement_text="-", platform="universal").strip(" .")
    stem, extension = split(safe)
    return (stem[: LONGEST - len(extension)].rstrip() + extension) or NONE


def split(name: str) -> tuple[str, str]:
    """A name and its extension with the point; two of them where the last only says how it is packed."""
    found = re.fullmatch(r"(.+?)((?:\.tar)?\.[A-Za-z0-9]{1,8})", name)
    return (found[1], found[2]) if found else (name, "")


def kind(name: str) -> str:
    """The media type that its extension stands for."""
    return mimetypes.guess_type(name)[0] or "application/octet-stream"


def with_extension(name: str, like: str) -> str:
    """A name that ends as another does: what is typed as a name seldom says what kind of file it is."""
    extension = split(like)[1]
    if not extension or name.casefold().endswith(extension.casefold()):
        return clean(name)
    return clean(name) + extension


def free(name: str, taken: Container[str]) -> str:
    """The name, or the first with a number that is not taken. `taken` are names without regard to case."""
    stem, extension = split(name)
    number, found = 1, name
    while found.casefold() in taken:
        number += 1
        found = f"{stem} ({number}){extension}"
    return found
