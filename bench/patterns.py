"""How the time of each pattern that sees text from outside grows: 1 MB of its worst repeated characters beside 100 kB of them.

Claim: at most 12 times as long. Beside them, what such text goes through whole: a page, a letter, a line, a value of a formula.
"""

from __future__ import annotations

import importlib
import pkgutil
import time
from collections.abc import Callable
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from _report import keep, table, verdict

import kelvix
from kelvix.core import quick_input
from kelvix.core.feel import Env
from kelvix.core.feel.added import finding
from kelvix.core.patterns import LISTED
from kelvix.core.schema import Database, Field
from kelvix.core.values import mentions
from kelvix.formats import article, html_text, rfc5322

SMALL, LARGE, MAX_TIMES, FLOOR = 100_000, 1_000_000, 12.0, 0.1  # below the floor, in seconds, what grows is page faults
CHORES = Database(1, "Chores", (Field(1, "Name", "text"), Field(2, "Due", "date"), Field(0, "Text", "long_text")))
ENV = Env(datetime(2026, 11, 28, tzinfo=UTC), ZoneInfo("Europe/London"))
WHOLE: dict[str, tuple[str, Callable[[str], object]]] = {
    "all text of a page": ("<br ", html_text.all_text),
    "whether a page is laborious": ("<a", html_text.is_laborious),
    "links of an article": ("[", lambda text: article.LINK.sub(article._unless_safe, text)),
    "a message's header": ("(", lambda text: rfc5322.parse(f"From: {text}\r\nSubject: {text}\r\n\r\nx".encode())),
    "an amount in a text": ("1 111", lambda text: next(iter(finding.MONEY.finditer(text)), None)),
    "a line typed in a hurry": (
        "the end of ",
        lambda text: quick_input.understand(text[: quick_input.MAX_UNDERSTOOD], CHORES, (), ENV),
    ),
    "a word in a text": ("a ", lambda text: mentions(text, "organ")),
}


def everything() -> None:
    """Import all modules, so that all patterns are listed."""
    for module in pkgutil.walk_packages(kelvix.__path__, "kelvix."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)


def seconds(work: Callable[[str], object], text: str) -> float:
    """The best of five, of the processor: others that use the machine do not count."""
    found = []
    for _ in range(5):
        began = time.process_time()
        work(text)
        found.append(time.process_time() - began)
    return min(found)


def main() -> None:
    everything()
    measured = {one.source: (one.worst, one.search) for one in LISTED} | WHOLE
    rows, kept = [], {}
    for name, (worst, work) in measured.items():
        small, large = (seconds(work, (worst * (size // len(worst) + 1))[:size]) for size in (SMALL, LARGE))
        grown = large / small if large > FLOOR else 1.0
        kept[name] = grown
        rows.append([name[:60], repr(worst), f"{small * 1e3:.2f} ms", f"{large * 1e3:.2f} ms", f"{grown:.1f} x"])
    table(
        f"patterns: {len(measured)}, 100 kB and 1 MB of what costs each most", ["", "repeated", "100 kB", "1 MB", "grown"], rows
    )
    verdict(max(kept.values()) <= MAX_TIMES, f"each at most {MAX_TIMES:.0f} times as long for ten times as much")
    keep("patterns", kept)


if __name__ == "__main__":
    main()
