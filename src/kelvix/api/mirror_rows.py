"""The items of a mirror, both sides aligned; what a person says of them; and what crossed."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from kelvix.api.access import Editor, Reader
from kelvix.core.values import Wire
from kelvix.workspace import mirror_rows
from kelvix.workspace.mirror_rows import Crossed, Row, RowItem

router = APIRouter(prefix="/api/v1", tags=["mirrors"])
SideName = Literal["left", "right"]


class RowItemOut(BaseModel):
    """`waits_since`: since when a change of it waits to cross."""

    id: str
    title: str
    link: str
    values: dict[str, Wire]
    changed_at: datetime | None
    changed_by: str
    waits_since: datetime | None


class OpenFieldOut(BaseModel):
    """What is open of a matched field, as both sides are compared; `key` tells a conflict from later ones."""

    field: str
    state: str
    key: str | None
    left: Wire
    right: Wire
    was: Wire


class CandidateOut(BaseModel):
    id: str
    title: str


class RowOut(BaseModel):
    """A pair, or an item that is alone. `asks`: what is asked of it as a whole; `candidates`: items of the other side that may
    be the same; `why`: why a plan pairs them, or why nothing is created."""

    id: str
    n: int
    state: str
    asks: str | None
    plan: str | None
    left: RowItemOut | None
    right: RowItemOut | None
    open: list[OpenFieldOut]
    differs: list[str]
    refused: list[str]
    held: list[str]
    candidates: list[CandidateOut]
    why: str | None
    chance: float | None


class SettleIn(BaseModel):
    """`take` a side's value, or give another one; `always`: let this side win for this field from now on."""

    field: str = Field(max_length=200)
    key: str = Field(max_length=64)
    take: SideName | None = None
    value: Wire = None
    always: bool = False


class DecideIn(BaseModel):
    does: Literal["delete", "keep", "create", "cross"]


class HoldIn(BaseModel):
    held: bool


class PairIn(BaseModel):
    left: str = Field(max_length=200)
    right: str = Field(max_length=200)


class PlanItemsIn(BaseModel):
    rows: list[str] = Field(min_length=1, max_length=1000)
    plan: Literal["create", "make", "leave"]


class TryIn(BaseModel):
    rows: list[str] = Field(min_length=1, max_length=10)


class UnconfirmedOut(BaseModel):
    """A create of which nobody knows whether it was carried out. `side`: where."""

    key: str
    side: SideName
    title: str
    began: datetime


class ConfirmIn(BaseModel):
    made: str | None = Field(None, max_length=200, description="the item that was created; none where none was")


class CrossingOut(BaseModel):
    """Something that crossed, with before and after; or an edit that a choice passed over (lost), a value that a side would not
    take (refused), a field that two programs change against each other (war)."""

    n: int
    pair: str
    kind: str
    side: SideName
    item: str
    title: str
    at: datetime
    delay: int | None
    before: dict[str, Wire]
    after: dict[str, Wire]
    field: str | None
    undone_by: str | None


class CrossingsOut(BaseModel):
    crossings: list[CrossingOut]
    next: int | None


class VolumeOut(BaseModel):
    """What crossed on a day, and what that took, in milliseconds."""

    day: date
    to_left: int
    to_right: int
    typical: int | None
    worst: int | None


class ParityOut(BaseModel):
    """A comparison of both sides. `open`: pairs that differ, as is shown; `waiting`: pairs of which an edit is to cross;
    `differ`: pairs that differ and should not."""

    id: int
    began_at: datetime
    ended_at: datetime | None
    pairs: int = 0
    same: int = 0
    open: int = 0
    waiting: int = 0
    different: int = 0
    differ: list[str] = []


class MirrorUndoneOut(BaseModel):
    undone: int
    kept: list[str]


class UndoSinceIn(BaseModel):
    since: datetime


def _item(one: RowItem | None) -> RowItemOut | None:
    return RowItemOut(**{**vars(one), "values": dict(one.values)}) if one else None


def _row(row: Row) -> RowOut:
    body = row.kept.body
    why: Any = body.get("why")
    told = why if isinstance(why, str) else None
    chance = why.get("chance") if isinstance(why, dict) else None
    return RowOut(
        id=row.kept.id,
        n=row.kept.n,
        state=row.kept.state,
        asks=row.kept.asks,
        plan=row.kept.plan,
        left=_item(row.left),
        right=_item(row.right),
        open=[OpenFieldOut(**vars(one)) for one in row.open],
        differs=list(row.differs),
        refused=list(row.refused),
        held=list(body.get("held", ())),
        candidates=[CandidateOut(id=id, title=title) for id, title in row.candidates],
        why=told,
        chance=chance,
    )


@router.get("/mirrors/{mirror_id}/rows")
def list_rows(
    who: Reader,
    mirror_id: int,
    state: Annotated[list[str] | None, Query()] = None,
    plan: str | None = None,
    side: SideName | None = None,
    skip: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> list[RowOut]:
    """Return rows in the order in which they came to be, those in some states, or of a kind of plan: after `skip` others."""
    return [_row(r) for r in mirror_rows.page(who.engine, who.space, mirror_id, state or (), plan, side, skip, limit)]


@router.get("/mirrors/{mirror_id}/find")
def find_rows(who: Reader, mirror_id: int, text: Annotated[str, Query(min_length=1, max_length=200)]) -> list[RowOut]:
    """Return where an item is, by its title on either side, pairs that ended included."""
    return [_row(r) for r in mirror_rows.find(who.engine, who.space, mirror_id, text)]


@router.get("/mirrors/{mirror_id}/rows/{row_id}")
def get_row(who: Reader, mirror_id: int, row_id: str) -> RowOut:
    return _row(mirror_rows.one(who.engine, who.space, mirror_id, row_id))


@router.post("/mirrors/{mirror_id}/rows/{row_id}/settle")
def settle_conflict(who: Editor, mirror_id: int, row_id: str, body: SettleIn) -> RowOut:
    """Settle a conflict of a field."""
    made = mirror_rows.settle(
        who.engine, who.space, mirror_id, row_id, body.field, body.key, body.take, body.value, body.always
    )
    return _row(made)


@router.post("/mirrors/{mirror_id}/rows/{row_id}/decide", status_code=204)
def decide_pair(who: Editor, mirror_id: int, row_id: str, body: DecideIn) -> None:
    """Say what becomes of a pair of which one item is gone."""
    mirror_rows.decide(who.engine, who.space, mirror_id, row_id, body.does)


@router.post("/mirrors/{mirror_id}/decide-all")
def decide_all(who: Editor, mirror_id: int, body: DecideIn) -> dict[str, int]:
    """Say what becomes of all deletions, or changes, that wait since they were so many."""
    return {"decided": mirror_rows.decide_all(who.engine, who.space, mirror_id, body.does)}


@router.post("/mirrors/{mirror_id}/rows/{row_id}/hold", status_code=204)
def hold_pair(who: Editor, mirror_id: int, row_id: str, body: HoldIn) -> None:
    """Hold a pair, or let it go on."""
    mirror_rows.hold(who.engine, who.space, mirror_id, row_id, body.held)


@router.delete("/mirrors/{mirror_id}/rows/{row_id}", status_code=204)
def unpair(who: Editor, mirror_id: int, row_id: str, planned: bool = False) -> None:
    """Separate two items, or those that a plan would pair."""
    (mirror_rows.unplan if planned else mirror_rows.unpair)(who.engine, who.space, mirror_id, row_id)


@router.post("/mirrors/{mirror_id}/pairs", status_code=204)
def pair_by_hand(who: Editor, mirror_id: int, body: PairIn) -> None:
    """Pair two items that are alone."""
    mirror_rows.pair_by_hand(who.engine, who.space, mirror_id, body.left, body.right)


@router.post("/mirrors/{mirror_id}/plan-items", status_code=204)
def plan_items(who: Editor, mirror_id: int, body: PlanItemsIn) -> None:
    """Say what becomes of items that are alone: create their counterparts, or leave them."""
    mirror_rows.plan_item(who.engine, who.space, mirror_id, body.rows, body.plan)


@router.post("/mirrors/{mirror_id}/try", status_code=204)
def try_rows(who: Editor, mirror_id: int, body: TryIn) -> None:
    """Carry out a few rows of a plan, before the rest."""
    mirror_rows.try_some(who.engine, who.space, mirror_id, body.rows)


@router.get("/mirrors/{mirror_id}/unconfirmed")
def list_unconfirmed(who: Reader, mirror_id: int) -> list[UnconfirmedOut]:
    """Return what may have been created, and was not answered by its app."""
    return [UnconfirmedOut(**vars(one)) for one in mirror_rows.in_doubt(who.space, mirror_id)]


@router.post("/mirrors/{mirror_id}/unconfirmed/{key}", status_code=204)
def confirm(who: Editor, mirror_id: int, key: str, body: ConfirmIn) -> None:
    """Say which item was created, or that none was."""
    mirror_rows.confirm(who.engine, who.space, mirror_id, key, body.made)


def _crossing(one: Crossed) -> CrossingOut:
    before, after = mirror_rows.before_and_after(one)
    return CrossingOut(
        n=one.n,
        pair=one.pair_id,
        kind=one.kind,
        side=one.side,
        item=one.item_id,
        title=one.title,
        at=one.at,
        delay=one.delay_ms,
        before=before,
        after=after,
        field=one.body.get("field"),
        undone_by=one.undone_by,
    )


@router.get("/mirrors/{mirror_id}/history")
def list_crossings(
    who: Reader, mirror_id: int, pair: str | None = None, before: int | None = None, limit: int = 100
) -> CrossingsOut:
    """Return what crossed, the newest first; of one pair, if one is named."""
    found = mirror_rows.history(who.space, mirror_id, before, limit, pair)
    return CrossingsOut(crossings=[_crossing(c) for c in found], next=found[-1].n if len(found) == min(limit, 500) else None)


@router.post("/mirrors/{mirror_id}/history/{n}/undo")
def undo_crossing(who: Editor, mirror_id: int, n: int) -> MirrorUndoneOut:
    """Undo one write of the mirror, unless the item was changed since."""
    done = mirror_rows.undo(who.engine, who.space, mirror_id, n, who.person)
    return MirrorUndoneOut(undone=done.undone, kept=list(done.kept))


@router.post("/mirrors/{mirror_id}/undo")
def undo_since(who: Editor, mirror_id: int, body: UndoSinceIn) -> MirrorUndoneOut:
    """Undo what a mirror that is off wrote since a moment, on both sides, the newest first, 500 writes at once."""
    done = mirror_rows.undo_since(who.engine, who.space, mirror_id, body.since, who.person)
    return MirrorUndoneOut(undone=done.undone, kept=list(done.kept))


@router.get("/mirrors/{mirror_id}/volume")
def get_volume(who: Reader, mirror_id: int, days: Annotated[int, Query(ge=1, le=90)] = 28) -> list[VolumeOut]:
    """Return what crossed on each day."""
    return [
        VolumeOut(
            day=r["day"],
            to_left=int(r["to_left"]),
            to_right=int(r["to_right"]),
            typical=int(r["typical"]) if r["typical"] is not None else None,
            worst=r["worst"],
        )
        for r in mirror_rows.volume(who.space, mirror_id, days)
    ]


@router.get("/mirrors/{mirror_id}/parity")
def list_parity(who: Reader, mirror_id: int) -> list[ParityOut]:
    """Return the reports of parity checks, the newest first."""
    return [
        ParityOut(id=r["id"], began_at=r["began_at"], ended_at=r["ended_at"], **(r["report"] or {}))
        for r in mirror_rows.parities(who.space, mirror_id)
    ]
