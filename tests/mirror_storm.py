"""A mirror whose both sides are edited at once, through a network that cuts, loses, holds back and limits, while workers are
killed: what stands on both sides in the end, and what a person is asked. The bench uses it too."""

from __future__ import annotations

import random
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from uuid import uuid4

import sides
from kelvix.core.collection import ConflictError, GoneError, Item, TransientError, UnknownOutcomeError, Write
from kelvix.core.mirror import forms, proposals
from kelvix.core.mirror.document import Mirror, MirrorSide, Safety
from kelvix.core.query import Query
from kelvix.engine.mirrors import planning
from kelvix.store import crossings, mirror_intents, mirror_looks, mirrors, pairs
from proxy import Proxy
from support import Kelvix, until

KILLED_EVERY = (2.0, 5.0)  # seconds between workers that are killed
PAGE = 100


@dataclass
class Ledger:
    """What was done, and what there is of it: edits as tokens, with those that each took the place of."""

    items: int
    edits: dict[str, str] = field(default_factory=dict)  # a token, and the one that was there
    unknown: dict[str, str] = field(default_factory=dict)  # the same, of edits that were not answered: they may have been made
    kills: int = 0
    titles: dict[str, Counter[str]] = field(default_factory=dict)  # by side: how many items of each name
    stand: set[str] = field(default_factory=set)
    told: set[str] = field(default_factory=set)  # tokens in a conflict, or recorded as passed over
    differ: int = 0  # pairs that differ and are not open
    conflicts: int = 0
    unconfirmed: int = 0
    writes: int = 0

    def lost(self) -> list[str]:
        """Edits that stand nowhere, were seen by no later one, and of which nobody is told."""
        known = self.stand | self.told | set(self.edits.values())
        made: set[str] = set()
        while more := {token for token in self.unknown if token in known} - made:
            made |= more
            known |= {self.unknown[token] for token in more}
        return [token for token in self.edits if token not in known]


class TwoWays:
    """The tasks of a database and a list of practice Tasks, mirrored; people edit both. A title is a name and a token."""

    def __init__(self, running: Kelvix, proxy: Proxy, seed: int, items: int):
        self.running, self.proxy, self.dice = running, proxy, random.Random(seed)
        self.orla = running.person("Orla")
        storm, proxy.fate = proxy.fate, lambda asked: "through"
        self.left, self.right = sides.Own(self.orla, "Workshop"), sides.Tasks(self.orla, "Bench")
        self.ledger = Ledger(items)
        for n in range(items):
            side = (self.left, self.right)[n % 2]
            side.create({side.title: f"item{n:05} start{n:05}"})
        schemas = self.left.source.schema(), self.right.source.schema()
        fields = tuple(p for p in proposals.field_pairs(*schemas) if p.left == self.left.title)
        chosen = Mirror(
            MirrorSide(self.left.id),
            MirrorSide(self.right.id),
            fields,
            proposals.match_rule(*schemas, fields),
            safety=Safety(overwritten=9.0),
            quiet=0.0,
        )
        self.space = self.orla.space
        self.id = self.space.transact(lambda t: mirrors.create(t, self.space.id, "storm", chosen, ""))
        planning.begin(running.engine, self.space, self.id)
        until(lambda: self.state() == "planned", 120)
        proxy.fate = storm
        planning.carry_out(running.engine, self.space, self.id)

    def state(self) -> str:
        return self.space.read(lambda t: mirrors.get(t, self.space.id, self.id)).state

    def blow(self, edits: int, patience: float) -> Ledger:
        """Edit both sides, and kill workers, until all was edited; then wait until nothing is to be done."""
        hands = [threading.Thread(target=self._edit, args=(side, edits // 2), daemon=True) for side in (self.left, self.right)]
        for hand in hands:
            hand.start()
        while any(hand.is_alive() for hand in hands):
            time.sleep(self.dice.uniform(*KILLED_EVERY))
            self._kill_the_worker()
        self.proxy.fate = lambda asked: "through"
        self._rests(patience)
        return self._look()

    def _edit(self, side: sides.Side, edits: int) -> None:
        dice = random.Random(self.dice.random())
        for n in range(edits):
            token = f"{type(side).__name__.lower()}{n:05}"
            for _ in range(200):
                try:
                    item = dice.choice(side.items())
                    name, was = str(item.values[side.title]).split()
                    self._write(side, item, f"{name} {token}")
                    self.ledger.edits[token] = was
                    break
                except (ConflictError, GoneError, TransientError, AssertionError, ValueError):
                    time.sleep(0.05)
                except UnknownOutcomeError:
                    self.ledger.unknown[token] = was
                    break
            time.sleep(dice.uniform(0, 0.1))

    def _write(self, side: sides.Side, item: Item, title: str) -> None:
        """Edit an item as it was seen: what somebody changed since is not replaced unseen."""
        if isinstance(side, sides.Own):
            where = f"/databases/{side.id}/records/{item.id}"
            self.orla.api("PATCH", where, json={"values": {side.title: title}}, headers={"if-match": str(item.version)})
        else:
            side.source.write(Write("update", f"by hand {uuid4()}", item.id, {side.title: title}, item.version))

    def _kill_the_worker(self) -> None:
        child = self.running.installation.child("worker")
        child.kill()
        child.wait()
        self.running.installation.start("worker")
        self.ledger.kills += 1

    def _rests(self, patience: float) -> None:
        def is_over() -> bool:
            kept = self.space.read(lambda t: mirrors.get(t, self.space.id, self.id))
            waiting = self.space.read(lambda t: mirror_looks.waiting(t, self.id))
            open_ = self.space.row("SELECT COUNT(*) AS n FROM mirror_intent WHERE mirror_id=%s AND in_doubt=0", (self.id,))
            return kept.stage is None and not waiting and not open_["n"]

        until(is_over, patience)
        self.orla.api("POST", f"/mirrors/{self.id}/parity")
        time.sleep(1)
        until(is_over, patience)

    def _items(self, side: sides.Side):
        found, after = [], None
        while True:
            page = side.source.query(Query(limit=PAGE, after=after))
            found += page.items
            after = page.after
            if after is None:
                return found

    def _look(self) -> Ledger:
        book = self.ledger
        here = {"left": self._items(self.left), "right": self._items(self.right)}
        by_id = {side: {i.id: i.title for i in items} for side, items in here.items()}
        for side, items in here.items():
            book.titles[side] = Counter(i.title.split()[0] for i in items)
            book.stand |= {i.title.split()[1] for i in items}
        for row in self.space.read(lambda t: pairs.page(t, self.id, (), 0, 100_000)):
            if row.state == "conflict":
                book.conflicts += 1
                both = [forms.value_of(o["conflict"][side]) for o in row.body["open"].values() for side in ("left", "right")]
                book.told |= {str(value).split()[1] for value in both}
            elif row.linked == "open" and by_id["left"].get(row.left_item) != by_id["right"].get(row.right_item):
                book.differ += 1
        for one in self.space.read(lambda t: crossings.page(t, self.id, None, 100_000)):
            if "value" in one.body:
                book.told.add(str(forms.value_of(one.body["value"])).split()[1])
            book.writes += one.kind in crossings.WRITES
        book.unconfirmed = len(self.space.read(lambda t: mirror_intents.in_doubt(t, self.space.id, self.id)))
        return book
