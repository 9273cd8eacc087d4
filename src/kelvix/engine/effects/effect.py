"""What a kind of line does for real, in a run."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Any, ClassVar, Generic, TypeVar

from kelvix.core.cells import Cell, Finding
from kelvix.core.filling import Carried
from kelvix.core.outcome import Outcome
from kelvix.core.walking import Place
from kelvix.core.workflow import Line
from kelvix.engine.engine import Engine
from kelvix.store.directory import Space
from kelvix.store.questions import Kind as QuestionKind

if TYPE_CHECKING:
    from kelvix.engine.outside import Outside

L = TypeVar("L", bound=Line)


class Effect(ABC, Generic[L]):
    """`recalls`: the outcome by which a run that is taken up goes on from such a line without looking at it again."""

    recalls: ClassVar[type[Outcome]]

    @abstractmethod
    def as_recorded(self, run: Outside, line: L, done: Any, carried: Carried) -> tuple[Carried, str]:
        """Go on from what was recorded: what lines below can use, and how the run ends there, if it does."""

    def execute(self, run: Outside, line: L, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Do it once, and record its outcome. Raises Fenced, TransientError, PermanentError."""
        raise TypeError(f"{type(line).__name__} does nothing that lasts")

    def has_something(self, line: L, carried: Carried) -> bool:
        """Say whether there is something to do it to."""
        return True

    def may(self, engine: Engine, space: Space, line: L) -> list[Finding]:
        """Return what stands against it outside, before it is turned on. Raises TransientError, PermanentError."""
        return []

    def question(self, run: Outside, line: L, cell: Cell, carried: Carried) -> tuple[QuestionKind, dict[str, Any]]:
        """Return what a person is asked, where its plan is to ask."""
        raise TypeError(f"{type(line).__name__} asks nobody")

    def answered(
        self, run: Outside, line: L, cell: Cell, carried: Carried, place: Place, answer: dict[str, Any]
    ) -> tuple[Carried, str]:
        """Go on with what the person said; `answer` has who it was (`by`), and since when it was asked (`since`)."""
        raise TypeError(f"{type(line).__name__} asks nobody")
