"""Names of files, and parts of web addresses."""

from __future__ import annotations

import unicodedata

from pathvalidate import sanitize_filename
from slugify import slugify

from kelvix.core.feel.added.language import GROUP
from kelvix.core.feel.builtin import BUILTINS, STRING, Param
from kelvix.core.patterns import LETTER, pattern

TEXT = [Param("text", STRING)]
PARTS = pattern(rf"(?s)(.+?)(\.tar\.{LETTER}{{1,5}}|\.{LETTER}{{1,10}})?", worst=".tar")
MAX_NAME = 240  # bytes of a file's name, so that a number can still be added


def _file(path: str) -> tuple[str, str]:
    """Return the stem and the extension of a file's name. A name that begins with a point has no extension; .tar.gz is one."""
    name = path.strip().replace("\\", "/").rpartition("/")[2]
    found = PARTS.fullmatch(name)
    return (found[1], (found[2] or "")[1:]) if found else ("", "")


@BUILTINS.add(
    "file name",
    [Param("path", STRING)],
    STRING,
    "The file's name at the end of a path or link.",
    'file name("drawings/organ.pdf")',
    '"organ.pdf"',
    GROUP,
    added=True,
)
def file_name(path: str) -> str:
    stem, extension = _file(path.partition("?")[0].partition("#")[0] if "://" in path else path)
    return f"{stem}.{extension}" if extension else stem


@BUILTINS.add(
    "file stem",
    [Param("path", STRING)],
    STRING,
    "A file's name without its extension.",
    'file stem("organ.case.pdf")',
    '"organ.case"',
    GROUP,
    added=True,
)
def file_stem(path: str) -> str:
    return _file(path)[0]


@BUILTINS.add(
    "file extension",
    [Param("path", STRING)],
    STRING,
    "A file's extension in lower case, or null if it has none.",
    'file extension("Organ.PDF")',
    '"pdf"',
    GROUP,
    added=True,
)
def file_extension(path: str) -> str | None:
    return _file(path)[1].lower() or None


@BUILTINS.add(
    "safe file name",
    TEXT,
    STRING,
    "Turns a text into a valid file name on any system: no slashes, colons or control characters, and not too long.",
    'safe file name("Quote: St Bride / 2026?")',
    '"Quote St Bride 2026"',
    GROUP,
    added=True,
)
def safe_file_name(text: str) -> str:
    kept = "".join(" " if c in '\\/:*?"<>|' else c for c in text if unicodedata.category(c) not in ("Cc", "Cf", "Cs", "Co"))
    stem, extension = _file(" ".join(kept.split()).strip(". "))
    while len(stem.encode()) > MAX_NAME - len(extension.encode()):
        stem = stem[:-1]
    made = sanitize_filename(f"{stem.rstrip()}.{extension}" if extension else stem.rstrip(), platform="universal").strip(". ")
    if not made:
        raise ValueError("no characters are left for a file name")
    return made


@BUILTINS.add(
    "slug",
    TEXT,
    STRING,
    "A text as the last part of a web address.",
    'slug("Über die Orgel")',
    '"uber-die-orgel"',
    GROUP,
    added=True,
)
def slug(text: str) -> str:
    return str(slugify(text[:1_000], max_length=200, word_boundary=True))
