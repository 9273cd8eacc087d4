"""Formulas past their first steps, worked out in a reader child: nobody else waits, and there is a deadline."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, cast

from kelvix.core.feel import heavy, tree
from kelvix.core.feel.environment import Env
from kelvix.core.feel.errors import TooMuch
from kelvix.readers.kinds import KINDS
from kelvix.readers.pool import POOL, NotRead


def elsewhere(node: tree.Node, scope: Mapping[Any, object], env: Env) -> object:
    """Work out a formula in a child. Raises TooMuch where it takes too long, or too much memory."""
    try:
        answer = cast(bytes, POOL.read_bytes("formula", heavy.sent(node, scope, env)))
    except NotRead:
        raise TooMuch(f"this formula takes more than {KINDS['formula'].seconds:.0f} seconds, or too much memory") from None
    return heavy.received(answer, env)
