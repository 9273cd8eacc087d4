"""Formulas that take more than a few steps: worked out elsewhere, by whoever has a process that can be killed. What is sent
there and comes back is bytes; what comes back is read without running anything that it names."""

from __future__ import annotations

import io
import pickle
from collections.abc import Mapping
from datetime import date, datetime, time, timedelta, timezone
from decimal import Decimal
from typing import IO, Any
from zoneinfo import ZoneInfo

from kelvix.core.feel import tree
from kelvix.core.feel.environment import Env
from kelvix.core.feel.errors import TooMuch
from kelvix.core.feel.values import Months, Range

CLASSES = (date, datetime, time, timedelta, timezone, Decimal, ZoneInfo, Months, Range)
VALUES = {(c.__module__, c.__qualname__): c for c in CLASSES}


def _zone_maker(owner: object, name: str) -> Any:
    """Return what `getattr` may stand for: the library restores a zone by a method of its class."""
    if owner is not ZoneInfo or name != "_unpickle":
        raise pickle.UnpicklingError(f"{name} is no value of the language")
    return ZoneInfo._unpickle  # type: ignore[attr-defined]


class _Values(pickle.Unpickler):
    """Restores values of the language, and nothing else."""

    def find_class(self, module: str, name: str) -> Any:
        known = _zone_maker if (module, name) == ("builtins", "getattr") else VALUES.get((module, name))
        if known is None:
            raise pickle.UnpicklingError(f"{module}.{name} is no value of the language")
        return known


def sent(node: tree.Node, scope: Mapping[Any, object], env: Env) -> bytes:
    """Write down an evaluation."""
    return pickle.dumps((node, dict(scope), env.now, env.zone, env.locale, env.order))


def execute(file: IO[bytes]) -> bytes:
    """Carry out an evaluation that was written down, with all the steps that one may take: its result, its notes, and why it
    was given up, if it was."""
    from kelvix.core.feel.language import compiled

    node, scope, now, zone, locale, order = pickle.load(file)  # noqa: S301 - written by our own parent, never from outside
    env = Env(now, zone, locale, order)
    try:
        result: object = compiled(node).evaluate(scope, env)
    except TooMuch as error:
        return pickle.dumps((None, [], str(error)))
    try:
        return pickle.dumps((result, env.notes, ""))
    except (pickle.PicklingError, TypeError, AttributeError):  # a function: nothing that a field could hold
        return pickle.dumps((None, [*env.notes, "this formula gives a function"], ""))


def received(answer: bytes, env: Env) -> object:
    """Read a result, and take its notes over. Raises TooMuch where it was given up."""
    result, notes, given_up = _Values(io.BytesIO(answer)).load()
    if given_up:
        raise TooMuch(given_up)
    for note in notes:
        env.note(note)
    return result
