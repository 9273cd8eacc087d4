"""Files that are given by their links: fetched when a run writes them, and kept from then on. Of which kind one is, its content
says; a web page that stands where a file was meant is recognised."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import filetype

from kelvix.core import file_name
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError
from kelvix.core.outcome import ChangeRecord
from kelvix.core.values import File, Value
from kelvix.engine import fetching
from kelvix.engine.engine import Engine
from kelvix.store import kept_files
from kelvix.store.directory import Space

MAX_BYTES = 25 << 20
HEADERS = {"accept": "*/*", "user-agent": "Kelvix", "accept-encoding": "gzip, deflate"}
PAGES = (".html", ".htm", ".xhtml")
BEGINNINGS = (b"<!doctype html", b"<html")
TEXT, UNKNOWN = "text/plain", "application/octet-stream"


@dataclass(frozen=True)
class Fetched:
    name: str
    kind: str
    content: bytes


def fetch(engine: Engine, file: File) -> Fetched:
    """Fetch a file by its link. Raises TransientError, PermanentError."""
    answer, url = fetching.fetch(engine, file.place[1], HEADERS, MAX_BYTES + 1, "file")
    if len(answer.content) > MAX_BYTES:
        raise PermanentError(f"the file behind the link is larger than {MAX_BYTES >> 20} MB", "item")
    name = file_name.clean(answer.name or File.linked(url) or str(file))
    if is_page(answer.content) and not name.lower().endswith(PAGES):
        raise PermanentError("the link leads to a web page, not to a file. Use the link that downloads the file itself", "item")
    kind = kind_of(answer.content, name)
    found = filetype.guess(answer.content)
    return Fetched(name if "." in name or found is None else f"{name}.{found.extension}", kind, answer.content)


def kind_of(content: bytes, name: str) -> str:
    """Return the media type that a content is of; by its name only where the content does not say, and that can be."""
    found = filetype.guess(content)
    if found is not None:
        return str(found.mime)
    named, is_text = file_name.kind(name), b"\0" not in content[:8192]
    if named.startswith("text/") or named.endswith(("json", "xml")):
        return named if is_text else UNKNOWN
    return TEXT if is_text and filetype.get_type(mime=named) is None else UNKNOWN


def is_page(content: bytes) -> bool:
    return content[:1024].removeprefix(b"\xef\xbb\xbf").lstrip().lower().startswith(BEGINNINGS)


def kept(engine: Engine, space: Space, cell: Cell) -> Cell:
    """Return what a line would write to a record, with files that are given by links fetched and kept."""
    would = cell.would
    if not isinstance(would, ChangeRecord) or not any(map(_has_link, (would.values or {}).values())):
        return cell
    known: dict[str, File] = {}

    def keep(file: File) -> File:
        if file.source not in known:
            found = fetch(engine, file)
            known[file.source] = kept_files.keep(space, found.name, found.kind, [found.content])
        return known[file.source]

    def of(value: Value) -> Any:
        if isinstance(value, tuple):
            return tuple(map(of, value))
        return keep(value) if _has_link(value) and isinstance(value, File) else value

    values = {field: of(value) for field, value in (would.values or {}).items()}
    results = tuple(replace(r, value=values.get(r.field, r.value)) for r in cell.results)
    return replace(cell, would=replace(would, values=values), results=results)


def _has_link(value: Value) -> bool:
    several = value if isinstance(value, tuple) else (value,)
    return any(isinstance(one, File) and one.is_linked for one in several)
