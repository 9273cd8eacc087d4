"""What goes wrong between a mirror and its sides, one case each, by hand: no worker takes part. A side is changed by its user's
hands, and what the mirror calls goes through a collection in which something happens at a chosen moment."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from secrets import token_hex

import pytest

from kelvix.core.collection import Collection, GoneError, Page, TransientError, UnknownOutcomeError
from kelvix.core.mirror import proposals
from kelvix.core.mirror.document import OTHER, Mirror, MirrorSide, Safety
from kelvix.core.query import Query
from kelvix.engine.mirrors import looking, sweeping
from kelvix.engine.mirrors.crossing import Crossing
from kelvix.engine.mirrors.kept import Kept, as_pair
from kelvix.engine.mirrors.running import Stop
from kelvix.store import mirror_looks, mirrors, pairs
from sides import Issues, Own, Tables, Tasks


class Between(Collection):
    """A side as the mirror calls it. `before` and `after` happen once, around the next write; `pages` are read instead of the
    side's own."""

    def __init__(self, of):
        self.of = of
        self.ref, self.capabilities, self.reach = of.ref, of.capabilities, of.reach
        self.before = self.after = lambda: None
        self.pages = None
        self.writes = 0

    def schema(self):
        return self.of.schema()

    def one(self, id):
        return self.of.one(id)

    def get(self, ids):
        return self.of.get(ids)

    def has(self, item):
        return self.of.has(item)

    def query(self, query):
        if self.pages:
            found = self.pages.pop(0)
            if isinstance(found, Exception):
                raise found
            return found
        return self.of.query(query)

    def head(self):
        return self.of.head()

    def changes(self, cursor):
        return self.of.changes(cursor)

    def look(self, write):
        return self.of.look(write)

    def write(self, write):
        self.writes += 1
        before, self.before = self.before, lambda: None
        after, self.after = self.after, lambda: None
        before()
        made = self.of.write(write)
        after()
        return made


class ByHand:
    """A mirror of the titles of two sides, of which each look is asked for."""

    def __init__(self, orla, left, right, **choices):
        self.engine, self.space = orla.kelvix.engine, orla.space
        self.sides = {"left": left, "right": right}
        schemas = left.source.schema(), right.source.schema()
        fields = tuple(p for p in proposals.field_pairs(*schemas) if p.left == left.title)
        chosen = Mirror(
            MirrorSide(left.id), MirrorSide(right.id), fields, proposals.match_rule(*schemas, fields), quiet=0.0, **choices
        )
        id = self.space.transact(lambda t: mirrors.create(t, self.space.id, "by hand", chosen, ""))
        refs = [left.source.ref, right.source.ref]

        def numbered(t):
            found = [mirrors.collection(t, self.space.id, r.account, r.place) for r in refs]
            mirrors.set_collections(t, self.space.id, id, *found)
            return mirrors.get(t, self.space.id, id)

        self.kept = self.space.transact(numbered)
        running = looking.open_mirror(self.engine, self.space, self.kept)
        self.running = replace(running, sides={side: Between(running.sides[side]) for side in ("left", "right")})
        self.between = self.running.sides

    def look(self, side, item, token=None):
        """Look at an item as a worker would: after how many seconds again; False where another has its lane."""
        token = token or token_hex(16)
        lanes = self.space.transact(lambda t: looking.lanes_of(t, self.kept, side, item))
        if not self.space.transact(lambda t: mirror_looks.take(t, self.space.id, lanes, token, 60)):
            self.space.transact(lambda t: mirror_looks.free(t, token))
            return False
        try:
            keeping = Kept(self.space, self.kept, self.running, token, len(lanes), 60)
            return Crossing(self.running, keeping, lambda: token_hex(12), lambda: looking.now()).look_at(side, item)
        finally:
            self.space.transact(lambda t: mirror_looks.free(t, token))

    def settles(self):
        """Look at all there is, until nothing is to be done."""
        for _ in range(4):
            for side in ("left", "right"):
                for item in self.sides[side].items():
                    self.look(side, item.id)

    def create(self, side, title):
        return self.sides[side].create({self.sides[side].title: title})

    def edit(self, side, id, title):
        self.sides[side].edit(id, {self.sides[side].title: title})

    def titles(self, side):
        return sorted(str(i.title) for i in self.sides[side].items())

    def counterpart(self, side, item):
        return self.space.read(lambda t: pairs.of_item(t, self.kept.id, side, item)).item(OTHER[side])

    def pairs(self):
        return [as_pair(r) for r in self.space.read(lambda t: pairs.page(t, self.kept.id, (), 0, 100)) if r.linked == "open"]

    def sweep(self, side):
        stage = {"does": "sweep", "left": 0, "right": 0, "parity": 0, **sweeping.from_the_top(side)}
        while stage["does"] == "sweep" and stage["side"] == side:
            stage = sweeping.sweep(self.space, self.kept, self.running, stage, "")

    def stirred(self):
        rows = self.space.rows("SELECT side, item_id FROM mirror_look WHERE mirror_id=%s", (self.kept.id,))
        return {(r["side"], r["item_id"]) for r in rows}


@pytest.fixture(params=[Tasks, Issues], ids=["with keys", "without keys"])
def mirror(orla, request):
    return ByHand(orla, Own(orla, "Workshop"), request.param(orla, "Restoration"))


def test_an_echo_that_comes_before_its_writes_outcome_waits_and_writes_nothing(mirror):
    ours = mirror.create("left", "Order leather")
    seen = []

    def echo():
        [there] = mirror.sides["right"].items()
        seen.append(mirror.look("right", there.id))

    mirror.between["right"].after = echo
    assert mirror.look("left", ours) is None and seen == [False], "what is new on that side waits for who creates there"
    mirror.settles()
    assert (mirror.titles("left"), mirror.titles("right")) == (["Order leather"], ["Order leather"])
    assert mirror.between["right"].writes == 1 and mirror.between["left"].writes == 0


def test_a_page_that_was_read_before_our_own_write_changes_nothing(mirror):
    ours = mirror.create("left", "Order leather")
    mirror.settles()
    stale = mirror.sides["right"].source.query(Query(limit=50))
    mirror.edit("left", ours, "Order reed leather")
    mirror.settles()
    mirror.between["right"].pages = [replace(stale, after=None)]
    mirror.sweep("right")
    for side, item in mirror.stirred():
        mirror.look(side, item)
    assert mirror.titles("left") == mirror.titles("right") == ["Order reed leather"]


def test_a_value_that_was_changed_and_changed_back_is_no_edit(mirror):
    ours = mirror.create("left", "Order leather")
    mirror.settles()
    writes = mirror.between["right"].writes
    mirror.edit("left", ours, "Order felt")
    mirror.edit("left", ours, "Order leather")
    mirror.settles()
    assert mirror.between["right"].writes == writes and mirror.titles("right") == ["Order leather"]


def test_an_empty_answer_stops_a_sweep_and_deletes_nothing(mirror):
    for n in range(6):
        mirror.create("left", f"Pipe {n}")
    mirror.settles()
    mirror.between["right"].pages = [Page((), None, True)]
    with pytest.raises(Stop, match="came back empty"):
        mirror.sweep("right")
    assert len(mirror.titles("left")) == 6 and "right" not in {side for side, _ in mirror.stirred()}


def test_a_page_that_is_not_found_leaves_the_sweep_where_it_is(mirror):
    mirror.create("left", "Order leather")
    mirror.settles()
    for failure in (GoneError("not found"), TransientError("down")):
        mirror.between["right"].pages = [failure]
        with pytest.raises(type(failure)):
            mirror.sweep("right")
    assert mirror.titles("left") == mirror.titles("right") == ["Order leather"]


def test_an_item_that_a_shifted_page_left_out_is_asked_for_and_stays(mirror):
    for n in range(3):
        mirror.create("left", f"Pipe {n}")
    mirror.settles()
    whole = mirror.sides["right"].source.query(Query(limit=50))
    mirror.between["right"].pages = [Page(whole.items[:2], None, True)] * 2  # the second time, too
    mirror.sweep("right")
    assert ("right", whole.items[2].id) in mirror.stirred()
    for side, item in mirror.stirred():
        mirror.look(side, item)
    assert len(mirror.titles("left")) == 3 == len(mirror.titles("right"))
    assert {p.state for p in mirror.pairs()} == {"in_step"}


def test_a_side_is_read_once_more_only_where_something_is_missing(mirror, monkeypatch):
    for n in range(3):
        mirror.create("left", f"Pipe {n}")
    mirror.settles()
    asked, query = [], Between.query
    monkeypatch.setattr(Between, "query", lambda self, of: asked.append(of) or query(self, of))
    mirror.space.transact(lambda t: t.execute("DELETE FROM mirror_look"))
    mirror.sweep("right")
    assert len(asked) == 1 and not mirror.stirred()
    gone = mirror.sides["right"].items()[1]
    mirror.sides["right"].delete(gone.id)
    mirror.sweep("right")
    assert len(asked) == 3 and mirror.stirred() == {("right", gone.id)}


@pytest.mark.parametrize("is_same", [True, False], ids=["the same items", "others"])
def test_items_that_are_all_renumbered_are_deleted_nowhere(orla, is_same):
    """As a mailbox does, or a table that was made anew: all identities are others. Where what is in them is the same, pairs go on
    with the new ones; where it is not, a person is asked."""
    mirror = ByHand(orla, Own(orla, "Workshop"), Tasks(orla, "Restoration"), deletes="follow")
    for n in range(8):
        mirror.create("left", f"Pipe {n}")
    mirror.settles()
    for item in mirror.sides["right"].items():
        mirror.sides["right"].delete(item.id)
    new = {mirror.create("right", f"{'Pipe' if is_same else 'Reed'} {n}") for n in range(8)}
    looks = [("right", pair.right) for pair in mirror.pairs()]
    mirror.space.transact(
        lambda t: mirror_looks.stir(t, mirror.space.id, mirror.kept.id, "right", [i for _, i in looks], 60, "deleted")
    )
    for side, item in looks:
        mirror.look(side, item)
    assert len(mirror.titles("left")) == 8, "so many deletions at once wait for a person"
    if not is_same:
        assert {p.asks for p in mirror.pairs()} == {"too_many"}
        return
    wrote = mirror.between["left"].writes
    mirror.settles()
    assert {p.right for p in mirror.pairs()} == new and {p.state for p in mirror.pairs()} == {"in_step"}
    assert mirror.between["left"].writes == wrote and len(mirror.titles("right")) == 8


def test_so_many_changes_that_a_person_is_asked_wait_and_cross_once_that_is_said(orla):
    limits = Safety(overwritten=0.0, overwritten_at_least=2)
    mirror = ByHand(orla, Own(orla, "Workshop"), Tasks(orla, "Restoration"), safety=limits)
    ids = [mirror.create("left", f"Pipe {n}") for n in range(4)]
    mirror.settles()
    for n, id in enumerate(ids):
        mirror.edit("left", id, f"Reed {n}")
    mirror.settles()
    assert sorted(title.split()[0] for title in mirror.titles("right")) == ["Pipe", "Pipe", "Reed", "Reed"]
    waiting = [p for p in mirror.pairs() if p.asks == "too_many_changes"]
    assert len(waiting) == 2
    for pair in waiting:
        looking.with_pair(
            mirror.engine, mirror.space, mirror.kept, pair.id, lambda crossing, row: crossing.decide(as_pair(row), "cross")
        )
    mirror.settles()
    assert mirror.titles("right") == ["Reed 0", "Reed 1", "Reed 2", "Reed 3"]
    assert {p.state for p in mirror.pairs()} == {"in_step"}


def test_a_worker_that_was_frozen_between_intent_and_call_writes_nothing_twice(mirror):
    ours = mirror.create("left", "Order leather")
    frozen = token_hex(16)

    def another():  # its lease has run out meanwhile, and another looks
        mirror.space.transact(lambda t: mirror_looks.free(t, frozen))
        mirror.look("left", ours)

    mirror.between["right"].before = another
    mirror.look("left", ours, frozen)
    mirror.settles()
    assert mirror.titles("right") == ["Order leather"]


def test_an_answer_that_was_lost_is_looked_up_before_anything_is_repeated(mirror):
    ours = mirror.create("left", "Order leather")

    def lose():
        raise UnknownOutcomeError("no answer")

    mirror.between["right"].after = lose
    assert mirror.look("left", ours) is not None
    later = looking.now() + timedelta(minutes=5)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(looking, "now", lambda: later)
        mirror.look("left", ours)
        mirror.settles()
    assert mirror.titles("right") == ["Order leather"] and [p.state for p in mirror.pairs()] == ["in_step"]


def test_an_edit_while_a_write_is_on_its_way_is_not_overwritten(mirror):
    ours = mirror.create("left", "Order leather")
    mirror.settles()
    there = mirror.counterpart("left", ours)
    mirror.edit("left", ours, "Order reed leather")
    mirror.between["right"].before = lambda: mirror.edit("right", there, "Order goat leather")
    mirror.look("left", ours)
    mirror.settles()
    if mirror.between["right"].capabilities.versions:
        [pair] = mirror.pairs()
        assert pair.state == "conflict" and mirror.titles("right") == ["Order goat leather"], "both edits are kept"
    else:  # the window that is said on the screen: the app compares no versions
        assert mirror.titles("left") == mirror.titles("right")


def test_a_title_that_is_cut_in_a_ring_of_three_settles_and_is_cut_nowhere_else(orla):
    own, tasks, tables = Own(orla, "Workshop"), Tasks(orla, "Foreman"), Tables(orla, "Register")
    ring = [ByHand(orla, *edge) for edge in ((own, tasks), (tasks, tables), (tables, own))]
    whole = "Re-leather " + "the bellows of the Great and the Swell, " * 4
    original = ring[0].between["right"].of
    ring[0].between["right"].of = Cutting(original, tasks.title)
    own.create({own.title: whole.strip()})
    for _ in range(3):
        for one in ring:
            one.settles()
    assert [i.title for i in own.items()] == [whole.strip()], "what one app cut is written nowhere"
    assert len(tasks.items()) == len(tables.items()) == 1
    writes = [sum(side.writes for side in one.between.values()) for one in ring]
    for one in ring:
        one.settles()
    assert [sum(side.writes for side in one.between.values()) for one in ring] == writes, "it comes to rest"


class Cutting(Between):
    """An app that keeps forty characters of a title."""

    def __init__(self, of, title):
        super().__init__(of)
        self.title = title

    def write(self, write):
        title = write.values.get(self.title)
        if isinstance(title, str):
            write = replace(write, values={**write.values, self.title: title[:40]})
        return self.of.write(write)


def test_what_is_edited_after_a_decision_about_many_is_not_deleted_by_it(orla):
    """A decision is carried out when each pair is looked at: whoever edits an item before that is asked, and loses nothing."""
    mirror = ByHand(orla, Own(orla, "Workshop"), Tasks(orla, "Restoration"), deletes="follow")
    for n in range(9):
        mirror.create("left", f"Pipe {n}")
    mirror.settles()
    gone = list(mirror.sides["right"].items())[:7]
    for item in gone:
        mirror.sides["right"].delete(item.id)
    looks = [pair for pair in mirror.pairs() if pair.right in {item.id for item in gone}]
    mirror.space.transact(
        lambda t: mirror_looks.stir(t, mirror.space.id, mirror.kept.id, "right", [one.right for one in looks], 60, "deleted")
    )
    for one in looks:
        mirror.look("right", one.right)
    assert {p.asks for p in mirror.pairs() if p.state == "asked"} == {"too_many"}
    mirror.space.transact(lambda t: pairs.decide_asked(t, mirror.kept.id, "too_many", "delete", 100))
    mirror.sides["left"].edit(looks[0].left, {mirror.sides["left"].title: "Pipe, kept after all"})
    for one in looks:
        mirror.look("left", one.left)
    there = {item.title for item in mirror.sides["left"].items()}
    assert len(there) == 3 and "Pipe, kept after all" in there
    assert [p.asks for p in mirror.pairs() if p.state == "asked"] == ["deleted_but_edited"]
