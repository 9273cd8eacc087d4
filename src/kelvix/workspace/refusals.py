"""What is refused, for whoever answers for it: here, and in the layers below."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from kelvix.collections.undo import CannotUndo
from kelvix.collections.write import NotAllowed
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import Unfit
from kelvix.core.workflow import BadDocument
from kelvix.engine.switch import NotReady
from kelvix.engine.using import Use
from kelvix.store.databases import Refused
from kelvix.store.records import Stale, wire
from kelvix.store.usage import Full
from kelvix.store.workflows import StaleDraft

__all__ = [
    "BadDocument",
    "CannotUndo",
    "Full",
    "InUse",
    "NotAllowed",
    "NotFoundError",
    "NotNow",
    "NotReady",
    "NotValid",
    "PermanentError",
    "Refused",
    "Stale",
    "StaleDraft",
    "TransientError",
    "Unfit",
    "wire",
]


class NotNow(Exception):
    """It cannot be done as things are. `advice` says what to do; `about`, what it is about."""

    def __init__(self, title: str, advice: str, about: str = ""):
        super().__init__(title)
        self.title, self.advice, self.about = title, advice, about


class InUse(NotNow):
    """It would be deleted while something that is on or paused uses it."""

    def __init__(self, name: str, uses: Sequence[Use]):
        listed = ", ".join(f"the address {u.name}" if u.kind == "address" else u.name for u in uses)
        advice = "Edit those first, or delete it with anyway=true. They will fail until it is restored."
        super().__init__(f"{name} is used by {listed}.", advice)
        self.uses = uses


def check_unused(name: str, uses: Sequence[Use], anyway: bool) -> None:
    """Check that nothing uses what is deleted, unless the caller knows. Raises InUse."""
    if uses and not anyway:
        raise InUse(name, uses)


class NotValid(Exception):
    """What was given does not fit. `fields`: what is wrong with each, by its name."""

    def __init__(self, title: str, advice: str, fields: Mapping[str, str] | None = None):
        super().__init__(title)
        self.title, self.advice, self.fields = title, advice, dict(fields or {})
