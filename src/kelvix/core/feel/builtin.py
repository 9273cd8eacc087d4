"""What a built-in function is: its parameters with their types, its result, and a plain Python function that does it.

The compiler checks arguments against the declared types, in line; the Python function only ever sees what it declared. Where
they do not fit at once, `accept` tries the conversions of the standard (OMG DMN 1.5, clause 10.3.2.9.4): a list of one for
its item, an item for a list of one, a date for its midnight.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Literal, TypeVar

from kelvix.core.feel.values import Function, Months, Range

T = TypeVar("T")
Classes = frozenset[type]
Spread = Literal["", "list", "items"]

ANY: Classes = frozenset()
NUMBER: Classes = frozenset({Decimal})
STRING: Classes = frozenset({str})
BOOLEAN: Classes = frozenset({bool})
DATE: Classes = frozenset({date})
TIME: Classes = frozenset({time})
DATETIME: Classes = frozenset({datetime})
DAY: Classes = frozenset({date, datetime})
DURATION: Classes = frozenset({timedelta, Months})
LIST: Classes = frozenset({list})
CONTEXT: Classes = frozenset({dict})
RANGE: Classes = frozenset({Range})
FUNCTION: Classes = frozenset({Function})

TYPE_WORDS: dict[Classes, str] = {
    ANY: "anything",
    NUMBER: "a number",
    STRING: "a text",
    BOOLEAN: "true or false",
    DATE: "a date",
    TIME: "a time",
    DATETIME: "a date and time",
    DAY: "a date, or a date and time",
    DURATION: "a duration",
    frozenset({timedelta}): "a duration of days and hours",
    frozenset({Months}): "a duration of months",
    LIST: "a list",
    CONTEXT: "a context",
    RANGE: "a range",
    FUNCTION: "a function",
}


def words_for(classes: Classes) -> str:
    """Return a parameter's type, in words."""
    if classes in TYPE_WORDS:
        return TYPE_WORDS[classes]
    return " or ".join(sorted(TYPE_WORDS[frozenset({c})] for c in classes))


@dataclass(frozen=True)
class Param:
    """`nullable` parameters take null as a value of its own; any other makes the result null."""

    name: str
    classes: Classes = ANY
    optional: bool = False
    nullable: bool = False

    @property
    def takes_null(self) -> bool:
        return self.nullable or not self.classes


@dataclass(frozen=True)
class Builtin:
    """One form of a built-in function. `spread`: the last parameter takes all further arguments as a list; where it is
    "list", one argument that is a list is that list. `needs_env`: `do` gets the environment first. `example` is an
    expression and what it gives. `added`: ours, not the standard's. `weight`: steps that 256 characters
    of what it is given are charged."""

    name: str
    params: tuple[Param, ...]
    result: Classes
    do: Callable[..., object]
    says: str
    example: tuple[str, str]
    group: str
    spread: Spread = ""
    needs_env: bool = False
    added: bool = False
    weight: int = 1

    @property
    def least(self) -> int:
        return sum(not p.optional for p in self.params)

    @property
    def signature(self) -> str:
        shown = [f"{p.name}?" if p.optional else p.name for p in self.params]
        return f"{self.name}({', '.join(shown)}{', …' if self.spread else ''})"


def accept(value: object, classes: Classes) -> tuple[bool, object]:
    """Whether a value, perhaps converted, is of one of these classes; and it."""
    if not classes or value.__class__ in classes:
        return True, value
    if isinstance(value, str) and str in classes:  # a file or a record, which reads as its name
        return True, str(value)
    if list in classes:
        return True, [value]
    if isinstance(value, list) and len(value) == 1:
        return accept(value[0], classes) if not isinstance(value[0], list) else (False, value)
    if value.__class__ is date and datetime in classes:
        assert isinstance(value, date)
        return True, datetime(value.year, value.month, value.day, tzinfo=UTC)
    return False, value


class Registry:
    """The built-in functions by name; most have one form."""

    def __init__(self) -> None:
        self.forms: dict[str, list[Builtin]] = {}

    def add(
        self,
        name: str,
        params: Sequence[Param],
        result: Classes,
        says: str,
        example: str,
        gives: str,
        group: str,
        *,
        spread: Spread = "",
        needs_env: bool = False,
        added: bool = False,
        weight: int = 1,
    ) -> Callable[[Callable[..., T]], Callable[..., T]]:
        """Declare the decorated function as a form of a built-in."""

        def keep(do: Callable[..., T]) -> Callable[..., T]:
            form = Builtin(name, tuple(params), result, do, says, (example, gives), group, spread, needs_env, added, weight)
            self.forms.setdefault(name, []).append(form)
            return do

        return keep

    def choose(self, name: str, given: int, names: tuple[str, ...]) -> Builtin | None:
        """Return the form that takes so many arguments, or arguments so named."""
        for form in self.forms.get(name, []):
            if names:
                known = [p.name for p in form.params]
                if set(names) <= set(known) and all(p.optional or p.name in names for p in form.params):
                    return form
            elif form.least <= given and (given <= len(form.params) or form.spread):
                return form
        return None


BUILTINS = Registry()
