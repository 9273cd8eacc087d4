"""Fetching what addresses of the web lead to, for people who gave them: public addresses only, at each step of a redirect."""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urljoin

from kelvix.connectors import guarded_http
from kelvix.connectors.guarded_http import Answer
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.fields.link import split_address
from kelvix.engine.engine import Engine

MAX_MOVES = 4


def fetch(engine: Engine, address: str, headers: Mapping[str, str], most: int, word: str) -> tuple[Answer, str]:
    """Return an answer, and the address at which it was found. `most`: bytes that are read; `word`: what is expected there.
    Raises TransientError, PermanentError, whose messages are sentences."""
    url = address
    for _ in range(MAX_MOVES + 1):
        parts = split_address(url)
        if parts is None or parts.scheme not in ("http", "https"):
            raise PermanentError(f"the {word} redirects to an address that is not on the web", "address")
        target = guarded_http.resolve(url, engine.settings.may_reach)
        try:
            answer = guarded_http.send("GET", target, dict(headers), None, most)
        except UnknownOutcomeError as unanswered:
            raise TransientError(str(unanswered)) from None
        if not answer.moved_to:
            break
        try:
            url = urljoin(url, answer.moved_to)
        except ValueError:
            raise PermanentError(f"the {word} redirects to an address that is not on the web", "address") from None
    else:
        raise PermanentError(f"the {word} redirects more than {MAX_MOVES} times", "address")
    if answer.status in (429, 503) or answer.status >= 500:
        raise TransientError(f"{target.host} can’t answer now ({answer.status})", answer.wait)
    if answer.status >= 400:
        raise PermanentError(f"{target.host} has no such {word} ({answer.status})", "address")
    return answer, url
