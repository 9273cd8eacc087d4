"""Rehearsals of mirrors: what would cross if nothing changed meanwhile, asked for at any time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from kelvix.core.mirror import forms
from kelvix.core.values import Wire
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import rehearsing
from kelvix.store import mirrors
from kelvix.workspace import Space
from kelvix.workspace.mirror_rows import shown
from kelvix.workspace.mirrors import get
from kelvix.workspace.refusals import NotNow


@dataclass(frozen=True)
class Would:
    """What would become of an item, in the report of a rehearsal. `comes`: create, update, delete or restore, on `side`; or
    asked, conflict, refused, no_counterpart or waits. `before` and `after`: by fields."""

    comes: str
    side: str
    title: str
    pair: str | None
    before: Mapping[str, Wire]
    after: Mapping[str, Wire]


@dataclass(frozen=True)
class Rehearsed:
    """The report of a rehearsal: how many items were read, how many writes and questions of each kind there would be, and the
    first of them. `problem`: why nothing was found."""

    began_at: datetime
    ended_at: datetime
    left: int
    right: int
    counts: Mapping[str, int]
    named: tuple[Would, ...]
    problem: str | None


def rehearse(engine: Engine, space: Space, mirror_id: int) -> None:
    """Begin to rehearse a mirror. Nothing is written to either side. Raises NotFoundError, NotNow."""
    kept = get(space, mirror_id)
    if kept.left_collection is None or kept.state in ("draft", "planning", "planned"):
        raise NotNow("This mirror has a plan instead.", "Read the plan: it shows what would be written.")
    if kept.stage is not None:
        raise NotNow("Both sides are being read now.", "Try again when that has ended.")
    space.transact(lambda t: rehearsing.begin(t, space, kept))
    engine.dispatch.announce(space.id, f"mirror:{mirror_id}", "mirrors")


def last(space: Space, mirror_id: int) -> Rehearsed | None:
    """Return the report of the last rehearsal; None where there was none. Raises NotFoundError."""
    kept = get(space, mirror_id)
    found = space.read(lambda t: mirrors.rehearsal(t, space.id, kept.id))
    if found is None:
        return None

    def values(fields: list[list[Wire]], place: int) -> dict[str, Wire]:
        return {str(one[0]): shown(forms.value_of(one[place])) for one in fields}

    named = tuple(
        Would(one["comes"], one["side"], one["title"], one["pair"], values(one["fields"], 1), values(one["fields"], 2))
        for one in found.get("named", ())
    )
    began, ended = datetime.fromisoformat(found["began_at"]), datetime.fromisoformat(found["ended_at"])
    return Rehearsed(
        began, ended, found.get("left", 0), found.get("right", 0), found.get("counts", {}), named, found.get("problem")
    )
