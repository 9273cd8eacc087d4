"""What an HTTP answer says of how many calls are taken: the fields RateLimit-Policy and RateLimit (from memory: the IETF's
draft "RateLimit header fields for HTTP", draft-ietf-httpapi-ratelimit-headers, as of its tenth version), which are lists of
Structured Fields (RFC 9651)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import http_sf

MAX = 10  # policies that are read
MOST = 10**9  # calls, or seconds, which are 31 years


@dataclass(frozen=True)
class Policy:
    """`most` calls in each `window` of seconds; `left` of them, for as many seconds as `resets`."""

    name: str
    most: int
    window: int
    left: int
    resets: int


def read(policies: str | None, current: str | None) -> tuple[Policy, ...]:
    """Return the policies of which both fields tell; what can't be read is as if it were not said."""
    known, now = _items(policies), _items(current)
    found = []
    for name, said in list(known.items())[:MAX]:
        most, window = _whole(said.get("q")), _whole(said.get("w"))
        left, resets = _whole(now.get(name, {}).get("r")), _whole(now.get(name, {}).get("t"))
        if most and window and left is not None and resets is not None:
            found.append(Policy(name[:100], most, window, left, resets))
    return tuple(found)


def _whole(said: object) -> int | None:
    """Return a number that can be reckoned with."""
    return said if isinstance(said, int) and not isinstance(said, bool) and 0 <= said <= MOST else None


def _items(raw: str | None) -> dict[str, dict[str, object]]:
    try:
        parsed: Any = http_sf.parse((raw or "").encode(), tltype="list")
    except (http_sf.StructuredFieldError, UnicodeEncodeError):
        return {}
    return {str(item[0]): item[1] for item in parsed if isinstance(item, tuple) and isinstance(item[1], dict)}


def write(policies: tuple[Policy, ...]) -> dict[str, str]:
    """Return both header fields."""
    limits: Any = [(p.name, {"q": p.most, "w": p.window}) for p in policies]
    current: Any = [(p.name, {"r": p.left, "t": p.resets}) for p in policies]
    return {"RateLimit-Policy": http_sf.ser(limits), "RateLimit": http_sf.ser(current)}
