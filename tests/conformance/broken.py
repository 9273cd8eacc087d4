"""Collections that break the port, each in one point."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from toy import Toy

from kelvix.connectors import conformance
from kelvix.core.collection import (
    Changes,
    GoneError,
    Page,
    PermanentError,
    RateLimitedError,
    Ref,
    TransientError,
    Write,
    Written,
)
from kelvix.core.query import Query

BROKEN: dict[Any, type[Toy]] = {}


def breaks(point):
    def note(kind: type[Toy]) -> type[Toy]:
        BROKEN[point] = kind
        return kind

    return note


@breaks(conformance.repeats)
class ForgetsWhatItTold(Toy):
    """What a query gave is not told as a change any more."""

    def query(self, query: Query) -> Page:
        page = super().query(query)
        self.gave = {i.id for i in page.items if i.title == "Twice the same"}
        return page

    def changes(self, cursor: str) -> Changes:
        told = super().changes(cursor)
        return replace(told, changes=tuple(c for c in told.changes if c.id not in getattr(self, "gave", ())))


@breaks(conformance.gets_what_it_lists)
class ListsOtherwise(Toy):
    """What is listed has not the note that is got."""

    def query(self, query: Query) -> Page:
        page = super().query(query)
        return replace(page, items=tuple(replace(i, version=f"list-{i.version}") for i in page.items))


@breaks(conformance.loses_nothing)
class SkipsUnderWriters(Toy):
    """Numbers are given before they are shown: a cursor passes one that is still to come."""

    def changes(self, cursor: str) -> Changes:
        told = super().changes(cursor)
        beside = [c for c in told.changes if not self.items.get(c.id) or not self.items[c.id].title.endswith("item 3")]
        return replace(told, changes=tuple(beside))


@breaks(conformance.pages_hold_each_once)
class ShiftsItsPages(Toy):
    """Pages are counted from the top, which moves when something is added."""

    def query(self, query: Query) -> Page:
        if query.order:
            return super().query(query)
        self.called()
        found = self.order([i for i in self.items.values() if self.lets(query, i)], query)
        at = int(query.after or 0)
        more = len(found) > at + query.limit
        return Page(tuple(found[at : at + query.limit]), str(at + query.limit) if more else None, not more)


@breaks(conformance.narrows_rightly)
class MindsCase(Toy):
    """Texts are compared with regard to case."""

    def lets(self, query: Query, item) -> bool:
        where: Any = query.where
        if where is not None and where.operator == "begins":
            return str(item.values["name"]).startswith("tremulant")
        return super().lets(query, item)


@breaks(conformance.orders_or_refuses)
class HasNoOrder(Toy):
    def order(self, items, query: Query):
        return super().order(items, replace(query, order=()))


@breaks(conformance.says_limits)
class LimitsWithoutATime(Toy):
    def called(self) -> None:
        try:
            super().called()
        except RateLimitedError:
            raise RateLimitedError("too many calls") from None


@breaks(conformance.fails_loudly)
class LooksEmpty(Toy):
    """An answer that could not be read is taken for one without items."""

    def query(self, query: Query) -> Page:
        try:
            return super().query(query)
        except TransientError:
            return Page((), None, True)


@breaks(conformance.says_access)
class TakesRefusedForGone(Toy):
    def called(self) -> None:
        try:
            super().called()
        except PermanentError:
            raise GoneError("it is missing") from None


@breaks(conformance.says_gone)
class GivesTheDead(Toy):
    """What was deleted is listed on."""

    def one(self, id: str):
        if id not in self.items:
            raise PermanentError("something is wrong with it")
        return super().one(id)


@breaks(conformance.keeps_accounts_apart)
class MixesAccounts(Toy):
    def __init__(self, account: str = "ada"):
        super().__init__(account)
        self.ref = Ref("toys", "toys")


@breaks(conformance.counts_each_change)
class ComparesByValue(Toy):
    """A change is told only where something is not as it was two changes before."""

    def note(self, id: str, kind: str, version: int) -> None:
        super().note(id, kind, 2 if kind == "changed" else version)


@breaks(conformance.keeps_names)
class CutsNames(Toy):
    def put(self, title: str, note=None) -> str:
        return super().put(title[:200], note)


@breaks(conformance.keeps_to_its_schema)
class TellsMore(Toy):
    def one(self, id: str):
        item = super().one(id)
        return replace(item, values=item.values | ({"size": 3} if item.title == "Of a schema" else {}))


@breaks(conformance.begins_at_its_head)
class BeginsBefore(Toy):
    """The head is one before the end."""

    def head(self) -> str:
        last = self.log[-1:]
        before = bool(last) and last[0].id in self.items and self.items[last[0].id].title == "Before the head"
        return str(int(super().head()) - before)


@breaks(conformance.claims_what_it_tells)
class TellsOtherKinds(Toy):
    def note(self, id: str, kind: str, version: int) -> None:
        moved = kind == "added" and self.items[id].title == "Told of"
        super().note(id, kind, version)
        if moved:
            super().note(id, "moved", version)


@breaks(conformance.goes_through_many)
class KeepsEverything(Toy):
    """Every page that was given is kept, with all that is behind it."""

    def query(self, query: Query) -> Page:
        self.kept = [*getattr(self, "kept", []), "x" * (1 << 20) + str(len(getattr(self, "kept", [])))]
        return super().query(query)


@breaks(conformance.knows_keys)
class PutsTwice(Toy):
    def put_once(self, title: str, key: str) -> None:
        self.put(title)


@breaks(conformance.writes_what_it_is_given)
class ClearsWhatIsNotNamed(Toy):
    """A field that is cleared takes its neighbour along."""

    def write(self, write: Write) -> Written:
        done = super().write(write)
        if write.kind == "update" and write.values == {"note": None}:
            self.set(write.id, {"note": "still here"})
            return Written("updated", self.items[write.id])
        return done


@breaks(conformance.makes_choices)
class MakesTwo(Toy):
    def make_choice(self, field: str, name: str, key: str) -> None:
        self.kinds.append(name)


@breaks(conformance.refuses_what_is_stale)
class WritesOver(Toy):
    def stale(self, write: Write, item) -> bool:
        return False


@breaks(conformance.writes_once)
class ForgetsKeys(Toy):
    def known(self, key: str) -> str | None:
        return None if key in self.keys and not key.startswith(("one key", "another key")) else super().known(key)


@breaks(conformance.undoes_what_it_wrote)
class RestoresAsNew(Toy):
    """What comes back is another item."""

    def write(self, write: Write) -> Written:
        if write.kind != "restore":
            return super().write(write)
        return Written("restored", self.items[self.put(self.bin[write.id].title)])


@breaks(conformance.finds_what_it_wrote)
class FindsNothing(Toy):
    """What was written and not answered is not found again."""

    def look(self, write: Write) -> Written | None:
        return None


@breaks(conformance.reads_the_same_however_it_is_asked)
class ListsWithoutNotes(Toy):
    """An item in a list has a note that it has not by itself."""

    def query(self, query: Query) -> Page:
        page = super().query(query)
        shown = tuple(
            replace(i, values={**i.values, "note": "as listed"}) if i.title == "Read three ways" else i for i in page.items
        )
        return replace(page, items=shown)


@breaks(conformance.keeps_comments)
class GivesNumbersAgain(Toy):
    """A comment is called by its place in the list."""

    def number(self, id: str) -> str:
        return str(len(self.comments(id)) + 1)
