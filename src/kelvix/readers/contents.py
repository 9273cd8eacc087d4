"""What files, pages and messages from outside say. Each is read in a reader child; one that cannot be read says so, and is
given with what is known without reading it."""

from __future__ import annotations

from collections.abc import Collection
from typing import IO, Any, cast

from kelvix.formats import article as articles
from kelvix.formats import rfc5322
from kelvix.formats.article import Article
from kelvix.formats.lists_of_links import Link, Unreadable
from kelvix.formats.pdf import Pdf
from kelvix.formats.picture import Picture
from kelvix.formats.rfc5322 import Message
from kelvix.formats.workbook import Book
from kelvix.readers.pool import POOL, NotRead


def pdf(file: IO[bytes]) -> Pdf:
    """Read a PDF from its beginning. Never raises: what is wrong is its `problem`."""
    try:
        return cast(Pdf, POOL.read("pdf", file))
    except NotRead as why:
        return Pdf(problem=str(why))


def picture(file: IO[bytes]) -> Picture | None:
    """Read a picture's size and date. None for what is no picture that can be read."""
    try:
        return cast("Picture | None", POOL.read("picture", file))
    except NotRead:
        return None


def article(page: bytes | str, address: str = "", charset: str = "") -> Article:
    """Read a web page. Never raises: what is wrong is its `problem`."""
    if isinstance(page, str):
        page, charset = page.encode("utf-8", "replace"), "utf-8"
    if not page or len(page) > articles.MAX_BYTES:
        return Article(address=articles.without_tracking(address))
    try:
        return cast(Article, POOL.read_bytes("article", page, address=address, charset=charset))
    except NotRead as why:
        return Article(address=articles.without_tracking(address), problem=str(why))


def message(source: bytes) -> Message:
    """Read a mail message. Never raises: what is wrong is among its `problems`."""
    try:
        return cast(Message, POOL.read_bytes("message", source))
    except NotRead as why:
        return rfc5322.unreadable(source, str(why))


def message_parts(source: bytes, indexes: Collection[int]) -> dict[int, bytes]:
    """Read the contents of those parts with these indexes (`Attachment.index`) that have one. None, if it cannot be read."""
    try:
        return cast("dict[int, bytes]", POOL.read_bytes("message_parts", source, indexes=sorted(indexes)))
    except NotRead:
        return {}


def workbook(content: bytes) -> Book:
    """Read the sheets of a workbook. Never raises: what is wrong is its `problem`."""
    try:
        return cast(Book, POOL.read_bytes("workbook", content))
    except NotRead as why:
        return Book([], problem=str(why))


def edit_workbook(content: bytes, sheet: str, change: dict[str, Any]) -> bytes:
    """Return a workbook with one row changed (`formats/workbook.py`). Raises NotRead."""
    return cast(bytes, POOL.read_bytes("workbook_edit", content, sheet=sheet, change=change))


def links(content: bytes, as_text: bool = False) -> list[Link]:
    """Read the links of a feed, an OPML or a bookmark file; `as_text`: their texts as plain text and Markdown, not as HTML.
    Raises Unreadable."""
    try:
        return cast("list[Link]", POOL.read_bytes("links", content, as_text=as_text))
    except (NotRead, ValueError) as why:
        raise Unreadable(str(why)) from None
