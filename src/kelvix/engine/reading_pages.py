"""Reading pages of the web by their addresses, for people who keep them. Public addresses only, at each step of a redirect."""

from __future__ import annotations

from decimal import Decimal
from urllib.parse import urljoin

from kelvix.connectors import guarded_http
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.fields.link import split_address
from kelvix.core.values import Value
from kelvix.engine.engine import Engine
from kelvix.formats import article
from kelvix.formats.article import Article
from kelvix.readers import contents

MAX_MOVES = 4
HEADERS = {"accept": "text/html,application/xhtml+xml", "user-agent": "Kelvix", "accept-encoding": "gzip, deflate"}


def fetch(engine: Engine, address: str) -> Article:
    """Fetch and read a page. Raises TransientError, PermanentError, whose messages are sentences."""
    url = article.without_tracking(address)
    for _ in range(MAX_MOVES + 1):
        parts = split_address(url)
        if parts is None or parts.scheme not in ("http", "https"):
            raise PermanentError("the page leads to an address that is none of the web", "address")
        target = guarded_http.resolve(url, engine.settings.may_reach)
        try:
            answer = guarded_http.send("GET", target, HEADERS, None, article.MAX_BYTES)
        except UnknownOutcomeError as unanswered:
            raise TransientError(str(unanswered)) from None
        if not answer.moved_to:
            break
        try:
            url = urljoin(url, answer.moved_to)
        except ValueError:
            raise PermanentError("the page leads to an address that is none of the web", "address") from None
    else:
        raise PermanentError(f"the page leads from one address to another more than {MAX_MOVES} times", "address")
    if answer.status >= 400:
        raise PermanentError(f"{target.host} answered that there is no such page ({answer.status})", "address")
    return contents.article(answer.content, url, answer.charset)


def about(page: Article) -> dict[str, Value]:
    """Return what a page says, by the keys of core/page_fields.py."""
    return {
        "title": page.title or None,
        "author": page.author or None,
        "site": page.site or None,
        "published": page.published,
        "language": page.language or None,
        "minutes": Decimal(page.minutes) if page.minutes else None,
        "picture": page.picture or None,
        "text": page.text or None,
    }
