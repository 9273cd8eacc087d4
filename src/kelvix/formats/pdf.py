"""What a PDF says: its title, its text, and what readers highlighted and noted in it. Read by pypdf, from a file on disk; what
lies under a highlight by pdfplumber, in a reader child."""

from __future__ import annotations

import time
from dataclasses import dataclass
from io import BufferedReader
from typing import IO, TYPE_CHECKING, Any, cast

import structlog
from pypdf import Configuration, PageObject, PdfReader, apply_configuration

if TYPE_CHECKING:
    from kelvix.formats.pdf_characters import Places

MAX_PAGES = 300
MAX_TEXT = 400_000  # characters
MAX_STREAM = 8 << 20  # bytes of one stream, unpacked: what unpacks to more is not read
MAX_SECONDS = 12.0  # for which pages are read
LIMITS = Configuration(
    zlib_maximum_output_length=MAX_STREAM,
    lzw_maximum_output_length=MAX_STREAM,
    run_length_maximum_output_length=MAX_STREAM,
    array_based_stream_maximum_output_length=MAX_STREAM,
    jbig2_maximum_output_length=MAX_STREAM,
)
log = structlog.stdlib.get_logger(__name__)


@dataclass(frozen=True)
class Highlight:
    """A marked piece of text with what was noted beside it, or a note that stands alone (`text` is empty then)."""

    page: int
    text: str
    note: str = ""


@dataclass(frozen=True)
class Pdf:
    title: str = ""
    author: str = ""
    pages: int = 0
    text: str = ""
    highlights: tuple[Highlight, ...] = ()
    problem: str = ""


def read(file: IO[bytes]) -> Pdf:
    """Never raises: what cannot be read is said in `problem`, and the rest is given all the same."""
    with apply_configuration(LIMITS):
        return _read(file)


def _read(file: IO[bytes]) -> Pdf:
    until = time.monotonic() + MAX_SECONDS
    try:
        reader = PdfReader(file, strict=False)
        if reader.is_encrypted and not reader.decrypt(""):
            return Pdf(problem="it is protected by a password")
        about = reader.metadata
        pages = len(reader.pages)
    except Exception as error:
        log.info("a PDF can’t be read", why=str(error)[:200])
        return Pdf(problem="it is damaged, or not a PDF")
    texts: list[str] = []
    marks: list[Highlight] = []
    problem = ""
    size = 0
    for number in range(min(pages, MAX_PAGES)):
        try:
            page = reader.pages[number]
            text = page.extract_text().strip()
            marks += _highlights(file, page, number)
        except Exception as error:
            log.info("a page of a PDF can’t be read", page=number + 1, why=str(error)[:200])
            problem = problem or f"page {number + 1} can’t be read"
            continue
        texts.append(text)
        size += len(text)
        if time.monotonic() > until:
            problem = problem or f"only its first {number + 1} pages were read; the others took too long"
            break
        if size > MAX_TEXT:
            problem = problem or f"only its first {MAX_TEXT:,} characters were read"
            break
    if pages > MAX_PAGES:
        problem = problem or f"only its first {MAX_PAGES} pages were read"
    return Pdf(
        _word(about.title if about else None),
        _word(about.author if about else None),
        pages,
        "\n\n".join(t for t in texts if t)[:MAX_TEXT],
        tuple(marks),
        problem,
    )


def _word(raw: object) -> str:
    return " ".join(str(raw).split())[:500] if raw else ""


def _highlights(file: IO[bytes], page: PageObject, index: int) -> list[Highlight]:
    """Annotations of ISO 32000-1, 12.5.6.10 (text markup) and 12.5.6.4 (notes)."""
    found: list[Highlight] = []
    standing: Places | None = None
    for entry in page.annotations or []:
        mark: Any = entry.get_object()
        kind, note = mark.get("/Subtype"), _word(mark.get("/Contents"))
        if kind in ("/Highlight", "/Underline", "/Squiggly", "/StrikeOut"):
            if standing is None:
                from kelvix.formats.pdf_characters import places

                standing = places(cast(BufferedReader, file), index)
            if (text := standing.under(_quads(mark))[:5000]) or note:
                found.append(Highlight(index + 1, text, note))
        elif kind in ("/Text", "/FreeText") and note:
            found.append(Highlight(index + 1, "", note))
    return found


def _quads(mark: Any) -> list[list[float]]:
    """Return what a markup covers: quadrilaterals, each given by eight numbers; else its rectangle."""
    raw = [float(n) for n in mark.get("/QuadPoints", mark.get("/Rect", []))]
    return [raw[i : i + 8] for i in range(0, len(raw) - 7, 8)] or ([raw] if len(raw) == 4 else [])
