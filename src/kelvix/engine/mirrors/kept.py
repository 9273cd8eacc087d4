"""What a mirror keeps, in MariaDB. Whoever looks at an item holds its lanes; what is committed without them is refused."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from kelvix.core.collection import Item, readable
from kelvix.core.mirror import forms
from kelvix.core.mirror.document import OTHER
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.matching import Keyed, key_text, match
from kelvix.core.mirror.merge import SIDES
from kelvix.core.query import Query
from kelvix.core.values import FieldId, Value
from kelvix.engine.mirrors.crossing import Wish, digest
from kelvix.engine.mirrors.keeping import Counted, Intent, Known, Landed, Note, Only, Pair, PutAway, Said, Step
from kelvix.engine.mirrors.running import Later, Running
from kelvix.store import crossings, mirror_intents, mirror_looks, mirrored_comments, mirrored_items, pairs, secrets
from kelvix.store.database_server import IntegrityError, Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrored_items import KnownItem
from kelvix.store.mirrors import KeptMirror
from kelvix.store.pairs import KeptPair

MAX_UNDECIDED = 200  # pairs of which one item is gone, that are looked through for one that was moved
NEWEST = 50  # items that may have been added without our having been told


class Kept:
    """A mirror's pairs, while one of its items is looked at. `token`: who holds the lanes, of which there are `lanes`, for
    `lease` seconds from each commit on; `since`: when the item was told of; `committed`: called after each commit."""

    def __init__(
        self,
        space: Space,
        mirror: KeptMirror,
        running: Running,
        token: str,
        lanes: int,
        lease: float,
        since: datetime | None = None,
        committed: Callable[[], object] = lambda: None,
    ):
        self.space, self.mirror, self.running, self.token, self.lanes = space, mirror, running, token, lanes
        self.lease, self.since, self.committed = lease, since, committed
        self.collections = (mirror.collection("left"), mirror.collection("right"))

    def pair_of(self, side: Side, item: str) -> Pair | None:
        found = self.space.read(lambda t: pairs.of_item(t, self.mirror.id, side, item))
        return as_pair(found) if found is not None and found.linked != "only" else None

    def was_paired(self, side: Side, item: str) -> bool:
        return self.space.read(lambda t: pairs.was_paired(t, self.mirror.id, side, item))

    def known(self, side: Side, item: str) -> Known:
        found = self.space.read(lambda t: mirrored_items.of(t, self.mirror.collection(side), [item]))
        return Known(found[item].fields) if item in found else Known()

    def intents(self, side: Side) -> Sequence[Intent]:
        return [as_intent(kept) for kept in self.space.read(lambda t: mirror_intents.of_side(t, self.mirror.id, side))]

    def wish(self, side: Side, item: str) -> Wish | None:
        found = self.space.read(lambda t: pairs.of_item(t, self.mirror.id, side, item))
        if found is None or found.linked != "only":
            return None
        wishes: dict[str | None, Wish] = {"make": "create", "leave": "leave"}
        return wishes.get(found.plan) or ("leave" if found.state == "left_out" else None)

    def alike(self, side: Side, item: Item) -> Sequence[str]:
        rule = self.mirror.mirror.match
        mine, other = keyed(self.mirror, side, item), OTHER[side]
        if not rule.keys:
            return []
        firm = firm_of(self.mirror, mine)
        others: dict[str, Sequence[str | None]] = {}
        if firm is not None:
            others |= self.space.read(lambda t: pairs.alone_by_firm(t, self.mirror.id, other, firm))
        others |= {one.id: one.keys for one in self._newest(other)}
        there = [Keyed(id, tuple(keys)) for id, keys in others.items()]
        lefts, rights = ([mine], there) if side == "left" else (there, [mine])
        found = match(rule, lefts, rights)
        likely = [*found.pairs, *(one for doubt in found.doubts for one in doubt.pairs)]
        return list(dict.fromkeys(one.right if side == "left" else one.left for one in likely))

    def undecided(self, side: Side, item: Item) -> Sequence[Pair]:
        if not self.mirror.mirror.match.keys:
            return ()
        rows = self.space.read(lambda t: pairs.undecided(t, self.mirror.id, side, MAX_UNDECIDED))
        gone = self._as_they_were(side, [id for row in rows if (id := row.item(side)) is not None])
        found = match(self.mirror.mirror.match, [keyed(self.mirror, side, item)], gone).pairs
        ids = {one.right for one in found}
        return [as_pair(row) for row in rows if row.item(side) in ids]

    def was_like(self, side: Side, before: str, item: Item) -> bool:
        if not self.mirror.mirror.match.keys:
            return False
        known = self._as_they_were(side, [before])
        return bool(match(self.mirror.mirror.match, [keyed(self.mirror, side, item)], known).pairs)

    def successors(self, side: Side, gone: str) -> Sequence[str]:
        if not self.mirror.mirror.match.keys:
            return ()
        found = match(self.mirror.mirror.match, self._newest(side), self._as_they_were(side, [gone]))
        return [one.left for one in found.pairs]

    def _as_they_were(self, side: Side, items: Sequence[str]) -> list[Keyed]:
        """Return items by what they were recognised by when they were read last."""
        known = self.space.read(lambda t: mirrored_items.of(t, self.mirror.collection(side), items))
        values = {id: {of: one.raw for of, one in item.fields.items()} for id, item in known.items()}
        return [Keyed(id, keys_of(self.mirror, side, of)) for id, of in values.items()]

    def hold(self, pair: Pair) -> bool:
        lanes = [mirror_looks.item_lane(self.mirror.collection(side), pair.item(side)) for side in SIDES]

        def work(t: Transaction) -> int:
            mirror_looks.take(t, self.space.id, lanes, self.token, self.lease)
            return mirror_looks.held(t, self.token)

        held = self.space.transact(work)
        if held < self.lanes + len(lanes):
            return False
        self.lanes = held
        return True

    def _newest(self, side: Side) -> list[Keyed]:
        """Return items of a side of which we may not have been told yet: the newest that are not known here."""
        page = self.running.sides[side].query(Query(limit=NEWEST))
        there = [i for i in page.items if self.running.sides[side].has(i) and self.running.is_inside(side, i)]
        known = self.space.read(lambda t: pairs.known_among(t, self.mirror.id, side, [i.id for i in there]))
        return [keyed(self.mirror, side, item) for item in there if item.id not in known]

    def comment_roots(self, side: Side, item: str, own: str = "") -> Mapping[str, str] | None:
        collection = self.mirror.collection(side)

        def work(t: Transaction) -> Mapping[str, str] | None:
            if mirror_intents.is_commented(t, self.space.id, collection, item, own):
                return None
            return mirrored_comments.roots(t, collection, item)

        return self.space.read(work)

    def allows(self, side: Side, counted: Counted, more: int = 0) -> bool:
        safety = self.mirror.mirror.safety

        def work(t: Transaction) -> bool:
            items = pairs.items_of(t, self.mirror.id, side)
            done = crossings.counted(t, self.mirror.id, side, counted) + more
            if counted == "update":
                return done < max(safety.overwritten_at_least, int(safety.overwritten * items))
            held_back = pairs.asked(t, self.mirror.id).get("too_many", 0)
            waiting = mirror_looks.told_deleted(t, self.mirror.id, OTHER[side]) + held_back
            most = max(safety.at_least, int(safety.share * items))
            return done + max(waiting, 1) <= most

        return self.space.read(work)

    def kin(self, side: Side, item: str) -> Sequence[str] | None:
        here, there = self.mirror.collection(side), self.mirror.collection(OTHER[side])

        def work(t: Transaction) -> Sequence[str] | None:
            reached = pairs.connected(t, [(here, item)])
            for making in mirror_intents.creating(t, self.space.id):
                source = (making["source_collection"], making["source"])
                if making["collection_id"] == here and len(reached) == 1:
                    return None  # it may be what is just being created
                if making["collection_id"] == there and source in reached:
                    return None
            return [id for collection, id in reached if collection == there]

        return self.space.read(work)

    # Committing

    def commit(self, step: Step) -> None:
        """Commit a step together. Raises Later where somebody else has the lanes by now, or did the same."""
        try:
            self.space.transact(lambda t: self._commit(t, step))
        except IntegrityError:
            raise Later(1.0) from None
        self.committed()

    def _commit(self, t: Transaction, step: Step) -> None:
        workspace, mirror = self.space.id, self.mirror.id
        if mirror_looks.held(t, self.token, self.lease) < self.lanes:
            raise Later
        for key in step.closed:
            if not mirror_intents.close(t, workspace, key):
                raise Later  # another found out what became of it
        for pair in step.pairs:
            put_pair(t, self.space, self.mirror, pair)
        self._put_known(t, step.known)
        for intent in step.opened:
            collection = self.mirror.collection(intent.side)
            mirror_intents.keep(t, workspace, mirror, collection, intent_json(intent), intent.in_doubt)
        for side, item in step.stirred:
            mirror_looks.stir(t, workspace, mirror, side, [item])
        for one in step.alone:
            pairs.put_only(t, workspace, mirror, self.collections, one.side, [only(self.mirror, one)])
        for side, item in step.gone:
            pairs.forget_only(t, mirror, side, item)
        for note in step.notes:
            self._note(t, note)
        for landed in step.landed:
            self._note_landed(t, landed)
        for intent, comment in step.commented:
            self._note_commented(t, intent, comment)

    def _put_known(self, t: Transaction, several: Mapping[tuple[Side, str], Known]) -> None:
        for side in SIDES:
            known = {item: one for (of, item), one in several.items() if of == side}
            collection = self.mirror.collection(side)
            was = mirrored_items.of(t, collection, [id for id, one in known.items() if one.item is None])
            new = {id: known_item(one) for id, one in known.items() if one.item is not None}
            new |= {id: replace(was[id], fields=one.fields) for id, one in known.items() if id in was}
            mirrored_items.put(t, self.space.id, collection, new)

    def _note(self, t: Transaction, note: Note) -> None:
        body = {"field": note.field, "value": forms.value_json(note.value)}
        crossings.note(t, self.space.id, self.mirror.id, note.pair, note.what, note.side or "left", "", "", body)

    def _note_landed(self, t: Transaction, landed: Landed) -> None:
        intent, item = landed.intent, landed.written.item
        body = {
            "before": {key: forms.value_json(value) for key, value in intent.before.items()},
            "after": {key: forms.value_json(value) for key, value in intent.values.items()},
            "version": item.version if item and not landed.late else None,
            "source": intent.source,
        }
        title = item.title if item else str(next((v for v in intent.before.values() if v), ""))
        crossings.note(
            t, self.space.id, self.mirror.id, landed.pair, intent.kind, intent.side, item.id if item else intent.item, title,
            body, None if intent.kind == "create" else self.since, intent.counts,
        )  # fmt: skip

    def _note_commented(self, t: Transaction, intent: Intent, comment: str) -> None:
        collection = self.mirror.collection(intent.side)
        mirrored_comments.note(t, self.space.id, collection, intent.item, comment, intent.source)
        known = mirrored_items.of(t, collection, [intent.item]).get(intent.item)
        after = {key: forms.value_json(value) for key, value in intent.values.items()}
        title, body = known.title if known else "", {"before": {}, "after": after, "comment": comment}
        where = (self.space.id, self.mirror.id, intent.pair or "")
        crossings.note(t, *where, intent.kind, intent.side, intent.item, title, body, self.since)


# Forms


def keyed(mirror: KeptMirror, side: Side, item: Item) -> Keyed:
    """Return an item by what it is recognised by."""
    return Keyed(item.id, keys_of(mirror, side, readable(item.values)))


def keys_of(mirror: KeptMirror, side: Side, values: Mapping[FieldId, Value]) -> tuple[str | None, ...]:
    """Return what an item of such values is recognised by."""
    return tuple(key_text(values.get(key.left if side == "left" else key.right), key.by) for key in mirror.mirror.match.keys)


def firm_of(mirror: KeptMirror, one: Keyed) -> bytes | None:
    """Return the digest of what must be the same; none where some of it is empty."""
    firm = [key for key, of in zip(one.keys, mirror.mirror.match.keys, strict=True) if of.by != "near"]
    if not mirror.mirror.match.keys or any(key is None for key in firm):
        return None
    return secrets.digest("firm", *(str(key) for key in firm))


def known_item(one: Known) -> KnownItem:
    """Return what is known of an item that was read."""
    item = one.item
    assert item is not None
    return KnownItem(one.fields, item.title, item.link, item.changed or item.created, item.changed_by, digest(item))


def only(mirror: KeptMirror, one: Only, plan: str | None = None) -> pairs.Only:
    """Return the row of an item in no pair."""
    keys = keyed(mirror, one.side, one.item)
    id = only_id(mirror, one.side, one.item.id)
    body: dict[str, Any] = {"found": list(one.found)} | ({"why": one.why} if one.why else {})
    return pairs.Only(id, one.item.id, one.state, keys.keys, firm_of(mirror, keys), body, plan)


def only_id(mirror: KeptMirror, side: Side, item: str) -> str:
    """Return the identity of the row of an item in no pair."""
    return secrets.digest("only", mirror.id, side, item).hex()[:40]


def as_pair(kept: KeptPair) -> Pair:
    """Return a pair as it is kept. Only rows of pairs are asked for."""
    body, left, right = kept.body, kept.left_item, kept.right_item
    assert left is not None and right is not None
    linked: Any = kept.linked
    state: Any = kept.state
    asks: Any = kept.asks
    return Pair(
        kept.id,
        left,
        right,
        linked,
        forms.agreed_of(body.get("agreed", {})),
        body.get("digests", {}),
        {(field, side): forms.value_of(value) for field, side, value in body.get("refused", ())},
        {field: tuple(map(forms.value_of, turns)) for field, turns in body.get("turns", {}).items()},
        {field: forms.outcome_of(one) for field, one in body.get("open", {}).items()},
        state,
        asks,
        frozenset(body.get("held", ())),
        _said_of(body["said"]) if body.get("said") else None,
        PutAway(body["away"]["side"], forms.value_of(body["away"]["before"])) if body.get("away") else None,
        body.get("decided"),
    )


def pair_json(pair: Pair) -> dict[str, Any]:
    """Return what a pair has beside its columns."""
    return {
        "agreed": forms.agreed_json(pair.agreed),
        "digests": dict(pair.digests),
        "refused": [[field, side, forms.value_json(value)] for (field, side), value in pair.refused.items()],
        "turns": {field: [forms.value_json(one) for one in turns] for field, turns in pair.turns.items()},
        "open": {field: forms.outcome_json(one) for field, one in pair.open.items()},
        "held": sorted(pair.held),
        "said": _said_json(pair.said) if pair.said else None,
        "away": {"side": pair.away.side, "before": forms.value_json(pair.away.before)} if pair.away else None,
        "decided": pair.decided,
    }


def _said_json(said: Said) -> dict[str, Any]:
    since = said.since.isoformat() if said.since else None
    return {"settled": sorted(said.settled), "counts": dict(said.counts), "since": since}


def _said_of(kept: Mapping[str, Any]) -> Said:
    since = datetime.fromisoformat(kept["since"]) if kept["since"] else None
    return Said(frozenset(kept["settled"]), kept["counts"], since)


def put_pair(t: Transaction, space: Space, mirror: KeptMirror, pair: Pair, plan: str | None = None, why: Any = None) -> None:
    """Keep a pair as it is by now."""
    collections = (mirror.collection("left"), mirror.collection("right"))
    body = pair_json(pair) | ({"why": why} if why is not None else {})
    pairs.put(
        t, space.id, mirror.id, collections, pair.id, (pair.left, pair.right), pair.linked, pair.state, pair.asks, body, plan
    )


def intent_json(intent: Intent) -> dict[str, Any]:
    return {
        "key": intent.key,
        "side": intent.side,
        "kind": intent.kind,
        "pair": intent.pair,
        "source": intent.source,
        "item": intent.item,
        "values": {key: forms.value_json(value) for key, value in intent.values.items()},
        "version": intent.version,
        "at": intent.at.isoformat() if intent.at else None,
        "after": forms.agreed_json(intent.after),
        "meant": {key: forms.standing_json(one) for key, one in intent.meant.items()},
        "before": {key: forms.value_json(value) for key, value in intent.before.items()},
        "is_clean": intent.is_clean,
        "editor": intent.editor,
        "then": intent.then,
        "counts": intent.counts,
    }


def as_intent(kept: Mapping[str, Any]) -> Intent:
    return Intent(
        kept["key"],
        kept["side"],
        kept["kind"],
        kept["pair"],
        kept["source"],
        kept["item"],
        {key: forms.value_of(value) for key, value in kept["values"].items()},
        kept["version"],
        datetime.fromisoformat(kept["at"]) if kept["at"] else None,
        forms.agreed_of(kept["after"]),
        {key: forms.standing_of(one) for key, one in kept["meant"].items()},
        {key: forms.value_of(value) for key, value in kept["before"].items()},
        kept.get("is_clean", False),
        kept["in_doubt"],
        kept.get("editor", ""),
        kept.get("then"),
        kept.get("counts"),
    )
