"""What a person chooses of a mirror: its two sides, which fields are matched and how, and what happens to whole items."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from kelvix.core.mirror.lens import Side
from kelvix.core.query import Where
from kelvix.core.values import FieldId, Value

Direction = Literal["both", "to_right", "to_left"]
Policy = Literal["ask", "left", "right", "newest"]  # whose edit stands where both sides were edited
OnEmpty = Literal["value", "leave"]  # whether emptying a field is an edit
OnDrift = Literal["restore", "leave"]  # what is done to an edit against a field's direction
Creates = Literal["both", "left", "right", "none"]  # where items are made that are missing
First = Literal["merge", "left", "right"]  # what stands where two paired items differ that were never agreed on
OnDelete = Literal["follow", "keep", "archive", "ask"]
OnLeaving = Literal["stop", "archive", "delete"]  # of an item that comes outside the filter
MirrorState = Literal["draft", "planning", "planned", "on", "paused", "stopped", "off"]
By = Literal["exact", "normalised", "near"]
Comments = Direction | Literal["none"]  # where new comments cross to
QUIET = 3.0
OTHER: Mapping[Side, Side] = {"left": "right", "right": "left"}


@dataclass(frozen=True)
class FieldPair:
    """Two matched fields. `translation` and its `options` say what both are compared in (core/mirror/translations)."""

    id: str
    left: FieldId
    right: FieldId
    translation: str
    options: Mapping[str, Any] = field(default_factory=dict)
    direction: Direction = "both"
    policy: Policy = "ask"
    empty: OnEmpty = "value"
    drift: OnDrift = "leave"

    def field(self, side: Side) -> FieldId:
        return self.left if side == "left" else self.right

    def goes_to(self, side: Side) -> bool:
        return self.direction in ("both", f"to_{side}")


@dataclass(frozen=True)
class Key:
    """Two fields by which items are recognised. `by`: as they stand, without regard to case, accents and punctuation, or by
    likeness."""

    left: FieldId
    right: FieldId
    by: By = "normalised"


@dataclass(frozen=True)
class MatchRule:
    """How a mirror first recognises pairs. Keys that are exact or normalised must all be the same; near ones are weighed
    together, and must come to `least`, from 0 to 1."""

    keys: tuple[Key, ...] = ()
    least: float = 0.85


@dataclass(frozen=True)
class Safety:
    """How much may happen to a side within a day before a person is asked: a share of its items that is deleted, and never
    fewer than `at_least`; and a share that is overwritten, and never fewer than `overwritten_at_least`."""

    share: float = 0.1
    at_least: int = 5
    overwritten: float = 0.5
    overwritten_at_least: int = 50


@dataclass(frozen=True)
class Away:
    """What puts an item away, instead of deleting it: a value of a field."""

    field: FieldId
    value: Value


@dataclass(frozen=True)
class MirrorSide:
    """A collection, by the number of its database; only those of its items that `where` lets through. `away`: what puts an item
    of it away, where that was said."""

    database: int
    where: Where | None = None
    away: Away | None = None


@dataclass(frozen=True)
class Mirror:
    """Two collections that are kept the same in matched fields."""

    left: MirrorSide
    right: MirrorSide
    fields: tuple[FieldPair, ...]
    match: MatchRule = MatchRule()
    creates: Creates = "both"
    first: First = "merge"
    deletes: OnDelete = "ask"
    leaving: OnLeaving = "stop"
    safety: Safety = Safety()
    quiet: float = QUIET  # seconds for which a new item is left alone, since it may be half typed
    comments: Comments = "none"
    comments_since: datetime | None = None  # when that was chosen: what was said before stays where it is

    @property
    def sides(self) -> tuple[tuple[Side, MirrorSide], ...]:
        return ("left", self.left), ("right", self.right)

    def side(self, side: Side) -> MirrorSide:
        return self.left if side == "left" else self.right

    def creates_on(self, side: Side) -> bool:
        return self.creates in ("both", side)

    def writes_to(self, side: Side) -> bool:
        """Say whether anything is ever written to a side."""
        return self.creates_on(side) or self.comments_on(side) or any(one.goes_to(side) for one in self.fields)

    def comments_on(self, side: Side) -> bool:
        """Say whether new comments of the other side cross to this one."""
        return self.comments in ("both", f"to_{side}")
