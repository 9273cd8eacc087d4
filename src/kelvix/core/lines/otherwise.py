"""The way of a decision that is taken where no other is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Line


@dataclass(frozen=True)
class Otherwise(Line):
    """The way of a Decide line that is taken where no other is."""

    id: str
    within: str = ""
    verb: Literal["otherwise"] = "otherwise"


class OtherwiseKind(Kind[Otherwise]):
    line, verb = Otherwise, "otherwise"
    stays = True
    is_way = is_last = True
    holds = "lines"
    fixed = True


KIND = OtherwiseKind()
