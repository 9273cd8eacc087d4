"""What is kept of a mirror between two steps, and what a step commits together. `store` keeps it in MariaDB; tests keep it in
memory."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal, Protocol

from kelvix.core.collection import Item, WriteKind, Written
from kelvix.core.mirror.lens import Canonical, Side
from kelvix.core.mirror.life import Asks, Linked
from kelvix.core.mirror.merge import Agreed, Outcome
from kelvix.core.mirror.reconciling import PairState, Standing
from kelvix.core.values import FieldId, Value

State = PairState | Literal["refused", "outside", "missing", "asked", "held", "closed", "planned", "unconfirmed"]
IntentKind = WriteKind | Literal["comment"]
Decision = Literal["delete", "keep", "create", "cross"]
Counted = Literal["update", "delete"]
Alone = Literal["only_left", "only_right", "doubt", "refused", "left_out"]


@dataclass(frozen=True)
class Known:
    """What is known of an item of a side, for all mirrors alike: what its fields stand for; and the item as it was read last,
    where it was."""

    fields: Mapping[FieldId, Standing] = field(default_factory=dict)
    item: Item | None = None


@dataclass(frozen=True)
class Said:
    """What became of the comments of a pair's items. `settled`: those of which nothing is left to be done, by their roots;
    `counts`: how many each item had then; `since`: what was said before stays where it is."""

    settled: frozenset[str] = frozenset()
    counts: Mapping[Side, int] = field(default_factory=dict)
    since: datetime | None = None


@dataclass(frozen=True)
class PutAway:
    """An item of a pair that the mirror put away: what its field held before."""

    side: Side
    before: Value


@dataclass(frozen=True)
class Pair:
    """Two items that are the same thing. `digests`: of all that each was when nothing was open last, so that it is known
    whether anything of it was touched since; `refused`: what a side would not take, by matched fields and sides; `asks`: what a
    person is asked of the pair as a whole; `held`: matched fields of which nothing crosses until they are released; `turns`:
    what a field was agreed to be since somebody edited it, the latest last; `said`: what became of comments; None where they
    did not cross when it was paired; `away`: which item was put away; `decided`: what a person said of it together with many
    others, and is still to be done."""

    id: str
    left: str
    right: str
    linked: Linked = "open"
    agreed: Mapping[str, Agreed] = field(default_factory=dict)
    digests: Mapping[Side, str] = field(default_factory=dict)
    refused: Mapping[tuple[str, Side], Canonical] = field(default_factory=dict)
    turns: Mapping[str, tuple[Canonical, ...]] = field(default_factory=dict)
    open: Mapping[str, Outcome] = field(default_factory=dict)
    state: State = "behind"
    asks: Asks | None = None
    held: frozenset[str] = frozenset()
    said: Said | None = None
    away: PutAway | None = None
    decided: Decision | None = None

    @property
    def is_held(self) -> bool:
        """Whether nothing of it crosses, until it is released; if only some fields are held, all others still cross."""
        return self.state == "held" and not self.held

    def item(self, side: Side) -> str:
        return self.left if side == "left" else self.right


@dataclass(frozen=True)
class Intent:
    """A write that is meant to be made on a side, kept before it goes out. `pair`: whose item it is about; of a create,
    `source` is the item of the other side; of a comment, the root of what is said. `after`: what is agreed on once it has
    landed; `meant`: what the fields stand for then; `before`: what was there; `is_clean`: nothing of the item was touched since
    nothing was open; `editor`: who edited the other side last, where that was a person; `then`: how the pair is
    linked once its item was put away, or back; `counts`: as what it counts to the limits, if nobody was
    asked about it."""

    key: str
    side: Side
    kind: IntentKind
    pair: str | None = None
    source: str = ""
    item: str = ""
    values: Mapping[FieldId, Value] = field(default_factory=dict)
    version: str | None = None
    at: datetime | None = None
    after: Mapping[str, Agreed] = field(default_factory=dict)
    meant: Mapping[FieldId, Standing] = field(default_factory=dict)
    before: Mapping[FieldId, Value] = field(default_factory=dict)
    is_clean: bool = False
    in_doubt: bool = False
    editor: str = ""
    then: Literal["open", "archived", "closed"] | None = None
    counts: Counted | None = None


@dataclass(frozen=True)
class Note:
    """Something that a person can look up afterwards: an edit that a policy passed over, a refusal, a field that two programs
    keep changing against each other."""

    what: Literal["lost", "refused", "war"]
    pair: str
    field: str
    side: Side | None = None
    value: Canonical = None


@dataclass(frozen=True)
class Only:
    """An item in no pair, and why: nothing there is the same, several may be (`found`), or what would be created is refused."""

    side: Side
    item: Item
    state: Alone
    found: tuple[str, ...] = ()
    why: str = ""


@dataclass(frozen=True)
class Landed:
    """A write that was carried out. `pair`: of the items that it was about; `late`: others may have edited the item since."""

    intent: Intent
    written: Written
    pair: str
    late: bool = False


@dataclass
class Step:
    """What is committed together, or not at all."""

    pairs: list[Pair] = field(default_factory=list)
    known: dict[tuple[Side, str], Known] = field(default_factory=dict)
    opened: list[Intent] = field(default_factory=list)
    closed: list[str] = field(default_factory=list)  # keys of intents
    stirred: list[tuple[Side, str]] = field(default_factory=list)  # items that are to be looked at again
    notes: list[Note] = field(default_factory=list)
    landed: list[Landed] = field(default_factory=list)
    alone: list[Only] = field(default_factory=list)
    gone: list[tuple[Side, str]] = field(default_factory=list)  # items in no pair that are there, or inside, no more
    commented: list[tuple[Intent, str]] = field(default_factory=list)  # comments that were added, and their identities


class Keeping(Protocol):
    """What a mirror keeps. Whoever works on an item holds it alone, for all mirrors, until the step is over."""

    def pair_of(self, side: Side, item: str) -> Pair | None:
        """Return the pair of an item that is not closed."""

    def was_paired(self, side: Side, item: str) -> bool:
        """Say whether an item belonged to a pair that was closed, or was set apart: it is neither matched nor made again."""

    def known(self, side: Side, item: str) -> Known:
        """Return what is known of an item; nothing where it was never seen."""

    def intents(self, side: Side) -> Sequence[Intent]:
        """Return the writes to a side of which nobody knows yet what became."""

    def alike(self, side: Side, item: Item) -> Sequence[str]:
        """Return the items of the other side that the match rule recognises, of those that are in no pair."""

    def undecided(self, side: Side, item: Item) -> Sequence[Pair]:
        """Return the pairs whose item of this side was told to be gone, and was, when it was read last, what the match rule
        recognises in another."""

    def was_like(self, side: Side, before: str, item: Item) -> bool:
        """Say whether an item was, when it was read last, what the match rule recognises in another of the same side."""

    def successors(self, side: Side, gone: str) -> Sequence[str]:
        """Return what is new on a side, and nothing is known of yet, that the match rule recognises in an item that is gone."""

    def hold(self, pair: Pair) -> bool:
        """Hold the items of a pair alone, too, until the step is over: whether nobody else has them."""

    def wish(self, side: Side, item: str) -> Literal["create", "leave"] | None:
        """Return what a person said of an item in no pair: create its counterpart whatever is there, or leave it alone."""

    def comment_roots(self, side: Side, item: str, own: str = "") -> Mapping[str, str] | None:
        """Return the comments of an item that mirrors added, whichever, and what each goes back to; None where another mirror
        is just adding one. `own`: the key of one that is not another's."""

    def allows(self, side: Side, counted: Counted, more: int = 0) -> bool:
        """Say whether another item of a side may be deleted or changed today, with all that waits for that and so many `more`,
        or whether that is so much that a person is asked first."""

    def kin(self, side: Side, item: str) -> Sequence[str] | None:
        """Return the items of the other side's collection with which an item is connected by pairs of whichever mirrors, ended
        ones too. None where something connected with it is just being created there, or where it may itself be what a mirror is
        just creating, so that nobody knows yet."""

    def commit(self, step: Step) -> None: ...
