"""Comments that cross: what is said about one item of a pair is said about the other one, once.

A comment goes back to the one that somebody wrote first, by however many mirrors it came: its root. It crosses unless one that
goes back to the same is there, or was. What was said before two items were paired stays where it is.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from hashlib import sha256

from kelvix.core.collection import (
    CLOCKS,
    Comment,
    GoneError,
    Item,
    PermanentError,
    Ref,
    TransientError,
    UnknownOutcomeError,
)
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.engine.mirrors.keeping import Intent, Keeping, Note, Pair, Said, Step
from kelvix.engine.mirrors.running import UNTIL, Later, Running

COMMENT = "comment"  # the key of what is said, among the values of an intent, and in place of a matched field in a note


class Commenting:
    def __init__(self, running: Running, keeping: Keeping, fresh: Callable[[], str], now: Callable[[], datetime]):
        self.running, self.keeping, self.fresh, self.now = running, keeping, fresh, now
        self.mirror, self.sides = running.mirror, running.sides

    def cross(self, pair: Pair, items: Mapping[Side, Item]) -> None:
        """Let comments cross that were added to the items of a pair. Raises Later, TransientError, PermanentError."""
        if self.mirror.comments == "none" or not all(self.sides[side].capabilities.comments for side in SIDES):
            return
        counts = {side: items[side].comments or 0 for side in SIDES}
        if pair.said is not None and pair.said.counts == counts:
            return
        was, since = pair.said or Said(), self._since(pair)
        said = {side: self._said(side, items[side].id) for side in SIDES}
        for side in filter(self.mirror.comments_on, SIDES):
            for root, (text, at) in said[OTHER[side]].items():
                is_old = since is not None and at < since - CLOCKS
                if not is_old and root not in was.settled and root not in said[side]:
                    intent = Intent(
                        self.fresh(), side, "comment", pair.id, root, items[side].id, {COMMENT: text}, at=self.now()
                    )
                    self.keeping.commit(Step(opened=[intent]))
                    self.carry(intent)
                    counts[side] += 1
        now, there = self.keeping.pair_of("left", pair.left), frozenset(said["left"]) | frozenset(said["right"])
        if now is not None and now.id == pair.id:
            step = Step(pairs=[replace(now, said=Said(there, counts, since))])
            if counts != {side: items[side].comments or 0 for side in SIDES}:
                step.stirred.append(("left", pair.left))  # so that what was added here is not taken for somebody's
            self.keeping.commit(step)

    def _said(self, side: Side, item: str) -> dict[str, tuple[str, datetime]]:
        """Return what is said about an item, and when, the first first, each by its root. Raises Later where another mirror is
        just adding something."""
        ours = self.keeping.comment_roots(side, item)
        if ours is None:
            raise Later(1.0)
        try:
            found = self.sides[side].comments(item)
        except GoneError:
            raise Later from None
        ref = self.sides[side].ref
        return {ours.get(c.id) or root_of(ref, item, c.id): (c.text if c.id in ours else signed(c), c.at) for c in found}

    def _since(self, pair: Pair) -> datetime | None:
        """Return since when the comments of a pair cross; None for all of them, as of an item that was created with them."""
        paired, chosen = pair.said.since if pair.said else None, self.mirror.comments_since
        if pair.said is not None and paired is None:
            return None
        return max(filter(None, (paired, chosen)), default=None)

    def carry(self, intent: Intent, late: bool = False) -> None:
        """Add a comment that is kept as an intent, and commit what became of it. `late`: it may have been added before."""
        try:
            made = self.sides[intent.side].comment(intent.item, _text(intent), intent.key)
        except UnknownOutcomeError:
            raise Later from None
        except GoneError:
            self.keeping.commit(Step(closed=[intent.key]))
            raise Later from None
        except TransientError:
            if not late:  # of a repeat, that says nothing about the call before
                self.keeping.commit(Step(closed=[intent.key]))
            raise
        except PermanentError:
            return self._settle(intent, None)
        self._settle(intent, made)

    def resolve(self, intent: Intent) -> None:
        """Find out what became of a comment whose addition was not answered."""
        side = self.sides[intent.side]
        if side.capabilities.keys:
            return self.carry(intent, late=True)  # asked again under its key, it is added once
        assert intent.at is not None
        if self.now() < intent.at + UNTIL + timedelta(seconds=side.capabilities.settles):
            raise Later
        ours = self.keeping.comment_roots(intent.side, intent.item, own=intent.key)
        if ours is None:
            raise Later(1.0)
        try:
            there = side.comments(intent.item)
        except GoneError:
            there = ()
        text, since = _text(intent).strip(), intent.at - CLOCKS
        found = [c for c in there if c.id not in ours and c.text.strip() == text and c.at >= since]
        if found:
            self._settle(intent, found[0])
        else:
            self.keeping.commit(Step(closed=[intent.key]))

    def _settle(self, intent: Intent, made: Comment | None) -> None:
        """Commit that something was said, or that it was refused, so that it is not said again."""
        step, pair = Step(closed=[intent.key]), self.keeping.pair_of(intent.side, intent.item)
        if made is not None:
            step.commented.append((intent, made.id))
        elif pair is not None:
            step.notes.append(Note("refused", pair.id, COMMENT, intent.side, _text(intent)))
        if pair is not None:
            was = pair.said or Said(since=self._since(pair))
            step.pairs.append(replace(pair, said=replace(was, settled=was.settled | {intent.source})))
        self.keeping.commit(step)


def root_of(ref: Ref, item: str, comment: str) -> str:
    """Return the root of a comment that no mirror added."""
    return sha256("\0".join((ref.account, ref.place, item, comment)).encode()).hexdigest()[:32]


def signed(one: Comment) -> str:
    """Return a comment as it is added in the mirror's name: with who said it."""
    return f"{one.by}: {one.text}" if one.by else one.text


def _text(intent: Intent) -> str:
    return str(intent.values[COMMENT])
