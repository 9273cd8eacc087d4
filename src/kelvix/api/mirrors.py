"""Mirrors: two collections kept the same. Setting them up, planning them, turning them on and off."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Header
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.databases import FieldOut, field_out
from kelvix.api.filters import ComparingOut, FilterBody, comparing_out, filter_out
from kelvix.api.problems import Problem
from kelvix.core.mirror.document import (
    By,
    Comments,
    Creates,
    Direction,
    FieldPair,
    First,
    Key,
    MatchRule,
    Mirror,
    MirrorSide,
    MirrorState,
    OnDelete,
    OnDrift,
    OnEmpty,
    OnLeaving,
    Policy,
    Safety,
)
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.merge import SIDES
from kelvix.core.values import FieldId, whole
from kelvix.workspace import mirrors
from kelvix.workspace.mirrors import MatchedRow, SetUp, Summary

router = APIRouter(prefix="/api/v1", tags=["mirrors"])


class MirrorIn(BaseModel):
    left: int = Field(description="the number of a database, or of a place")
    right: int


class MirrorSideOut(BaseModel):
    """`app`: of a place; none of a database of ours."""

    database: int
    name: str
    app: str | None
    app_name: str
    items_word: str


class MatchedFieldOut(BaseModel):
    """Two matched fields, as they were last read; none where one was removed."""

    id: str
    left: FieldOut | None
    right: FieldOut | None
    direction: Direction
    policy: Policy


class StageOut(BaseModel):
    """What is done to the mirror as a whole: read, match, carry, sweep, parity or rehearse; and how many items that was so
    far."""

    does: str
    left: int = 0
    right: int = 0
    done: int = 0


class MirrorOut(BaseModel):
    """`counts`: items by state. `asked`: those of which a person is asked as a whole, by what is asked. `plan`: how many a plan
    pairs, creates on each side, leaves alone and is in doubt about. `delay`: what an edit takes to cross typically, in
    milliseconds."""

    id: int
    name: str
    state: MirrorState
    reason: str | None
    left: MirrorSideOut
    right: MirrorSideOut
    matched: list[MatchedFieldOut]
    created_at: datetime
    counts: dict[str, int]
    asked: dict[str, int]
    plan: dict[str, int]
    waiting: int
    delay: int | None
    problem: str | None
    stage: StageOut | None
    sweep_at: datetime | None


class FieldPairBody(BaseModel):
    id: str = Field(max_length=200)
    left: FieldId
    right: FieldId
    translation: str = Field(max_length=40, description="if none is named, the one that fits best")
    options: dict[str, Any] = {}
    direction: Direction = "both"
    policy: Policy = "ask"
    empty: OnEmpty = "value"
    drift: OnDrift = "leave"


class ChoiceOut(BaseModel):
    code: str
    words: str


class AskedOut(BaseModel):
    """An option of a translation: one of `choices`, or typed where there are none."""

    option: str
    words: str
    choices: list[ChoiceOut]


class MatchedOut(FieldPairBody):
    """Two matched fields: the translations between them, the options of theirs, what does not cross, and what must be put
    right."""

    choices: list[ChoiceOut]
    asks: list[AskedOut]
    loses: list[str]
    wrong: str | None


class KeyBody(BaseModel):
    left: FieldId
    right: FieldId
    by: By = "normalised"


class RuleBody(BaseModel):
    keys: list[KeyBody] = Field([], max_length=8)
    least: float = Field(0.85, ge=0.5, le=1)


class AwayBody(BaseModel):
    """What archives an item: a value of a field, as it is typed."""

    field: FieldId
    value: str = Field("", max_length=500)


class RulesBody(BaseModel):
    """How a mirror is set up, but for its matched fields. `archives`: what archives an item of a side."""

    name: str = Field(max_length=200)
    filters: dict[Literal["left", "right"], FilterBody] = {}
    archives: dict[Literal["left", "right"], AwayBody] = {}
    match: RuleBody
    creates: Creates = "both"
    first: First = "merge"
    deletes: OnDelete = "ask"
    leaving: OnLeaving = "stop"
    share: float = Field(0.1, ge=0.01, le=1, description="of a side's items that may be deleted within a day")
    quiet: float = Field(3.0, ge=0, le=60, description="seconds for which a new item is left alone")
    comments: Comments = Field("none", description="where new comments cross to")


class SetUpIn(RulesBody):
    fields: list[FieldPairBody] = Field(max_length=mirrors.MAX_FIELDS)


class SideFieldsOut(BaseModel):
    """`comparing`: how each field can be compared, by its id. `comments`: whether items have comments."""

    comparing: dict[FieldId, list[ComparingOut]]
    name: str
    title: FieldId | None
    writes: list[str]
    comments: bool
    fields: list[FieldOut]


class SetUpOut(RulesBody):
    """How a mirror is set up. `problems`: what must be put right before a plan; `windows`: what can't be promised since an app
    can't do something; `access`: whose accounts read and write, and who may read what crosses."""

    id: int
    version: int
    left: SideFieldsOut
    right: SideFieldsOut
    fields: list[MatchedOut]
    problems: list[str]
    windows: list[str]
    access: list[str]


class TriedPair(BaseModel):
    left: str
    right: str
    chance: float


class TriedOut(BaseModel):
    """What a match rule comes to with the newest items of both sides."""

    left: int
    right: int
    pairs: int
    doubts: int
    examples: list[TriedPair]
    open: list[TriedPair]


class StateIn(BaseModel):
    state: Literal["on", "off"]


def _side(side: Side, one: Summary) -> MirrorSideOut:
    number = one.kept.mirror.side(side).database
    found = one.left if side == "left" else one.right
    if found is None:
        return MirrorSideOut(database=number, name="(deleted)", app=None, app_name="Kelvix", items_word="records")
    of = found.outside
    return MirrorSideOut(
        database=number,
        name=found.name,
        app=of.app if of else None,
        app_name=of.app_name if of else "Kelvix",
        items_word=found.records_word,
    )


def _out(one: Summary) -> MirrorOut:
    kept = one.kept
    stage = {k: v for k, v in (kept.stage or {}).items() if k in StageOut.model_fields}
    return MirrorOut(
        id=kept.id,
        name=kept.name,
        state=kept.state,
        reason=kept.reason,
        left=_side("left", one),
        right=_side("right", one),
        matched=[_matched_field(pair, one) for pair in kept.mirror.fields],
        created_at=kept.created_at,
        counts=dict(one.counts),
        asked=dict(one.asked),
        plan=dict(one.plan),
        waiting=one.waiting,
        delay=one.delay,
        problem=one.problem,
        stage=StageOut(**stage) if kept.stage else None,
        sweep_at=kept.sweep_at,
    )


def _matched_field(pair: FieldPair, one: Summary) -> MatchedFieldOut:
    left = one.left.field(pair.left) if one.left else None
    right = one.right.field(pair.right) if one.right else None
    return MatchedFieldOut(
        id=pair.id,
        left=field_out(left) if left else None,
        right=field_out(right) if right else None,
        direction=pair.direction,
        policy=pair.policy,
    )


def _matched(row: MatchedRow) -> MatchedOut:
    p = row.pair
    return MatchedOut(
        id=p.id,
        left=p.left,
        right=p.right,
        translation=p.translation,
        options=dict(p.options),
        direction=p.direction,
        policy=p.policy,
        empty=p.empty,
        drift=p.drift,
        choices=[ChoiceOut(code=c.code, words=c.words) for c in row.choices],
        asks=[
            AskedOut(option=a.option, words=a.words, choices=[ChoiceOut(code=c, words=w) for c, w in a.choices])
            for a in row.asks
        ],
        loses=list(row.loses),
        wrong=row.wrong,
    )


def _away(who: Caller, found: SetUp, side: Side) -> AwayBody | None:
    away = found.kept.mirror.side(side).away
    if away is None:
        return None
    return AwayBody(field=away.field, value=mirrors.typed_away(who.space, found.fields[side], away))


def _set_up(who: Caller, found: SetUp) -> SetUpOut:
    m = found.kept.mirror
    sides = {
        side: SideFieldsOut(
            name=found.names[side],
            title=found.title[side],
            writes=sorted(found.writes[side]),
            comments=found.comments[side],
            fields=[field_out(f) for f in found.fields[side]],
            comparing=comparing_out(found.fields[side]),
        )
        for side in SIDES
    }
    return SetUpOut(
        id=found.kept.id,
        version=found.kept.version,
        name=found.kept.name,
        left=sides["left"],
        right=sides["right"],
        filters={side: filter_out(who.space, found.fields[side], m.side(side).where) for side in SIDES},
        archives={side: away for side in SIDES if (away := _away(who, found, side)) is not None},
        match=RuleBody(keys=[KeyBody(left=k.left, right=k.right, by=k.by) for k in m.match.keys], least=m.match.least),
        creates=m.creates,
        first=m.first,
        deletes=m.deletes,
        leaving=m.leaving,
        share=m.safety.share,
        quiet=m.quiet,
        comments=m.comments,
        fields=[_matched(row) for row in found.rows],
        problems=list(found.problems),
        windows=list(found.windows),
        access=list(found.access),
    )


@router.get("/mirrors")
def list_mirrors(who: Reader) -> list[MirrorOut]:
    """Return the mirrors, each with its health."""
    return [_out(one) for one in mirrors.list_all(who.engine, who.space)]


@router.post("/mirrors", status_code=201)
def create_mirror(who: Editor, body: MirrorIn) -> MirrorOut:
    """Create a mirror between two databases or places, with the fields matched as proposed."""
    made = mirrors.create(who.engine, who.space, body.left, body.right, who.person)
    return _out(mirrors.summary(who.engine, who.space, made.id))


@router.get("/mirrors/{mirror_id}")
def get_mirror(who: Reader, mirror_id: int) -> MirrorOut:
    return _out(mirrors.summary(who.engine, who.space, mirror_id))


@router.delete("/mirrors/{mirror_id}", status_code=204)
def delete_mirror(who: Editor, mirror_id: int) -> None:
    """Delete a mirror. The items of both sides stay as they are."""
    mirrors.delete(who.engine, who.space, mirror_id)


@router.get("/mirrors/{mirror_id}/set-up")
def get_set_up(who: Reader, mirror_id: int) -> SetUpOut:
    """Return how a mirror is set up, with the fields that both sides have now."""
    return _set_up(who, mirrors.set_up(who.engine, who.space, mirror_id))


@router.put("/mirrors/{mirror_id}/set-up")
def save_set_up(who: Editor, mirror_id: int, body: SetUpIn, if_match: Annotated[str | None, Header()] = None) -> SetUpOut:
    """Keep how a mirror is set up. `If-Match` names the version that was edited."""
    saw = whole((if_match or "").strip().strip('"'))
    if saw is None:
        raise Problem(428, "The version is missing.", 'Send it as If-Match: "3".')
    now = mirrors.set_up(who.engine, who.space, mirror_id)
    sides = {}
    for side in SIDES:
        of = body.filters.get(side) or FilterBody(tests=[])
        where = of.where(who.space, now.fields[side])
        told = body.archives.get(side)
        away = mirrors.away_of(who.space, now.fields[side], told.field, told.value) if told else None
        sides[side] = MirrorSide(now.kept.mirror.side(side).database, where, away)
    chosen = Mirror(
        sides["left"],
        sides["right"],
        tuple(mirrors.completed(now, FieldPair(**f.model_dump())) for f in body.fields),
        _rule(body.match),
        body.creates,
        body.first,
        body.deletes,
        body.leaving,
        Safety(body.share),
        body.quiet,
        body.comments,
    )
    mirrors.save(who.engine, who.space, mirror_id, saw, body.name, chosen)
    return _set_up(who, mirrors.set_up(who.engine, who.space, mirror_id))


def _rule(body: RuleBody) -> MatchRule:
    return MatchRule(tuple(Key(k.left, k.right, k.by) for k in body.keys), body.least)


@router.post("/mirrors/{mirror_id}/try-rule")
def try_match_rule(who: Reader, mirror_id: int, body: RuleBody) -> TriedOut:
    """Try a match rule on the newest items of both sides. Nothing is kept or written."""
    found = mirrors.try_rule(who.engine, who.space, mirror_id, _rule(body))
    named = [[TriedPair(left=a, right=b, chance=c) for a, b, c in some] for some in (found.examples, found.open)]
    return TriedOut(
        left=found.left, right=found.right, pairs=found.pairs, doubts=found.doubts, examples=named[0], open=named[1]
    )


@router.post("/mirrors/{mirror_id}/plan", status_code=202)
def plan_mirror(who: Editor, mirror_id: int) -> MirrorOut:
    """Begin to read both sides, and plan what would be paired and created. Nothing is written."""
    mirrors.plan(who.engine, who.space, mirror_id)
    return _out(mirrors.summary(who.engine, who.space, mirror_id))


@router.post("/mirrors/{mirror_id}/carry-out", status_code=202)
def carry_out_plan(who: Editor, mirror_id: int) -> MirrorOut:
    """Carry out a plan that was seen, and turn the mirror on."""
    mirrors.carry_out(who.engine, who.space, mirror_id)
    return _out(mirrors.summary(who.engine, who.space, mirror_id))


@router.post("/mirrors/{mirror_id}/state")
def set_mirror_state(who: Editor, mirror_id: int, body: StateIn) -> MirrorOut:
    """Turn a mirror off, or on again from where it was."""
    (mirrors.turn_on if body.state == "on" else mirrors.turn_off)(who.engine, who.space, mirror_id)
    return _out(mirrors.summary(who.engine, who.space, mirror_id))


@router.post("/mirrors/{mirror_id}/parity", status_code=202)
def check_parity(who: Editor, mirror_id: int) -> MirrorOut:
    """Begin to compare both sides in full."""
    mirrors.check_parity(who.engine, who.space, mirror_id)
    return _out(mirrors.summary(who.engine, who.space, mirror_id))
