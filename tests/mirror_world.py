"""A world of collections in memory with mirrors between them, in which anything may go wrong at any step: for the model of
`engine/mirrors`. It knows what every person did, and so what must be there in the end; the mirrors do not.

Each edit carries a token in its value. In the end a token stands on both sides, or in an edit that saw it, or in what is asked
or recorded. Time is a count of steps."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from itertools import count
from typing import Any, TypeVar

from kelvix.core.collection import (
    Capabilities,
    Changes,
    Collection,
    Comment,
    ConflictError,
    GoneError,
    Item,
    Page,
    Ref,
    Schema,
    TransientError,
    UnknownOutcomeError,
    Write,
    Written,
)
from kelvix.core.mirror.document import OTHER, Away, Comments, FieldPair, Mirror, MirrorSide, OnDelete, OnLeaving, Policy
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.core.mirror.reconciling import Matched, Seen
from kelvix.core.mirror.translations import TRANSLATIONS, Around
from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.values import Choice
from kelvix.engine.mirrors.crossing import Crossing
from kelvix.engine.mirrors.keeping import Intent, Known, Note, Pair, Step
from kelvix.engine.mirrors.running import Running

START = datetime(2026, 11, 30, tzinfo=UTC)
LABELS = tuple(Choice(one, one) for one in ("oak", "tin", "lead", "felt"))
TITLE, NOTE, TAGS, PRIVATE = (
    Field("title", "Title", "text"),
    Field("note", "Note", "long_text"),
    Field("tags", "Tags", "labels", choices=LABELS),
    Field("private", "Private", "text"),
)
MARK = Field("mark", "Mark", "text")  # given once to what a person adds: there is one item of each mark at most
PLACE = Field("place", "Place", "text")  # where an item is, which is its own side's business: “out” and “secret” are outside
AWAY = Field("away", "Away", "text")  # what a mirror puts away says “yes” here
FIELDS = (TITLE, NOTE, TAGS, PRIVATE, MARK, PLACE, AWAY)
MATCHED = (
    ("text", TITLE, {}),
    ("text", MARK, {}),
    ("rich", NOTE, {}),
    ("labels", TAGS, {"pairs": [[c.id, c.id] for c in LABELS]}),
)
ANY = ""  # a version that is never compared, in tests that break the rules

T = TypeVar("T")
Way = Callable[[str, Any], Any]  # what an app makes of what the mirror writes to a field
STAYS = object()


def in_capitals(of: str, value: Any) -> Any:
    return f" {value.upper()}" if of == "title" and value else value


def without_tin(of: str, value: Any) -> Any:
    return tuple(one for one in value if one != "tin") or None if of == "tags" and value else value


def without_notes(of: str, value: Any) -> Any:
    return STAYS if of == "note" else value


Inside = Callable[["World", Item], bool]  # whether a filter lets an item through, which is the same on all sides


def without_felt(world: World, item: Item) -> bool:
    return "felt" not in (item.values["tags"] or ())


def not_out(world: World, item: Item) -> bool:
    return item.values["place"] not in ("out", "secret")


def neither_out_nor_away(world: World, item: Item) -> bool:
    return not_out(world, item) and item.values["away"] != "yes"


def young(world: World, item: Item) -> bool:
    return (world.clock() - item.created).total_seconds() < 200


WORLDS = count(1)
RING = (("a", "b"), ("b", "c"), ("c", "a"))
KINDS: Mapping[str, Mapping[str, Any]] = {
    "plain": {},
    "without keys": {"keys": False},
    "without versions": {"versions": False},
    "left decides": {"policy": "left"},
    "deletions stay": {"deletes": "keep"},
    "nothing is put away": {"deletes": "archive"},
    "put away": {"deletes": "archive", "away": True},
    "put away without keys": {"deletes": "archive", "away": True, "keys": False, "versions": False},
    "put away for leaving": {"deletes": "archive", "leaving": "archive", "away": True, "inside": not_out},
    "put away outside": {"deletes": "archive", "leaving": "archive", "away": True, "inside": neither_out_nor_away},
    "own way": {"ways": {"b": in_capitals}},
    "wilful": {"ways": {"b": without_tin}},
    "refusing": {"ways": {"b": without_notes}},
    "filtered by what crosses": {"inside": without_felt},
    "filtered by what crosses, and follows": {"inside": without_felt, "leaving": "delete"},
    "filtered by its own": {"inside": not_out},
    "filtered by its own, and follows": {"inside": not_out, "leaving": "delete"},
    "filtered by the clock": {"inside": young, "leaving": "delete"},
    "filtered in a chain": {"inside": not_out, "leaving": "delete", "edges": RING[:2]},
    "moving": {"moves": True},
    "late": {"robots": {"b"}},
    "recurring": {"rolls": {"b"}},
    "recurring on all sides": {"rolls": {"a", "b", "c"}, "edges": RING[:2]},
    "cascading": {"cascades": {"b"}},
    "cascading in a ring": {"cascades": {"a", "b"}, "edges": RING},
    "separated": {"separates": True, "deletes": "keep"},
    "commented": {"comments": "both"},
    "commented without keys": {"comments": "both", "keys": False},
    "commented one way": {"comments": "to_right", "edges": RING[:2]},
    "commented in a ring": {"comments": "both", "edges": RING},
    "twice": {"edges": (("a", "b"), ("a", "b"))},
    "two sources": {"edges": (("a", "c"), ("b", "c")), "deletes": "keep"},
    "chain": {"edges": RING[:2]},
    "ring": {"edges": RING},
}


class Crash(Exception):
    """The process died here."""


@dataclass
class Clock:
    at: datetime = START

    def __call__(self) -> datetime:
        return self.at

    def goes_on(self, seconds: float) -> None:
        self.at += timedelta(seconds=seconds)


class App(Collection):
    """A collection of the world. `faults` says what happens to a write."""

    reach = "everything"

    def __init__(self, name: str, world: World, versions: bool = True, keys: bool = True, way: Way | None = None):
        self.ref = Ref("world", name)
        self.name, self.world, self.way = name, world, way
        self.capabilities = Capabilities(
            versions=versions,
            keys=keys,
            looks=not keys,
            writes=frozenset(("create", "update", "delete")),
            settles=5,
            comments=world.comments != "none",
        )
        self.said: dict[str, list[Comment]] = {}
        self.keyed: dict[str, Comment] = {}
        self.items: dict[str, Item] = {}
        self.done: dict[str, Written] = {}
        self.under: dict[str, str] = {}  # items that go with another one, where an app deletes so
        self.numbers = count(1)
        self.writes = 0

    def schema(self) -> Schema:
        return Schema(FIELDS, "1", title="title")

    def one(self, id: str) -> Item:
        if id not in self.items:
            raise GoneError("it is not there")
        return self.items[id]

    def query(self, query: Query) -> Page:
        found = sorted(self.items.values(), key=lambda i: (i.created, i.id), reverse=True)
        return Page(tuple(found), None, True)

    def head(self) -> str:
        return "0"

    def changes(self, cursor: str) -> Changes:
        return Changes((), cursor, False)

    def put(self, id: str | None, values: Mapping, by: str) -> Item:
        """Keep an item as the app does, and tell of it."""
        now = self.world.clock()
        if id is None:
            id = f"{self.name}{next(self.numbers)}"
            if self.name in self.world.cascades and self.items and self.world.dice.random() < 0.8:
                self.under[id] = self.world.dice.choice(list(self.items))
            item = Item(
                id, "1", {f.id: None for f in FIELDS}, "", "", self.ref.place, self.name, now, changed=now, created_by=by
            )
        else:
            item = self.items[id]
        kept = dict(values)
        if self.way is not None and by == "mirror":
            kept = {key: made for key, value in values.items() if (made := self.way(key, value)) is not STAYS}
        item = replace(
            item, values={**item.values, **kept}, version=str(int(item.version or 0) + 1), changed=now, changed_by=by
        )
        if self.name in self.world.rolls and "lead" in (item.values["tags"] or ()):
            open_again = tuple(one for one in item.values["tags"] if one != "lead") or None
            title = str(item.values["title"] or "").rstrip("!")
            item = replace(item, values={**item.values, "tags": open_again, "title": f"{title}!"})
        self.items[id] = item
        self.world.ever.setdefault(self.name, set()).update(tokens_of(item))
        self.world.tell(self.name, id)
        return item

    def comments(self, id: str) -> tuple[Comment, ...]:
        self.one(id)
        return tuple(self.said.get(id, ()))

    def say(self, id: str, text: str, by: str) -> Comment:
        """Keep a comment as the app does, and tell of it."""
        item, now = self.items[id], self.world.clock()
        made = Comment(f"c{next(self.numbers)}", text, by, now)
        self.said.setdefault(id, []).append(made)
        self.items[id] = replace(
            item, comments=len(self.said[id]), version=str(int(item.version or 0) + 1), changed=now, changed_by=by
        )
        self.world.tell(self.name, id)
        return made

    def comment(self, id: str, text: str, key: str) -> Comment:
        def carry_out() -> Comment:
            self.one(id)
            if not self.capabilities.keys or key not in self.keyed:
                self.keyed[key] = self.say(id, text, "mirror")
            return self.keyed[key]

        return self._answered(self.world.fault("write", self.name, None), carry_out)

    def remove(self, id: str) -> None:
        """Remove an item, and tell of it; with all that is under it, which the app tells as it tells any deletion."""
        del self.items[id]
        self.world.tell(self.name, id)
        for child in [c for c, above in self.under.items() if above == id and c in self.items]:
            self.world.deleted.append((self.name, str(self.items[child].values["mark"])))
            self.remove(child)

    def move(self, id: str) -> None:
        """Let an item go on under another identity, as where it is moved."""
        item = self.items.pop(id)
        new = f"{self.name}{next(self.numbers)}"
        self.items[new] = replace(item, id=new, version="1")
        self.world.moved[id] = new
        self.world.tell(self.name, id)
        self.world.tell(self.name, new)

    def write(self, write: Write) -> Written:
        return self._answered(self.world.fault("write", self.name, write), lambda: self._carry_out(write))

    def _answered(self, fault: str | None, carry_out: Callable[[], T]) -> T:
        """Carry something out, unless something goes wrong before; something may go wrong afterwards."""
        if fault == "transient":
            raise TransientError("try again")
        if fault == "crash before":
            raise Crash
        if fault == "not sent":
            raise UnknownOutcomeError("no answer")
        done = carry_out()
        if fault == "crash after":
            raise Crash
        if fault == "no answer":
            raise UnknownOutcomeError("no answer")
        return done

    def _carry_out(self, write: Write) -> Written:
        if self.capabilities.keys and write.key in self.done:
            done = self.done[write.key]
            return replace(done, item=self.items.get(done.item.id) if done.item else None)
        if write.kind == "create":
            self.writes += 1
            made = Written("created", self.put(None, write.values, "mirror"))
        else:
            if write.id not in self.items:
                raise GoneError("it is not there")
            if self.capabilities.versions and write.version not in (self.items[write.id].version, ANY):
                raise ConflictError("it was changed")
            self.writes += 1
            if write.kind == "delete":
                self.world.check_deletion(self.name, self.items[write.id])
                self.remove(write.id)
                made = Written("deleted", None)
            else:
                made = Written("updated", self.put(write.id, write.values, "mirror"))
        self.done[write.key] = made
        return made


@dataclass
class Memory:
    """What a mirror keeps, as the store does; what is known of items is shared by all mirrors."""

    world: World
    number: int
    names: Mapping[Side, str]
    pairs: dict[str, Pair] = field(default_factory=dict)
    intents_: dict[str, Intent] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)
    seen: set[tuple[Side, str]] = field(default_factory=set)  # items that were looked at, and are in no pair

    def pair_of(self, side: Side, item: str) -> Pair | None:
        return next((p for p in self.pairs.values() if p.item(side) == item and p.linked != "closed"), None)

    def was_paired(self, side: Side, item: str) -> bool:
        return any(p.item(side) == item for p in self.pairs.values())

    def known(self, side: Side, item: str) -> Known:
        return self.world.known.get((self.names[side], item), Known())

    def intents(self, side: Side) -> Sequence[Intent]:
        return [i for i in self.intents_.values() if i.side == side]

    def alike(self, side: Side, item: Item) -> Sequence[str]:
        other = OTHER[side]
        there = self.world.apps[self.names[other]].items.values()
        return [i.id for i in there if self._is_alike(item, i) and not self.was_paired(other, i.id)]

    def _is_alike(self, one: Item, other: Item) -> bool:
        key = "mark" if self.world.moves else "title"  # what is moved is known again by what nobody edits
        return bool(one.values[key]) and one.values[key] == other.values[key]

    def undecided(self, side: Side, item: Item) -> Sequence[Pair]:
        here = self.world.apps[self.names[side]].items
        gone = [p for p in self.pairs.values() if p.linked != "closed" and p.item(side) not in here]
        return [p for p in gone if self.was_like(side, p.item(side), item)]

    def successors(self, side: Side, gone: str) -> Sequence[str]:
        new = [i for i in self.world.apps[self.names[side]].items.values() if (side, i.id) not in self.seen]
        return [i.id for i in new if not self.was_paired(side, i.id) and self.was_like(side, gone, i)]

    def was_like(self, side: Side, gone: str, item: Item) -> bool:
        was = self.world.known.get((self.names[side], gone), Known()).item
        return was is not None and self._is_alike(was, item)

    def hold(self, pair: Pair) -> bool:
        return True

    def wish(self, side: Side, item: str) -> None:
        return None

    def comment_roots(self, side: Side, item: str, own: str = "") -> Mapping[str, str] | None:
        at = (self.names[side], item)
        for memory, _ in self.world.mirrors:
            for intent in memory.intents_.values():
                if intent.kind == "comment" and intent.key != own and (memory.names[intent.side], intent.item) == at:
                    return None
        return self.world.roots.get(at, {})

    def allows(self, side: Side, counted: str, more: int = 0) -> bool:
        return True

    def kin(self, side: Side, item: str) -> Sequence[str] | None:
        start = (self.names[side], item)
        reached, ahead = {start}, [start]
        while ahead:
            one = ahead.pop()
            for memory, _ in self.world.mirrors:
                for pair in memory.pairs.values():
                    ends = [(memory.names[s], pair.item(s)) for s in SIDES]
                    if one in ends:
                        ahead += [end for end in ends if end not in reached]
                        reached.update(ends)
        to = self.names[OTHER[side]]
        for memory, _ in self.world.mirrors:
            for intent in memory.intents_.values():
                source = (memory.names[OTHER[intent.side]], intent.source)
                at = memory.names[intent.side]
                is_it = at == self.names[side] and memory.pair_of(intent.side, item) is None
                if intent.kind == "create" and (is_it or (at == to and source in reached)):
                    return None
        return [id for name, id in reached if name == to]

    def put_pair(self, pair: Pair) -> None:
        self.pairs[pair.id] = pair

    def forget_ended(self) -> None:
        """Forget the pairs that ended, of which neither item is there any more."""
        apps = {side: self.world.apps[self.names[side]].items for side in SIDES}
        for pair in list(self.pairs.values()):
            if pair.linked == "closed" and not any(pair.item(side) in apps[side] for side in SIDES):
                del self.pairs[pair.id]

    def commit(self, step: Step) -> None:
        fault = self.world.fault("commit", str(self.number), None)
        if fault == "crash before":
            raise Crash
        for pair in step.pairs:
            self.pairs[pair.id] = pair
        for (side, item), known in step.known.items():
            self.world.known[self.names[side], item] = known
        for intent in step.opened:
            self.intents_[intent.key] = intent
        for key in step.closed:
            self.intents_.pop(key, None)
        for side, item in step.stirred:
            self.world.stir(self.number, side, item)
        for intent, comment in step.commented:
            self.world.roots.setdefault((self.names[intent.side], intent.item), {})[comment] = intent.source
        self.notes += step.notes
        self.seen |= {(one.side, one.item.id) for one in step.alone}
        if fault == "crash after":
            raise Crash


@dataclass
class World:
    """`edges`: the mirrors, by the collections that they join."""

    dice: random.Random
    edges: Sequence[tuple[str, str]] = (("a", "b"),)
    often: float = 0.15  # how often something goes wrong
    policy: Policy = "ask"
    deletes: OnDelete = "follow"
    inside: Inside = lambda world, item: True
    leaving: OnLeaving = "stop"
    away: bool = False  # it is said how items are put away
    moves: bool = False  # apps give an item another identity when it is moved
    separates: bool = False  # people separate pairs, and a hundred days go by
    rolls: frozenset[str] = frozenset()  # apps that let an item recur: what is told to be done (lead) is open again at once
    cascades: frozenset[str] = frozenset()  # apps in which some items go with another one that is deleted
    robots: frozenset[str] = frozenset()  # apps that change a title by themselves, some time after it was written
    ways: Mapping[str, Way] = field(default_factory=dict)
    comments: Comments = "none"
    keys: bool = True
    versions: bool = True
    undoes: Callable[[World, Any, Crossing], None] | None = None  # what a person does who undoes something, or lets it go on
    keeps: Callable[[World, int, Mapping[Side, str], Running], Any] = lambda world, n, names, running: Memory(world, n, names)

    def __post_init__(self) -> None:
        self.clock = Clock()
        self.numbers = count(1)
        self.known: dict[tuple[str, str], Known] = {}
        self.roots: dict[tuple[str, str], dict[str, str]] = {}
        self.spoke: list[Edit] = []  # comments of people
        self.apps = {
            n: App(n, self, self.versions, self.keys, self.ways.get(n))
            for n in dict.fromkeys(n for edge in self.edges for n in edge)
        }
        self.hints: list[tuple[int, Side, str]] = []
        self.is_calm = False
        self.mirrors: list[tuple[Memory, Crossing]] = []
        self.edits: list[Edit] = []
        self.deleted: list[tuple[str, str]] = []
        self.left: set[str] = set()  # marks of what a person took out of a filter
        self.secrets: list[Edit] = []  # edits of items that were taken out by the same save, for good
        self.moved: dict[str, str] = {}
        self.ever: dict[str, set[str]] = {}  # tokens that stood at some time, by app
        self.asked = 0
        self.number = next(WORLDS)
        self.is_undoing, self.undone = False, 0
        around = Around()
        for n, (left, right) in enumerate(self.edges):
            pairs = [FieldPair(of.id, of.id, of.id, code, options, policy=self.policy) for code, of, options in MATCHED]
            fields = [
                Matched(p, TRANSLATIONS[c].domain(of, of, o, around)) for p, (c, of, o) in zip(pairs, MATCHED, strict=True)
            ]
            running = Running(
                Mirror(
                    MirrorSide(1, away=Away("away", "yes") if self.away else None),
                    MirrorSide(2, away=Away("away", "yes") if self.away else None),
                    tuple(pairs),
                    deletes=self.deletes,
                    leaving=self.leaving,
                    comments=self.comments,
                ),
                fields,
                {"left": self.apps[left], "right": self.apps[right]},
                lambda side, item: self.inside(self, item),
                lambda side, by: by not in ("mirror", "robot"),
                lambda side, values: self.inside(self, self._made_of(values)),
            )
            memory = self.keeps(self, n, {"left": left, "right": right}, running)
            self.mirrors.append((memory, Crossing(running, memory, lambda: f"k{next(self.numbers)}", self.clock)))

    def _made_of(self, values: Mapping[str, Any]) -> Item:
        return Item("", "1", {f.id: None for f in FIELDS} | dict(values), "", "", "", "", self.clock(), changed=self.clock())

    # What people do

    def edit(self) -> None:
        app = self.dice.choice(list(self.apps.values()))
        what = self.dice.random()
        # What was made and not answered can't be told from what never was, once it is deleted or moved.
        unanswered = {w.item.id for k, w in app.done.items() if w.item and any(k in m.intents_ for m, _ in self.mirrors)}
        if self.moves and what < 0.08 and app.items.keys() - unanswered:
            return app.move(self.dice.choice([i for i in app.items if i not in unanswered]))
        if app.name in self.robots and what < 0.15 and app.items:
            return self._robot(app, self.dice.choice(list(app.items.values())))
        if self.separates and what < 0.08:
            return self._separate()
        if self.undoes is not None and what < 0.22:
            return self.undoes(self, *self.dice.choice(self.mirrors))
        if self.comments != "none" and what < 0.15 and app.items:
            id, token = self.dice.choice(list(app.items)), f"s{next(self.numbers)}"
            self.spoke.append(Edit(token, "comment", app.name, id))
            app.say(id, token, "ada")
            return
        if what < 0.25 or not app.items:
            token = f"t{next(self.numbers)}"
            item = app.put(None, {"title": token, "mark": f"m{token}", "private": f"p{next(self.numbers)}"}, "ada")
            self.edits.append(Edit(token, "title", app.name, item.id))
        elif what < 0.3:
            known = [i for i in app.items if app.capabilities.keys or i not in unanswered]
            if not known:
                return
            id = self.dice.choice(known)
            self.deleted.append((app.name, str(app.items[id].values["mark"])))
            app.remove(id)
        else:
            self._change(app, self.dice.choice(list(app.items)))

    def _change(self, app: App, id: str) -> None:
        item, token = app.items[id], f"t{next(self.numbers)}"
        of = self.dice.choice(
            ["title", "note", "note", "tags", "private", *["place"] * (self.inside in (not_out, neither_out_nor_away))]
        )
        there = item.values[of]
        if of == "place":
            return self._take_out(app, item, token)
        if of == "title":
            self.edits.append(Edit(token, of, app.name, id, saw=(str(there).strip(" !").lower(),)))
            app.put(id, {of: token}, "ada")
        elif of == "note":
            lines = str(there).split("\n\n") if there else []
            at = self.dice.randint(0, len(lines))
            saw: tuple[str, ...] = ()
            if lines and self.dice.random() < 0.3:
                at = min(at, len(lines) - 1)
                saw = (lines[at],)
                lines[at] = token
            else:
                lines.insert(at, token)
            self.edits.append(Edit(token, of, app.name, id, saw))
            app.put(id, {of: "\n\n".join(lines)}, "ada")
        elif of == "tags":
            tags = set(there or ())
            tags ^= {self.dice.choice(LABELS).id}
            if "felt" in tags:
                self.left.add(str(item.values["mark"]))
            app.put(id, {of: tuple(sorted(tags)) or None}, "ada")
        else:
            app.put(id, {of: f"p{next(self.numbers)}"}, "ada")

    def _robot(self, app: App, item: Item) -> None:
        """Let an app change a title by itself, as it does with all of them sooner or later."""
        title = item.values["title"]
        if title and not str(title).endswith("!"):
            app.put(item.id, {"title": f"{title}!"}, "robot")

    def _separate(self) -> None:
        """Separate a pair, so that neither item is matched again; or let a hundred days go by."""
        memory, _ = self.dice.choice(self.mirrors)
        open_ = [p for p in memory.pairs.values() if p.linked == "open"]
        busy = {i.pair for i in memory.intents_.values()}
        if open_ and self.dice.random() < 0.8:
            pair = self.dice.choice(open_)
            if pair.id not in busy:
                memory.put_pair(replace(pair, linked="closed", state="closed"))
        else:
            self.clock.goes_on(100 * 86_400)
            memory.forget_ended()

    def _take_out(self, app: App, item: Item, token: str) -> None:
        """Take an item out of the filter, or back; or out for good, and edit it by the same save."""
        if item.values["place"] == "secret":
            return
        if item.values["place"] == "out":
            app.put(item.id, {"place": None}, "ada")
            return
        self.left.add(str(item.values["mark"]))
        if self.dice.random() < 0.5:
            app.put(item.id, {"place": "out"}, "ada")
            return
        saw = (str(item.values["title"]).strip(" !").lower(),)
        self.edits.append(edit := Edit(token, "title", app.name, item.id, saw))
        self.secrets.append(edit)
        app.put(item.id, {"place": "secret", "title": token}, "ada")

    # What happens to the mirrors

    def tell(self, name: str, id: str) -> None:
        """Push: doubled, or lost; what is lost is found by a sweep."""
        for n, (memory, _) in enumerate(self.mirrors):
            for side in SIDES:
                if memory.names[side] == name:
                    times = 1 if self.is_calm else self.dice.choice((0, 1, 1, 1, 2))
                    self.hints += [(n, side, id)] * times

    def stir(self, number: int, side: Side, id: str) -> None:
        self.hints.append((number, side, id))

    def sweep(self) -> None:
        for n, (memory, _) in enumerate(self.mirrors):
            for side in SIDES:
                for id in self.apps[memory.names[side]].items:
                    self.hints.append((n, side, id))
                for pair in list(memory.pairs.values()):
                    if pair.linked != "closed":
                        self.hints.append((n, side, pair.item(side)))

    def fault(self, what: str, name: str, write: Write | None) -> str | None:
        if self.is_calm or self.dice.random() > self.often:
            return None
        if what == "commit":
            return self.dice.choice(("crash before", "crash after"))
        if (
            write is not None
            and write.kind != "create"
            and self.dice.random() < 0.3
            and self.versions
            and write.id in self.apps[name].items
        ):
            self._change(self.apps[name], write.id)  # somebody edits between our reading and our writing
            return None
        return self.dice.choice(("transient", "crash before", "crash after", "not sent", "no answer"))

    def look(self) -> bool:
        """Let a mirror look at an item it was told of, in any order. Return whether there was one."""
        if not self.hints:
            return False
        n, side, id = self.hints.pop(self.dice.randrange(len(self.hints)))
        try:
            if self.mirrors[n][1].look_at(side, id) is not None:
                self.hints.append((n, side, id))
                self.clock.goes_on(10)
                self._answer(self.mirrors[n][0])
        except Crash:
            self.sweep()  # whoever takes over looks at everything again
        return True

    def _answer(self, memory: Memory) -> None:
        """Let a person say what became of a create that nobody can find out about."""
        for intent in [i for i in memory.intents_.values() if i.in_doubt]:
            self.asked += 1
            made = self.apps[memory.names[intent.side]].done.get(intent.key)
            if made is not None and made.item is not None:
                found = self.apps[memory.names[intent.side]].items.get(made.item.id)
            else:
                found = None
            self.mirrors[memory.number][1].answer(intent, found)

    def step(self) -> None:
        self.clock.goes_on(1)
        dice = self.dice.random()
        if dice < 0.35:
            self.edit()
        elif dice < 0.38:
            self.sweep()
        else:
            self.look()

    def settle(self, most: int = 3_000) -> int:
        """Let nothing go wrong any more, until there is nothing left to do. Return how many looks that took."""
        self.is_calm = True
        looks = 0
        for _ in range(2):
            self.sweep()
            while self.look():
                looks += 1
                assert looks < most, "it does not come to rest"
        return looks

    # What must hold on the way

    def check_deletion(self, at: str, item: Item) -> None:
        """See that a mirror deletes only what a person deleted elsewhere, or took out of the filter; and nothing that was edited
        and not seen elsewhere. An item that was taken out keeps what was edited of it."""
        if self.is_undoing:
            return
        mark = str(item.values["mark"])
        was_deleted = any(mark == deleted for _, deleted in self.deleted)
        assert was_deleted or (self.leaving == "delete" and self.inside is not young and mark in self.left), f"deleted: {item}"
        elsewhere = set().union(*(tokens for name, tokens in self.ever.items() if name != at))
        if not any(of_app in self.ways for of_app in self.apps):
            unseen = tokens_of(item) - elsewhere
            assert not unseen, f"deleted unseen: {unseen} of {item}"

    # What must hold in the end

    def check(self) -> None:
        writes = sum(app.writes for app in self.apps.values())
        self.settle()
        assert sum(app.writes for app in self.apps.values()) == writes, "a further run writes nothing"
        for memory, crossing in self.mirrors:
            self._check_pairs(memory, crossing)
            self._check_comments(memory)
            self._check_archive(memory)
        self._check_tokens()
        for app in self.apps.values():
            for of in ("private", "mark"):
                found = [str(i.values[of]) for i in app.items.values() if i.values[of]]
                assert len(found) == len(set(found)), "nothing is made twice, and what is private never crosses"
            told = [e.token for e in self.secrets if e.app != app.name]
            assert not {i.values["title"] for i in app.items.values()} & set(told), "what left by the same save never crosses"
            assert not {i.values["mark"] for i in app.items.values()} & {mark for at, mark in self.deleted if at == app.name}, (
                "nothing that was deleted comes back"
            )

    def _check_pairs(self, memory: Memory, crossing: Crossing) -> None:
        left, right = (self.apps[memory.names[side]] for side in SIDES)
        open_ = [p for p in memory.pairs.values() if p.linked == "open"]
        assert not memory.intents_ or any(i.in_doubt for i in memory.intents_.values()), memory.intents_
        for pair in open_:
            assert (pair.left in left.items and pair.right in right.items) or pair.state == "asked", pair
            if pair.state == "asked":
                continue
            for one in crossing.fields:
                values = [
                    Seen(app.items[pair.item(side)].values, memory.known(side, pair.item(side)).fields).sight(side, one).value
                    for side, app in zip(SIDES, (left, right), strict=True)
                ]
                is_refused = any((one.pair.id, side) in pair.refused for side in SIDES)
                is_left = is_refused or one.pair.id in pair.held
                assert values[0] == values[1] or one.pair.id in pair.open or is_left, (pair, one.pair.id, values)
        for side, app in zip(SIDES, (left, right), strict=True):
            paired = [p.item(side) for p in open_]
            assert len(paired) == len(set(paired))
            kin = {i: memory.kin(side, i) or () for i in app.items}
            there = self.apps[memory.names[OTHER[side]]].items
            ended = [i for i, k in kin.items() if k and all(o not in there or memory.was_paired(OTHER[side], o) for o in k)]
            inside = [i for i, item in app.items.items() if self.inside(self, item)]
            alone = [i for i in inside if i not in (*paired, *ended) and not memory.was_paired(side, i)]
            alone = [i for i in alone if memory.wish(side, i) != "leave"]
            assert not alone or any(i.in_doubt for i in memory.intents_.values()), (alone, memory.names)

    def _check_archive(self, memory: Memory) -> None:
        """What is put away is so for an item that was deleted or taken out, and all that is open is back."""
        for pair in memory.pairs.values():
            items = [self.apps[memory.names[side]].items.get(pair.item(side)) for side in SIDES]
            there = [item for item in items if item is not None]
            away = [item for item in there if item.values["away"] == "yes"]
            if pair.linked == "open" and pair.state != "asked":
                assert not away, f"put away, and open: {pair}"
            if self.away and away:
                others = [item for item in there if item is not away[0]]
                assert len(away) == 1 and not any(not_out(self, item) for item in others), f"put away for nothing: {pair}"

    def _check_comments(self, memory: Memory) -> None:
        """What was said about one item of a pair is said about the other one, as far as comments cross, and once. What was said
        before they were paired may have come by other mirrors, unless a person is asked there."""
        asked = {
            (m.names[s], p.item(s)) for m, _ in self.mirrors for p in m.pairs.values() for s in SIDES if p.state == "asked"
        }
        for pair in memory.pairs.values():
            both = {side: self.apps[memory.names[side]] for side in SIDES}
            if pair.linked != "open" or pair.said is None or asked & {(memory.names[s], pair.item(s)) for s in SIDES}:
                continue
            said = {side: [c.text.split(": ")[-1] for c in app.said.get(pair.item(side), ())] for side, app in both.items()}
            assert all(len(one) == len(set(one)) for one in said.values()), f"said twice: {said}"
            for side in SIDES:
                if self.comments in ("both", f"to_{side}"):
                    assert set(said[OTHER[side]]) <= set(said[side]), f"not said on the {side}: {said}"
                else:
                    there = {one.token for one in self.spoke if one.app == both[OTHER[side]].name}
                    assert not set(said[side]) & there, f"said against its direction: {said}"

    def _check_tokens(self) -> None:
        """No edit is lost: it stands, or an edit that saw it does, or it is asked or recorded."""
        standing = "\n".join(str(v) for app in self.apps.values() for i in app.items.values() for v in i.values.values())
        stood = set(standing.lower().replace("!", "").replace("\n\n", "\n").replace(" ", "").split("\n"))
        recorded = "\n".join(repr(n.value) for memory, _ in self.mirrors for n in memory.notes)
        open_ = "\n".join(
            repr((o.conflict.left, o.conflict.right))
            for m, _ in self.mirrors
            for p in m.pairs.values()
            for o in p.open.values()
            if o.conflict
        )
        seen_later = {token for edit in self.edits for token in edit.saw}
        for edit in self.edits:
            if edit.token in stood or edit.token in seen_later or edit.token in recorded or edit.token in open_:
                continue
            item = edit.item
            while item in self.moved:
                item = self.moved[item]
            assert item not in self.apps[edit.app].items, f"lost: {edit}"  # else it went with its item


def tokens_of(item: Item) -> set[str]:
    """Return the tokens that stand in an item's matched texts."""
    said = f"{item.values['title'] or ''} {item.values['note'] or ''}".lower()
    return set(said.replace("!", "").split())


@dataclass(frozen=True)
class Edit:
    """What somebody did: `saw` are the tokens that it took the place of."""

    token: str
    field: str
    app: str
    item: str
    saw: tuple[str, ...] = ()


def live(dice: random.Random, kind: str, steps: int, **more: Any) -> World:
    """Let people and mirrors live for some steps, then come to rest, and see what is there. Raises AssertionError."""
    world = World(dice, **KINDS[kind], **more)
    for _ in range(steps):
        world.step()
    world.settle()
    world.check()
    return world
