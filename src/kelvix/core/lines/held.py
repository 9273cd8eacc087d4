"""Kinds of line that others stand within, as a walk goes through them: one of several ways, or round by round."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, TypeVar

from kelvix.core.cells import Cell
from kelvix.core.feel import Env
from kelvix.core.filling import Carried, ListRow
from kelvix.core.lines.kind import Kind
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.workflow import Line

L = TypeVar("L", bound=Line)


@dataclass(frozen=True)
class Choice:
    """The way that is taken, by its line's id; none where that cannot be said. A cell for the deciding line and each way."""

    taken: str | None
    name: str
    cells: tuple[Cell, ...]


class Deciding(Kind[L]):
    """One of several ways is gone."""

    holds = "ways"

    @abstractmethod
    def choose(self, line: L, ways: Sequence[Line], carried: Carried, env: Env) -> Choice:
        """Return the way that is taken."""

    @abstractmethod
    def below(self, line: L, way: str, carried: Carried) -> Carried:
        """Return what lines below can use: which way was taken, by its name."""


class Repeating(Kind[L]):
    """The lines within it are carried out once for each row of a list. `after_fields`: what lines below can use, while all else
    of it is for the lines within."""

    holds = "lines"
    after_fields: ClassVar[tuple[CarriedField, ...]]

    def is_inside(self, key: str) -> bool:
        return key not in {f.key for f in self.after_fields}

    @abstractmethod
    def list_of(self, line: L, carried: Carried) -> CarriedList | None:
        """Return the list that it goes through, as far as it is known without a sample."""

    @abstractmethod
    def is_ready(self, line: L) -> bool:
        """Say whether a list was chosen."""

    @abstractmethod
    def rows_of(self, line: L, carried: Carried) -> tuple[ListRow, ...]:
        """Return the rows of the list with a sample. Raises Unfit for more than a run goes through."""

    @abstractmethod
    def enter(self, line: L, found: CarriedList, number: int, row: ListRow, carried: Carried) -> Carried:
        """Return what the lines within can use in one round, counted from 1."""

    @abstractmethod
    def collected(self, line: L, inner: Carried, env: Env) -> tuple[str, ...]:
        """Return what a round that is over adds to what is collected. Raises Unfit."""

    @abstractmethod
    def after(self, line: L, rounds: int, collected: tuple[str, ...], carried: Carried) -> Carried:
        """Return what lines below can use."""
