"""Backcasts: what a draft would have done with all past events of its source."""

from __future__ import annotations

from kelvix.core.checking import check
from kelvix.core.documents import check_shape
from kelvix.core.workflow import Workflow
from kelvix.engine import backcasting
from kelvix.engine.engine import Engine
from kelvix.store import backcasts
from kelvix.store.backcasts import Kept
from kelvix.workspace import Space
from kelvix.workspace.refusals import NotNow

__all__ = ["Kept"]
MONTH = 30.44 * 86400  # seconds


def latest(space: Space, workflow_id: int) -> Kept | None:
    return space.read(lambda t: backcasts.latest(t, space.id, workflow_id))


def a_month(one: Kept) -> int | None:
    """Return how many events there were a month, on average."""
    span = (one.newest - one.oldest).total_seconds() if one.newest and one.oldest else 0
    return round(one.seen / max(span / MONTH, 1)) if one.seen else None


def start(engine: Engine, space: Space, workflow_id: int, document: Workflow) -> None:
    """Rehearse a document with every past event of its source. Nothing is written. Raises NotNow where it has none, or where
    something that it uses is gone."""
    check_shape(document)
    when = document.when
    if when.own is not None:
        raise NotNow("A backcast reads an app’s past.", "This workflow’s events are not from an app. Use samples instead.")
    if when.connection is None or when.container is None:
        raise NotNow("There is no source yet.", "Choose a connection and a folder in the When line first.")
    wrong = [f for f in check(document, engine.context(space, document)) if "no longer" in f.sentence]
    if wrong:
        raise NotNow(f"{wrong[0].sentence[0].upper()}{wrong[0].sentence[1:]}.", "Fix that first.")
    backcasting.start(engine, space, workflow_id, document)


def cancel(space: Space, workflow_id: int) -> None:
    """Stop one where it is; what was counted so far is kept."""
    space.transact(lambda t: backcasts.cancel(t, space.id, workflow_id))
