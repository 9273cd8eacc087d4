"""A collection seen through another: what is not said otherwise is asked of the one that it is of."""

from __future__ import annotations

from collections.abc import Sequence

from kelvix.core.collection import Changes, Collection, Comment, Item, Page, Schema, Write, Written
from kelvix.core.query import Query


class Through(Collection):
    """What a collection answers, as it is. Subclasses change some of it."""

    def __init__(self, of: Collection):
        self.of = of
        self.ref, self.capabilities, self.reach, self.why_not = of.ref, of.capabilities, of.reach, of.why_not

    def schema(self) -> Schema:
        return self.of.schema()

    def look_anew(self) -> None:
        self.of.look_anew()

    def one(self, id: str) -> Item:
        return self.of.one(id)

    def get(self, ids: Sequence[str]) -> dict[str, Item]:
        return self.of.get(ids)

    def query(self, query: Query) -> Page:
        return self.of.query(query)

    def has(self, item: Item) -> bool:
        return self.of.has(item)

    def head(self) -> str:
        return self.of.head()

    def changes(self, cursor: str) -> Changes:
        return self.of.changes(cursor)

    def write(self, write: Write) -> Written:
        return self.of.write(write)

    def comments(self, id: str) -> tuple[Comment, ...]:
        return self.of.comments(id)

    def comment(self, id: str, text: str, key: str) -> Comment:
        return self.of.comment(id, text, key)

    def delete_comment(self, id: str, comment: str, key: str) -> None:
        self.of.delete_comment(id, comment, key)

    def look(self, write: Write) -> Written | None:
        return self.of.look(write)
