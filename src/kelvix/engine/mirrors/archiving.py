"""Items that are put away instead of deleted: a field of theirs is given the value that says so, and gets back the one that
it had when the other item comes back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Literal

from kelvix.core.collection import Item, Unreadable, Written
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.life import Asks, Stands
from kelvix.core.values import FieldId, Value
from kelvix.engine.mirrors.keeping import Counted, Intent, Keeping, Landed, Note, Pair, PutAway, Step
from kelvix.engine.mirrors.running import Running


class Archiving:
    """`carry` makes a write that is kept as an intent."""

    def __init__(
        self,
        running: Running,
        keeping: Keeping,
        fresh: Callable[[], str],
        now: Callable[[], datetime],
        carry: Callable[[Intent], None],
    ):
        self.mirror, self.keeping, self.fresh, self.now, self.carry = running.mirror, keeping, fresh, now, carry

    def put_away(
        self,
        pair: Pair,
        side: Side,
        item: Item,
        then: Literal["archived", "closed"],
        asks: Asks,
        step: Step,
        is_decided: bool = False,
    ) -> None:
        """Put an item away. A person is asked where it isn't said how, and, unless they decided, where so many would be."""
        away = self.mirror.side(side).away
        before = item.values.get(away.field) if away is not None else None
        if away is None or isinstance(before, Unreadable):
            step.pairs.append(replace(pair, state="asked", asks=asks))
        elif not is_decided and not self.keeping.allows(side, "delete"):
            step.pairs.append(replace(pair, state="asked", asks="too_many"))
        elif before == away.value:
            step.pairs.append(_ended(pair, then))
        else:
            counts: Counted | None = None if is_decided else "delete"
            return self._write(pair, side, item, {away.field: away.value}, then, step, counts)
        self.keeping.commit(step)

    def is_to_come_back(self, pair: Pair, stands: Mapping[Side, Stands]) -> bool:
        """Say whether what was put away comes back, since the other item did."""
        if pair.linked != "archived" or pair.away is None:
            return False
        side = pair.away.side
        return stands[OTHER[side]].presence == "here" and stands[side].presence in ("here", "outside")

    def bring_back(self, pair: Pair, items: Mapping[Side, Item], step: Step) -> None:
        """Give an item back what it had before it was put away, unless somebody changed that since."""
        assert pair.away is not None
        side, before = pair.away.side, pair.away.before
        away = self.mirror.side(side).away
        if away is not None and items[side].values.get(away.field) == away.value:
            return self._write(pair, side, items[side], {away.field: before}, "open", step)
        step.pairs.append(_ended(pair, "open"))
        step.stirred.append((side, items[side].id))
        self.keeping.commit(step)

    def _write(
        self,
        pair: Pair,
        side: Side,
        item: Item,
        values: Mapping[FieldId, Value],
        then: Literal["archived", "closed", "open"],
        step: Step,
        counts: Counted | None = None,
    ) -> None:
        before = {of: raw for of in values if not isinstance(raw := item.values.get(of), Unreadable)}
        intent = Intent(
            self.fresh(), side, "update", pair.id, "", item.id, dict(values), item.version, self.now(), before=before, then=then
        )
        intent = replace(intent, counts=counts)
        step.opened.append(intent)
        self.keeping.commit(step)
        self.carry(intent)

    def landed(self, intent: Intent, written: Written, pair: Pair, late: bool) -> None:
        """Commit what a pair is once its item was put away, or back."""
        assert intent.then is not None
        step = Step(closed=[intent.key], landed=[Landed(intent, written, pair.id, late)])
        now = _ended(pair, intent.then)
        if intent.then == "archived":
            now = replace(now, away=PutAway(intent.side, next(iter(intent.before.values()))))
        step.pairs.append(now)
        step.stirred.append((intent.side, intent.item))
        self.keeping.commit(step)

    def refused(self, intent: Intent, pair: Pair | None) -> None:
        """Note that a side doesn't take what would put an item away."""
        step = Step(closed=[intent.key])
        if pair is not None:
            of, value = next(iter(intent.values.items()))
            step.notes.append(Note("refused", pair.id, of, intent.side, value if isinstance(value, str) else None))
            step.pairs.append(replace(pair, state="asked", asks="deleted"))
        self.keeping.commit(step)


def _ended(pair: Pair, then: Literal["archived", "closed", "open"]) -> Pair:
    match then:
        case "archived":
            return replace(pair, linked="archived", state="outside", asks=None)
        case "closed":
            return replace(pair, linked="closed", state="closed", asks=None)
    return replace(pair, linked="open", state="behind", asks=None, away=None)
