"""A write outside, as a run's line makes it: what each kind of it gives, so that all of them go through an intent."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar

from kelvix.core.intents import Intent
from kelvix.core.outcome import Outcome
from kelvix.store.database_server import Transaction


class RemoteWrite(ABC):
    """`payload`: all that would be sent by now, as JSON. `slot` tells it from others of the same line. `question` is asked
    where nobody knows whether it was carried out."""

    payload: Mapping[str, Any]
    slot: str = ""
    number: int = 0  # among the writes of a line that makes several, from 1
    question: ClassVar[str]

    @abstractmethod
    def repeats(self) -> bool:
        """Say whether it can be sent again, under the same key, without being done twice."""

    @abstractmethod
    def execute(self, intent: Intent) -> Any:
        """Send what an intent holds: the outcome, as JSON. Raises TransientError and PermanentError where it was certainly not
        carried out, UnknownOutcomeError where that is not known."""

    @abstractmethod
    def arrived(self, intent: Intent, by: str | None) -> Any:
        """Return the outcome where a person says that it was carried out."""

    def settle(self, t: Transaction, workflow_id: int, made: Any) -> None:
        """Note what else there is to know of an outcome, with the same commit."""
        return

    def under_way(self, code: str, intent: Intent) -> Outcome | None:
        """Return what is recorded with the line while it has not ended: sending, to_send, or in_doubt."""
        return Outcome(code) if code == "in_doubt" else None

    @abstractmethod
    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        """Return what a person is shown of it, to find out whether it was carried out."""
