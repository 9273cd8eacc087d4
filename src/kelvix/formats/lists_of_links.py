"""Lists of links in open formats: feeds (RSS, Atom: RFC 4287, JSON Feed 1.1), OPML 2.0, bookmark files (the Netscape format).

XML that declares entities is refused before it is parsed: it may unpack to more than there is memory for, or read files.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from html import escape
from io import BytesIO
from typing import IO, Any

import feedparser
from defusedxml import DefusedXmlException
from defusedxml import ElementTree as ET
from lxml import etree
from lxml import html as lxml_html

from kelvix.core.fields.link import split_address
from kelvix.formats import article, html_text

MAX_BYTES = 20 << 20
MAX_LINKS = 20_000
MAX_LAID_OUT = 500  # links whose texts keep headings and lists, which takes some milliseconds for each
DEEPEST = 100


class Unreadable(ValueError):
    """The message is a sentence."""


@dataclass(frozen=True)
class Link:
    """`tags` are its own, and the folders in which it lies."""

    address: str
    title: str = ""
    at: datetime | None = None
    tags: tuple[str, ...] = ()
    text: str = ""
    author: str = ""


def read_file(file: IO[bytes], as_text: bool = False) -> list[Link]:
    """Read the links of an open file; `as_text`: their texts as plain text, with headings and lists where there are not too
    many to lay out. Raises Unreadable."""
    found = read(file.read(MAX_BYTES + 1))
    if not as_text:
        return found
    laid_out = len(found) <= MAX_LAID_OUT
    return [replace(link, text=_as_text(link, laid_out)) if link.text else link for link in found]


def _as_text(link: Link, laid_out: bool) -> str:
    page = f"<html><head><title>{escape(link.title)}</title></head><body><article>{link.text}</article></body></html>"
    return (laid_out and article.read(page).text) or html_text.html_to_text(link.text)


def read(content: bytes) -> list[Link]:
    """Return the links of a file, whichever of the formats it has; only those to the web. Raises Unreadable."""
    if len(content) > MAX_BYTES:
        raise Unreadable(f"this file is larger than {MAX_BYTES >> 20} MB")
    head = content[:4000].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if head.startswith(b"{"):
        found = _json_feed(content)
    elif b"netscape-bookmark-file" in head or (b"<dl" in content[:20_000].lower() and b"<a " in content.lower()):
        found = list(_bookmarks(content))
    elif b"<opml" in head:
        found = list(_opml(content))
    elif head.startswith(b"<"):
        found = _feed(content)
    else:
        raise Unreadable("this is not a feed, an OPML or a bookmark file")
    return [link for link in found if _is_of_the_web(link.address)][:MAX_LINKS]


def _is_of_the_web(address: str) -> bool:
    parts = split_address(address.strip())
    return parts is not None and parts.scheme in ("http", "https") and bool(parts.netloc) and address.strip().isprintable()


def _line(raw: object) -> str:
    return " ".join(str(raw or "").split())[:1000]


def _feed(content: bytes) -> list[Link]:
    if b"<!entity" in content.lower():
        raise Unreadable("this XML declares entities, which is not allowed")
    found = feedparser.parse(BytesIO(content), sanitize_html=True, resolve_relative_uris=True)
    if not found.entries and (found.bozo or not found.version):
        raise Unreadable("this feed can’t be read")
    return [
        Link(
            e.get("link", ""),
            _line(e.get("title")),
            _when(e.get("published_parsed") or e.get("updated_parsed")),
            tuple(_line(t.get("term")) for t in e.get("tags", []) if t.get("term")),
            (e.get("content") or [{}])[0].get("value", "") or e.get("summary", ""),
            _line(e.get("author")),
        )
        for e in found.entries
    ]


def _when(parts: Any) -> datetime | None:
    if not parts:
        return None
    try:
        year, month, day, hour, minute, second = parts[:6]
        return datetime(year, month, day, hour, minute, min(second, 59), tzinfo=UTC)
    except (TypeError, ValueError):
        return None


def _json_feed(content: bytes) -> list[Link]:
    try:
        feed = json.loads(content)
        items = feed["items"]
        if not str(feed["version"]).startswith("https://jsonfeed.org/version/") or not isinstance(items, list):
            raise Unreadable("this JSON is not a JSON Feed: its version is missing")
    except (ValueError, KeyError, TypeError, RecursionError):
        raise Unreadable("this JSON is not a JSON Feed") from None
    return [
        Link(
            str(i.get("url") or i.get("external_url") or ""),
            _line(i.get("title")),
            _iso(i.get("date_published")),
            tuple(_line(t) for t in _list(i.get("tags"))),
            str(i.get("content_html") or i.get("content_text") or i.get("summary") or ""),
            _names(i.get("authors") or feed.get("authors")),
        )
        for i in items
        if isinstance(i, dict)
    ]


def _list(raw: object) -> list[Any]:
    return raw if isinstance(raw, list) else []


def _names(authors: object) -> str:
    return ", ".join(_line(a["name"]) for a in _list(authors) if isinstance(a, dict) and a.get("name"))


def _iso(raw: object) -> datetime | None:
    try:
        at = datetime.fromisoformat(str(raw))
    except ValueError:
        return None
    return at if at.tzinfo else at.replace(tzinfo=UTC)


def _opml(content: bytes) -> Iterator[Link]:
    """Outlines that have an address, under the names of those around them (OPML 2.0: xmlUrl, htmlUrl, url)."""
    try:
        root = ET.fromstring(content)
    except (ET.ParseError, DefusedXmlException, ValueError):
        raise Unreadable("this OPML can’t be read: it is not well formed, or declares entities") from None

    def walk(outline: Any, above: tuple[str, ...], depth: int) -> Iterator[Link]:
        if depth > DEEPEST:
            raise Unreadable(f"this OPML is nested more than {DEEPEST} levels deep")
        for one in outline.findall("outline"):
            name = _line(one.get("title") or one.get("text"))
            address = one.get("htmlUrl") or one.get("url") or one.get("xmlUrl") or ""
            if address:
                tags = tuple(t.strip().strip("/") for t in (one.get("category") or "").split(",") if t.strip())
                yield Link(address, name, None, (*above, *tags))
            yield from walk(one, (*above, name) if name and not address else above, depth + 1)

    body = root.find("body")
    if body is None:
        raise Unreadable("this OPML has no body")
    yield from walk(body, (), 0)


def _bookmarks(content: bytes) -> Iterator[Link]:
    """By lxml: Python's own parser needs time by the square of what is never closed."""
    try:
        root = lxml_html.fromstring(content, parser=lxml_html.HTMLParser(encoding="utf-8", no_network=True))
    except (etree.ParserError, etree.XMLSyntaxError, ValueError):
        return
    folders: list[str] = []
    pending = ""  # the name of the folder that opens next
    last: Link | None = None
    for event, element in etree.iterwalk(root, events=("start", "end"), tag=("dl", "h3", "a", "dd")):
        if element.tag == "dl" and event == "start":
            folders.append(pending)
            pending = ""
        elif element.tag == "dl":
            folders.pop()
        elif element.tag == "h3" and event == "end":
            pending = _line(element.text_content())
        elif element.tag == "dd" and event == "start" and last is not None:
            last = replace(last, text=(element.text or "").strip())
        elif element.tag == "a" and event == "end":
            if last is not None:
                yield last
            last = _bookmark(element, tuple(f for f in folders if f))
    if last is not None:
        yield last


def _bookmark(element: Any, folders: tuple[str, ...]) -> Link:
    at = element.get("add_date") or ""
    when = datetime.fromtimestamp(int(at), UTC) if at.isascii() and at.isdecimal() and len(at) <= 10 else None
    tags = tuple(t.strip() for t in (element.get("tags") or "").split(",") if t.strip())
    return Link(element.get("href") or "", _line(element.text_content()), when, (*folders, *tags))
