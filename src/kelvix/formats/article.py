"""What a web page says as an article: title, author, site, date, language, lead picture, and its main text as Markdown. Read by
trafilatura (which reads Open Graph, JSON-LD and schema.org); what a page asks to be run is left out."""

from __future__ import annotations

import codecs
import math
from dataclasses import dataclass
from datetime import date
from typing import IO

import structlog
from courlan import clean_url
from lxml import html as lxml_html
from trafilatura import extract
from trafilatura.metadata import extract_metadata

from kelvix.core.patterns import Match, pattern
from kelvix.formats.html_text import all_text, is_laborious
from kelvix.formats.rfc5322 import AS_BROWSERS

MAX_BYTES = 8 << 20
MAX_TAGS = 25_000  # of a page whose main text is looked for, which takes seconds then; of one with more, all text is taken
MAX_TEXT = 400_000  # characters
WORDS_A_MINUTE = 238  # silent reading of non-fiction: Brysbaert 2019, a review of 190 studies; from memory
META = pattern(r"(?i)<meta[^>]+charset\s*=\s*[\"']?\s*([\w.:-]+)", worst="<meta ")
LINK = pattern(r"\[([^\]]*)\]\(([^)]*)\)", worst="[")
CHARSET = pattern(r"(?i)charset\s*=\s*\"?([\w.:-]+)", worst="charset ")
ROOT = pattern(r"(?i)<html\b[^>]*>", worst="<html ")
LANGUAGE = pattern(r"[A-Za-z]{2,3}(?:-[A-Za-z0-9]{2,8})*", worst="aa-")
LEADS_ON = ("http:", "https:", "mailto:", "/", "#")
log = structlog.stdlib.get_logger(__name__)


@dataclass(frozen=True)
class Article:
    """`address` is the page's own, without what only tracks; `minutes` to read it, `problem` why it could not be read."""

    title: str = ""
    author: str = ""
    site: str = ""
    published: date | None = None
    language: str = ""
    picture: str = ""
    text: str = ""
    minutes: int = 0
    address: str = ""
    problem: str = ""


def read_file(file: IO[bytes], address: str, charset: str) -> Article:
    """Read a page from an open file; as `read`."""
    return read(file.read(MAX_BYTES + 1), address, charset)


def read(page: bytes | str, address: str = "", charset: str = "") -> Article:
    """`charset` is what the page was sent with, which counts more than what it says itself. Never raises: a page that cannot be
    read gives what is known without it."""
    cleaned = without_tracking(address)
    if not page or len(page) > MAX_BYTES:
        return Article(address=cleaned)
    page = _decoded(page, charset) if isinstance(page, bytes) else page.encode("utf-8", "replace").decode()
    try:
        whole = page if isinstance(page, str) else page.decode("utf-8", "replace")
        if whole.count("<") > MAX_TAGS or is_laborious(whole):
            page, text = _head(whole), all_text(whole)
        else:
            # without comments and tables of links; a recall that keeps short articles whole
            text = extract(page, url=address or None, output_format="markdown", include_links=True, include_comments=False,
                           favor_recall=True) or ""  # fmt: skip
        about = extract_metadata(page, default_url=address or None)
        language = _language(page)
    except Exception as error:
        log.info("a page can’t be read", why=type(error).__name__)
        return Article(address=cleaned)
    text = LINK.sub(_unless_safe, text[:MAX_TEXT])
    first, _, rest = text.partition("\n")
    if about and first.lstrip("# ").strip() == _line(about.title):  # the title again
        text = rest.lstrip()
    words = len(text.split())
    picture = str(about.image or "") if about else ""
    return Article(
        _line(about.title if about else ""),
        _line(about.author if about else ""),
        _line(about.sitename if about else ""),
        _date(about.date if about else None),
        language,
        picture if picture.startswith(("https://", "http://")) else "",
        text,
        math.ceil(words / WORDS_A_MINUTE),
        cleaned,
    )


def without_tracking(address: str) -> str:
    """Return an address without the parts of its query that only tell where one came from, and without its fragment
    (courlan)."""
    bare = address.strip().partition("#")[0]
    if not bare.lower().startswith(("http://", "https://")):
        return bare
    whole = bare.replace(" ", "%20")  # as browsers do (WHATWG URL, path state): the library leaves spaces out
    return str(clean_url(whole) or whole)


def charset_of(content_type: str) -> str:
    """Return the charset that a Content-Type names, if it does."""
    said = CHARSET.search(content_type)
    return said[1] if said else ""


def _decoded(page: bytes, charset: str) -> bytes | str:
    """By a byte order mark, what it was sent with, or its own meta element (WHATWG HTML, "determining the character encoding");
    without any of these, it is left to be guessed. "latin-1" means windows-1252 there, as browsers take it."""
    for mark, name in ((b"\xef\xbb\xbf", "utf-8"), (b"\xfe\xff", "utf-16-be"), (b"\xff\xfe", "utf-16-le")):
        if page.startswith(mark):
            return page[len(mark) :].decode(name, "replace")
    said = META.search(page[:1024].decode("latin-1"))
    for name in (charset, said[1] if said else ""):
        try:
            known = codecs.lookup(name).name if name else ""
        except LookupError:
            continue
        if known:
            return page.decode(AS_BROWSERS.get(name.strip().lower(), known), "replace")
    return page


def _head(page: str) -> str:
    """Return a page with its head only, which says who wrote it and when."""
    begin, end = page[:4000], page[:400_000].lower().find("</head")
    root = ROOT.search(begin)
    return f"{page[:end] if end > 0 else root[0] if root else '<html>'}<body></body></html>"


def _unless_safe(link: Match) -> str:
    """Return a link of a text, or only its words where it would run something."""
    return link[0] if link[2].lower().startswith(LEADS_ON) else link[1]


def _line(raw: object) -> str:
    return " ".join(str(raw or "").split())[:500]


def _date(raw: object) -> date | None:
    try:
        return date.fromisoformat(str(raw)[:10])
    except ValueError:
        return None


def _language(page: bytes | str) -> str:
    """As the page says it: the attribute of its root, else Open Graph's locale; two letters and perhaps a region."""
    root = lxml_html.fromstring(page)
    said = root.get("lang") or root.get("{http://www.w3.org/XML/1998/namespace}lang") or ""
    if not said:
        found = root.xpath("//meta[@property='og:locale']/@content")
        said = str(found[0]).replace("_", "-") if found else ""
    return said if LANGUAGE.fullmatch(said) else ""
