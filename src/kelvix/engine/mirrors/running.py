"""A mirror that is on, as it is carried out, and why an item is left for now, or all of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

from kelvix.core.collection import Collection, Item
from kelvix.core.mirror.document import Mirror
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.reconciling import Matched
from kelvix.core.values import FieldId, File, Value

UNTIL = timedelta(seconds=60)  # in which a call that was begun is over, whatever became of it
Opens = Callable[[File], Iterator[bytes]]


@dataclass(frozen=True)
class Running:
    """A mirror that is on. `is_inside`: whether its filter lets an item through; `is_person`: whether somebody changes items
    under a name, and not the mirror; `lets_in`: whether an item that is made of such values would be inside; `opens`: yields
    what a file contains."""

    mirror: Mirror
    fields: Sequence[Matched]
    sides: Mapping[Side, Collection]
    is_inside: Callable[[Side, Item], bool]
    is_person: Callable[[Side, str], bool]
    lets_in: Callable[[Side, Mapping[FieldId, Value]], bool] = lambda side, values: True
    opens: Opens | None = None


class Later(Exception):
    """Something is under way, or cannot be reached: the item is looked at again, after some seconds."""

    def __init__(self, after: float = 0.0):
        super().__init__(f"looked at again in {after} seconds")
        self.after = after


class Stop(Exception):
    """Something is so wrong with a side that nothing may be written: why, as a sentence."""
