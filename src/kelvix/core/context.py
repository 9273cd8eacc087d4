"""What a rehearsal, a run or a check needs to know beside the document and the sample."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

from kelvix.core import writing
from kelvix.core.cells import Answer
from kelvix.core.feel import Env
from kelvix.core.finding import Question
from kelvix.core.schema import CarriedField, CarriedList, Database
from kelvix.core.sources import CanRun


@dataclass(frozen=True)
class SourceWords:
    """How the source's app calls its places and what arrives in them; `counted`: a carried number that is worth telling at
    once, with its word for one and for several."""

    place: str = "place"
    items: str = "items"
    counted: tuple[str, str, str] | None = None


@dataclass(frozen=True)
class Context:
    """All that a rehearsal needs to know besides the document and the sample. `find` answers a Find line's question; nothing
    where that is still to be read."""

    source: tuple[CarriedField, ...]
    databases: Mapping[int, Database]
    env: Env
    find: Callable[[Question], Answer | None] = lambda _: None
    record_link: str = "http://127.0.0.1/databases/{database}/{record}"
    lists: tuple[CarriedList, ...] = ()  # that the source carries
    others: Mapping[int, CanRun] = dataclasses.field(default_factory=dict)  # the workflows that can be run
    words: SourceWords = SourceWords()
    place: Database | None = None  # of an app, from which the source's items come, seen as a database

    @cached_property
    def target(self) -> writing.Target:
        return writing.Target(self.databases, self.env, self.find, self.record_link)
