"""The model of mirrors (tests/mirror_world.py) over MariaDB: what is kept there does what the model's memory does."""

from __future__ import annotations

import json
import random
from contextlib import suppress
from dataclasses import replace

import pytest

from kelvix.core.collection import TransientError
from kelvix.core.mirror import forms
from kelvix.core.mirror.document import FieldPair, Mirror, MirrorSide
from kelvix.engine.mirrors import undoing
from kelvix.engine.mirrors.keeping import Note
from kelvix.engine.mirrors.kept import Kept, as_intent, as_pair, put_pair
from kelvix.engine.mirrors.running import Later
from kelvix.store import crossings, mirror_intents, mirrored_items, mirrors, pairs
from mirror_world import KINDS, Crash, Memory, live

STEPS = 30  # of each kind: 300 and many more in all


class InMariaDB(Kept):
    """What a mirror of the model's world keeps in MariaDB, as the model looks at it. Here nobody else works on it."""

    def __init__(self, space, world, number, names, running):
        self.world, self.number, self.names = world, number, names
        mirror = Mirror(MirrorSide(1), MirrorSide(2), (FieldPair("title", "title", "title", "text"),), running.mirror.match)

        def make(t):
            made = mirrors.create(t, space.id, "model", mirror, "")
            ids = [mirrors.collection(t, space.id, f"world {world.number}", names[side]) for side in ("left", "right")]
            mirrors.set_collections(t, space.id, made, *ids)
            return mirrors.get(t, space.id, made)

        super().__init__(space, space.transact(make), running, "", 0, 60)

    @property
    def pairs(self):
        rows = self.space.rows("SELECT id FROM pair WHERE mirror_id=%s AND linked<>'only' ORDER BY n", (self.mirror.id,))
        return {r["id"]: as_pair(self.space.read(lambda t, r=r: pairs.get(t, self.mirror.id, r["id"]))) for r in rows}

    @property
    def intents_(self):
        rows = [row for side in ("left", "right") for row in self.space.read(
            lambda t, side=side: mirror_intents.of_side(t, self.mirror.id, side))]  # fmt: skip
        return {row["key"]: as_intent(row) for row in rows}

    @property
    def notes(self):
        rows = self.space.rows(
            "SELECT JSON_VALUE(body, '$.field') AS field, JSON_QUERY(body, '$') AS body FROM mirror_crossing "
            "WHERE mirror_id=%s AND kind IN ('lost','refused','war')",
            (self.mirror.id,),
        )
        return [Note("lost", "", r["field"], None, forms.value_of(json.loads(r["body"])["value"])) for r in rows]

    # The model's rule, as its memory has it.
    alike, undecided, successors = Memory.alike, Memory.undecided, Memory.successors
    _is_alike = Memory._is_alike

    def was_like(self, side, gone, item):
        known = self.space.read(lambda t: mirrored_items.of(t, self.mirror.collection(side), [gone])).get(gone)
        return known is not None and known.fields["mark"].raw == item.values["mark"]

    @property
    def seen(self):
        rows = self.space.rows("SELECT left_item, right_item FROM pair WHERE mirror_id=%s AND linked='only'", (self.mirror.id,))
        return {("left", r["left_item"]) if r["left_item"] else ("right", r["right_item"]) for r in rows}

    def put_pair(self, pair):
        self.space.transact(lambda t: put_pair(t, self.space, self.mirror, pair))

    def forget_ended(self):
        """Let a hundred days go by in MariaDB too, at whose end both sides were read in full."""

        def work(t):
            t.execute("UPDATE pair SET changed_at=changed_at - INTERVAL 100 DAY WHERE mirror_id=%s", (self.mirror.id,))
            t.execute("UPDATE mirrored_item SET seen_at=seen_at - INTERVAL 100 DAY")
            crossings.end_parity(t, crossings.begin_parity(t, self.space.id, self.mirror.id), {})
            for side in ("left", "right"):
                pairs.touch(t, self.mirror.collection(side), list(self.world.apps[self.names[side]].items))
            pairs.forget_ended(t, self.space.id)

        self.space.transact(work)

    def commit(self, step):
        fault = self.world.fault("commit", str(self.number), None)
        if fault == "crash before":
            raise Crash
        super().commit(step)
        for side, item in step.stirred:
            self.world.stir(self.number, side, item)
        if fault == "crash after":
            raise Crash


def undo(world, memory, crossing):
    """Undo one of the last writes, or let a pair go on of which something was undone."""
    held = [pair for pair in memory.pairs.values() if pair.held and pair.linked == "open"]
    if held and world.dice.random() < 0.4:
        pair = world.dice.choice(held)
        memory.put_pair(replace(pair, held=frozenset(), state="behind"))
        return world.stir(memory.number, "left", pair.left)
    written = [
        one for one in memory.space.read(lambda t: crossings.page(t, memory.mirror.id, None, 10)) if one.undone_by is None
    ]
    written = [one for one in written if one.kind in crossings.WRITES]
    if not written:
        return None
    one = world.dice.choice(written)
    world.is_undoing = True
    world.is_calm = one.kind == "delete"  # of what is brought back, nobody knows before it is there
    with suppress(undoing.CannotUndo, Later, TransientError, Crash):
        undoing.undo(memory.space, memory.mirror, one, "ada", crossing)
        world.undone += 1
    world.is_undoing = world.is_calm = False
    return None


@pytest.mark.parametrize("kind", ["plain", "commented", "deletions stay", "without keys"])
def test_what_is_undone_loses_and_doubles_nothing(kelvix, kind):
    def lived(seed):
        space = kelvix.person("Orla").space

        def keeps(world, n, names, running):
            return InMariaDB(space, world, n, names, running)

        return live(random.Random(seed), kind, 60, keeps=keeps, undoes=undo)

    assert sum(lived(seed).undone for seed in range(4)) > 3


@pytest.mark.parametrize("kind", KINDS)
def test_what_is_kept_in_mariadb_loses_and_doubles_nothing(orla, kind):
    live(random.Random(2), kind, STEPS, keeps=lambda world, n, names, running: InMariaDB(orla.space, world, n, names, running))
