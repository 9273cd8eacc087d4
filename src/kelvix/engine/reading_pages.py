"""Reading pages of the web by their addresses, for people who keep them. Public addresses only, at each step of a redirect."""

from __future__ import annotations

from decimal import Decimal

from kelvix.core.values import Value
from kelvix.engine import fetching
from kelvix.engine.engine import Engine
from kelvix.formats import article
from kelvix.formats.article import Article
from kelvix.readers import contents

HEADERS = {"accept": "text/html,application/xhtml+xml", "user-agent": "Kelvix", "accept-encoding": "gzip, deflate"}


def fetch(engine: Engine, address: str) -> Article:
    """Fetch and read a page. Raises TransientError, PermanentError, whose messages are sentences."""
    url = article.without_tracking(address)
    answer, url = fetching.fetch(engine, url, HEADERS, article.MAX_BYTES, "page")
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
