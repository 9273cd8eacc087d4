"""What is asked of a database: by a Find line, by an Add or update line, by whatever looks whether a record is there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kelvix.core.query import Comparison, Joined
from kelvix.core.values import FieldId

MAX_COUNTED = 100  # records that are counted
MAX_TAKEN = 500  # records that are taken where all are


@dataclass(frozen=True)
class Question:
    """What is asked of a database. `take`: which record where there are several, by when they were made; or all, by a field.
    `identity`: the one record that is meant, by its link or its number, whatever else. `lists`: not records are asked for, but
    the places that are shared beside this one."""

    database: int
    mode: Literal["all", "any"]
    compared: tuple[Comparison, ...]
    take: Literal["newest", "oldest", "all"]
    order: FieldId | None = None
    descending: bool = False
    identity: str = ""
    lists: Literal["", "places"] = ""

    @property
    def where(self) -> Joined:
        return Joined(self.mode, self.compared)

    @property
    def recognises(self) -> bool:
        """Whether this asks for one thing by what is the same: the question of an Add or update line."""
        return (
            self.take == "oldest"
            and self.mode == "all"
            and bool(self.compared)
            and all(c.operator == "is" for c in self.compared)
        )
