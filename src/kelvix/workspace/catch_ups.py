"""Catching up: the past items of a workflow's source, carried for real where that is chosen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from kelvix.core import recognising
from kelvix.core.not_found import NotFoundError
from kelvix.core.recognising import Choice
from kelvix.core.values import FieldId
from kelvix.core.workflow import Workflow
from kelvix.engine import catching_up
from kelvix.engine.catching_up import Past
from kelvix.engine.engine import Engine
from kelvix.engine.undoing import Undone
from kelvix.store import catch_ups
from kelvix.store.arrivals import Arrival
from kelvix.store.catch_ups import CatchUp, Progress, State
from kelvix.workspace import Space, databases
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotNow

__all__ = ["CatchUp", "Progress", "State"]
Recognises = Mapping[str, Sequence[FieldId]]  # by an Add line's id, the fields by which it knows what is there


@dataclass(frozen=True)
class PastPage:
    """A page of past items, the cursor of the following one, and by what each Add line can know what is there."""

    items: Sequence[Past]
    next: str | None
    choices: tuple[Choice, ...]


def past(
    engine: Engine, space: Space, workflow_id: int, draft: Workflow, recognises: Recognises, before: str | None, limit: int
) -> PastPage:
    """Return a page of a source's past items, the newest first. Nothing is written. Raises NotNow without a source."""
    when = draft.when
    if when.own is not None or when.connection is None or when.container is None:
        raise NotNow("There are no past items to process.", "Choose a connection and a folder in the When line.")
    choices = recognising.choices(draft, databases.load(space))
    known = _kept(recognises) or {c.line: c.proposed for c in choices}
    items, onward = catching_up.past(engine, space, workflow_id, draft, known, before, limit)
    return PastPage(items, onward, choices)


def _kept(recognises: Recognises) -> catch_ups.Recognises:
    return {line: tuple(fields) for line, fields in recognises.items()}


def progress(space: Space, one: CatchUp) -> Progress:
    return space.read(lambda t: catch_ups.progress(t, one))


def latest(space: Space, workflow_id: int) -> CatchUp | None:
    return space.read(lambda t: catch_ups.latest(t, space.id, workflow_id))


def get(space: Space, workflow_id: int, catch_up_id: int) -> CatchUp:
    """Return a catch-up of a workflow. Raises NotFoundError."""
    one = space.read(lambda t: catch_ups.get(t, space.id, catch_up_id))
    if one is None or one.workflow_id != workflow_id:
        raise NotFoundError("catch-up not found")
    return one


def start(
    engine: Engine, space: Space, workflow_id: int, items: Sequence[str], recognises: Recognises, person: Person
) -> CatchUp:
    """Carry past items for real, the first that is named first. Raises NotNow while another is under way."""
    before = latest(space, workflow_id)
    if before and before.state in ("running", "paused"):
        raise NotNow("A catch-up is already running.", "Wait until it is done, or undo it first.")
    chosen = [Arrival(item) for item in items]
    made = catching_up.start(engine, space, workflow_id, chosen, _kept(recognises), person.name)
    return get(space, workflow_id, made)


def change(space: Space, one: CatchUp, what: Literal["pause", "resume"]) -> CatchUp:
    """Hold it, or let it go on from where it is. Raises NotNow where it is not in a state for that."""
    wanted: State = "running" if what == "pause" else "paused"
    state: State = "paused" if what == "pause" else "running"
    if one.state != wanted:
        raise NotNow(f"This catch-up is {one.state}.", f"Only one that is {wanted} can be {state}.")
    space.transact(lambda t: catch_ups.set_state(t, one, state))
    return get(space, one.workflow_id, one.id)


def undo(engine: Engine, space: Space, one: CatchUp, person: Person) -> Undone:
    """Undo all that a catch-up wrote, as one set. Raises NotNow where that was done."""
    if one.state == "undone":
        raise NotNow("This catch-up is already undone.", "Start another one.")
    return catching_up.undo(engine, space, one, person.name)
