"""What is asked about a translation: which fields it goes between, what stands in its domain, and what is lost."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

from kelvix.core.mirror.lens import Domain, Side
from kelvix.core.schema import Field
from kelvix.core.values import Referred

Options = Mapping[str, Any]


def no_pair(side: Side, record: Referred) -> Referred | None:
    """Return the counterpart of a record where nothing is paired."""
    return None


@dataclass(frozen=True)
class Around:
    """What translations need to know: the clock and the order of day and month of the workspace; and `counterpart`, which says
    what a record of a side is paired with."""

    zone: ZoneInfo = field(default_factory=lambda: ZoneInfo("UTC"))
    order: str | None = None
    counterpart: Callable[[Side, Referred], Referred | None] = no_pair


@dataclass(frozen=True)
class Asked:
    """An option of a translation that a person may choose: one of several (their values and words), or typed where none are
    named."""

    option: str
    words: str
    choices: tuple[tuple[str, str], ...] = ()


class Translation(ABC):
    """How values go between two matched fields. A module of this package makes one, as `TRANSLATION`; of those that fit two
    fields the best is proposed. `words` is how it is called, after “is kept as”."""

    code: ClassVar[str]
    words: ClassVar[str]

    @abstractmethod
    def fits(self, left: Field, right: Field) -> float | None:
        """Return how well it goes between two fields, from 0 to 1; None where it does not."""

    def proposed(self, left: Field, right: Field) -> dict[str, Any]:
        """Return the options that are proposed for two fields."""
        return {}

    def asks(self, left: Field, right: Field) -> tuple[Asked, ...]:
        """Return the options that a person may choose, but for options of choices, which are matched one by one."""
        return ()

    @abstractmethod
    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        """Return what both are compared in."""

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        """Return what does not cross, as sentences."""
        return ()

    def wrong(self, left: Field, right: Field, options: Options) -> str | None:
        """Return what must be put right of its options before a mirror can use them, as a sentence."""
        return None

    def is_coarser(self, left: Field, right: Field, options: Options) -> bool:
        """Whether it sees less than a side holds, so that something would be lost on the way around a ring of mirrors."""
        return bool(self.loses(left, right, options))
