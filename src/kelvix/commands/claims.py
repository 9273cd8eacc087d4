"""Writes docs/apps.md: what each app that ships here claims and does not claim, as the conformance suite checks it."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from kelvix.collections.databases import CAPABILITIES
from kelvix.connectors.contract import App
from kelvix.core.collection import Capabilities
from kelvix.settings import TOP

PAGE = TOP / "docs/apps.md"
OPENING = """# Apps

<!-- Written by `python -m kelvix handbook` from the code; the conformance suite checks every claim. -->

What each app claims. What isn't claimed isn't used: without pushes an app is polled, without idempotency keys an unanswered
write is looked for, and without versions an item is read again right before it is written. `connectors/conformance.py` has the
points, and `tests/conformance` runs them against each app.

"""
CHANGES = ("added", "changed", "left", "deleted")
CLAIMS: tuple[tuple[str, Callable[[Capabilities], str]], ...] = (
    ("notifies of changes", lambda c: _yes(c.push)),
    ("tells what was", lambda c: _listed(k for k in CHANGES if k in c.told)),
    ("tells values in between", lambda c: _yes(c.told_between)),
    ("compares readings", lambda c: _yes(c.compares)),
    ("can be written", lambda c: _listed(k for k in ("create", "update", "delete", "restore") if k in c.writes)),
    ("refuses stale writes", lambda c: _yes(c.versions)),
    ("knows idempotency keys", lambda c: _yes(c.keys)),
    ("can be searched for lost writes", lambda c: _yes(c.looks)),
    ("creates several at once", lambda c: str(c.batch) if c.batch > 1 else "–"),
    ("answers conditions itself", lambda c: _yes(bool(c.operators))),
    ("sorts", lambda c: _yes(c.orders)),
    ("has comments", lambda c: _yes(c.comments)),
)


def _yes(claimed: bool) -> str:
    return "yes" if claimed else "–"


def _listed(words: Iterable[str]) -> str:
    return ", ".join(words) or "–"


def _row(*cells: str) -> str:
    return "| " + " | ".join(cells) + " |\n"


def page(apps: Iterable[App]) -> str:
    """Return the page, a column for each app, and one for databases of ours."""
    shown = [(app.name, app.capabilities) for app in apps if app.__module__.startswith("kelvix.")]
    shown.append(("own databases", CAPABILITIES))
    text = OPENING + _row("", *(name for name, _ in shown)) + _row(*["---"] * (len(shown) + 1))
    for words, told in CLAIMS:
        text += _row(words, *(told(can) for _, can in shown))
    return text + (
        "\nOwn databases are written inside Kelvix, in the caller’s transaction: the rows about writing are about apps.\n"
    )


def main(apps: Iterable[App]) -> None:
    PAGE.write_text(page(apps))
