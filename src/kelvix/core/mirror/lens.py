"""In what two matched fields are compared: one domain for both sides, the coarser of theirs. Each side is seen through a lens.

A lens reads what a value stands for in the domain (`get`), and says which value is to be written so that it stands for
something else (`put`), given the value that is there. For every value `r` and everything `v` of the domain that the lens can
write, `get(put(r, v)) = v`, and `put(r, get(r)) = r`: what the domain does not see of a value stays.
(The laws GetPut and PutGet of Foster et al., Combinators for Bidirectional Tree Transformations, 2007; from memory.)
"""

from __future__ import annotations

import unicodedata
from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from datetime import date, time, timedelta
from decimal import Decimal
from typing import Literal

from kelvix.core.schema import Field
from kelvix.core.values import Composite, Value

Canonical = Hashable  # of a domain; None is empty
Side = Literal["left", "right"]
Merging = Literal["whole", "set", "lines"]


class NoCounterpartError(ValueError):
    """A value to which nothing on the other side corresponds: an option, a person, a record. `what` identifies it, `name` is
    how it reads; `waits`: it may come to correspond by itself, as a record does once it is mirrored."""

    def __init__(self, what: str, name: str, waits: bool = False):
        super().__init__(f"“{name}” has no counterpart on the other side")
        self.what, self.name, self.waits = what, name, waits


class Lens(ABC):
    """One side of two matched fields."""

    @abstractmethod
    def get(self, raw: Value) -> Canonical:
        """Return what a value stands for. Raises NoCounterpartError."""

    @abstractmethod
    def fresh(self, raw: Value, value: Canonical) -> Value:
        """Return the value that is written for something else than `raw` stands for, which is kept as far as it can be. Raises
        NoCounterpartError."""

    def put(self, raw: Value, value: Canonical) -> Value:
        """Return the value that is written so that it stands for `value`, where `raw` is there. Raises NoCounterpartError."""
        if self._stands(raw, value):
            return raw
        made = self.fresh(raw, value)
        if not self._stands(made, value):
            raise NoCounterpartError(str(value), str(value))
        return made

    def _stands(self, raw: Value, value: Canonical) -> bool:
        try:
            return self.get(raw) == value
        except NoCounterpartError:
            return False

    def uncounted(self, raw: Value) -> tuple[str, ...]:
        """Return the names of members of a value that do not count, since nothing corresponds to them."""
        return ()


def as_it_is(value: Canonical) -> Value:
    """Return what stands in a domain as the value that is written, where both are the same."""
    assert value is None or isinstance(value, str | Decimal | date | time | timedelta | bool | Composite)
    return value


def itself(raw: Value) -> Canonical:
    return raw


@dataclass(frozen=True)
class Plain(Lens):
    """A value that stands for itself, but for how it is written down."""

    reads: Callable[[Value], Canonical] = itself
    writes: Callable[[Canonical], Value] = as_it_is

    def get(self, raw: Value) -> Canonical:
        return None if raw is None else self.reads(raw)

    def fresh(self, raw: Value, value: Canonical) -> Value:
        return None if value is None else self.writes(value)


@dataclass(frozen=True)
class Domain:
    """Two matched fields as both sides are compared. `merging`: how edits of both sides are joined; `type`: the type of field
    by which what stands in it is kept, of sets that of their members."""

    left: Lens
    right: Lens
    type: str
    merging: Merging = "whole"

    @staticmethod
    def between(left: Field, right: Field, lens: Callable[[Field], Lens], type: str) -> Domain:
        """Return the domain of two fields, of which each has its own lens."""
        return Domain(lens(left), lens(right), type)

    def lens(self, side: Side) -> Lens:
        return self.left if side == "left" else self.right


def unified(text: str) -> str:
    """Return a text in Unicode's composed form (NFC), with one kind of line ends."""
    return unicodedata.normalize("NFC", text.replace("\r\n", "\n").replace("\r", "\n"))
