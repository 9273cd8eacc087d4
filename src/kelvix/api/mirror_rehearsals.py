"""Rehearsals of mirrors."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel

from kelvix.api.access import Editor, Reader
from kelvix.core.values import Wire
from kelvix.workspace import mirror_rehearsals

router = APIRouter(prefix="/api/v1", tags=["mirrors"])


class WouldOut(BaseModel):
    """What would become of an item. `comes`: create, update, delete or restore, on `side`; or asked, conflict, refused,
    no_counterpart or waits. `before` and `after`: by fields."""

    comes: str
    side: Literal["left", "right"]
    title: str
    pair: str | None
    before: dict[str, Wire]
    after: dict[str, Wire]


class MirrorRehearsalOut(BaseModel):
    """What a mirror would do. `counts`: by what would come and where; `named`: the first 300; `problem`: why nothing was
    found."""

    began_at: datetime
    ended_at: datetime
    left: int
    right: int
    counts: dict[str, int]
    named: list[WouldOut]
    problem: str | None


@router.post("/mirrors/{mirror_id}/rehearsal", status_code=202)
def rehearse_mirror(who: Editor, mirror_id: int) -> None:
    """Begin to find out what would cross now. Nothing is written."""
    mirror_rehearsals.rehearse(who.engine, who.space, mirror_id)


@router.get("/mirrors/{mirror_id}/rehearsal")
def get_mirror_rehearsal(who: Reader, mirror_id: int) -> MirrorRehearsalOut | None:
    """Return what the last rehearsal found; null where there was none."""
    found = mirror_rehearsals.last(who.space, mirror_id)
    if found is None:
        return None
    named = [WouldOut.model_validate(one, from_attributes=True) for one in found.named]
    return MirrorRehearsalOut(
        began_at=found.began_at,
        ended_at=found.ended_at,
        left=found.left,
        right=found.right,
        counts=dict(found.counts),
        named=named,
        problem=found.problem,
    )
