"""The way of a decision that is taken where no other is."""

from __future__ import annotations

from kelvix.core.lines.kind import Kind
from kelvix.core.workflow import Otherwise


class OtherwiseKind(Kind[Otherwise]):
    verb = "otherwise"
    stays = True
    fixed = True


KIND = OtherwiseKind()
