"""Mirrors: setting them up, planning them, turning them on and off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import partial
from statistics import median

from kelvix.collections.write import Actor
from kelvix.core.collection import Item, readable
from kelvix.core.mirror import proposals
from kelvix.core.mirror.document import Away, FieldPair, MatchRule, Mirror, MirrorSide, MirrorState
from kelvix.core.mirror.lens import Side
from kelvix.core.mirror.matching import match
from kelvix.core.mirror.merge import SIDES
from kelvix.core.mirror.translations import TRANSLATIONS, fitting
from kelvix.core.mirror.translations.translation import Asked
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Query
from kelvix.core.schema import Database, Field
from kelvix.core.values import FieldId, Unfit, as_text
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import kept as keeping
from kelvix.engine.mirrors import planning, sweeping
from kelvix.engine.mirrors import sides as opening
from kelvix.engine.mirrors.running import Stop
from kelvix.engine.mirrors.sides import Opened
from kelvix.store import connections, crossings, mirror_consumers, mirror_looks, mirrors, pairs
from kelvix.store.database_server import Transaction
from kelvix.store.mirrors import KeptMirror
from kelvix.store.records import Origin
from kelvix.workspace import Space
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotNow, NotValid

MAX_FIELDS = 100
TRIED = 300  # items of each side on which a match rule is tried
EXAMPLES = 12
MATCHED = 1000  # pairs that are let be looked at at once


@dataclass(frozen=True)
class Summary:
    """A mirror with its health. `asked`: pairs of which a person is asked as a whole, by what is asked; `waiting`: items that
    are to be looked at; `delay`: what an edit takes to cross typically, in ms; `problem`: what is wrong with the app of a
    side."""

    kept: KeptMirror
    left: Database | None
    right: Database | None
    counts: Mapping[str, int]
    asked: Mapping[str, int]
    plan: Mapping[str, int]
    waiting: int
    delay: int | None
    problem: str | None


def list_all(engine: Engine, space: Space) -> list[Summary]:
    """Return the mirrors of a workspace, with their health."""
    known = space.read(lambda t: engine.known.load(t, space.id))
    return space.read(lambda t: [_summary(t, known, kept) for kept in mirrors.list_all(t, space.id)])


def summary(engine: Engine, space: Space, mirror_id: int) -> Summary:
    """Return a mirror with its health. Raises NotFoundError."""
    kept = get(space, mirror_id)
    known = space.read(lambda t: engine.known.load(t, space.id))
    return space.read(lambda t: _summary(t, known, kept))


def _summary(t: Transaction, known: Mapping[int, Database], kept: KeptMirror) -> Summary:
    delays = crossings.delays(t, kept.id)
    sides = mirror_consumers.of_mirror(t, kept.workspace_id, kept.id)
    problem = next((r["problem"] for r in sides if r["problem"] and r["state"] == "on"), None)
    plan = pairs.plan_counts(t, kept.id) if kept.state in ("planned", "planning") else {}
    counts = pairs.counts(t, kept.id)
    return Summary(
        kept,
        known.get(kept.mirror.left.database),
        known.get(kept.mirror.right.database),
        counts,
        pairs.asked(t, kept.id) if counts.get("asked") else {},
        plan,
        mirror_looks.waiting(t, kept.id),
        int(median(delays)) if delays else None,
        problem,
    )


def get(space: Space, mirror_id: int) -> KeptMirror:
    """Return a mirror. Raises NotFoundError."""
    found = space.read(lambda t: mirrors.get(t, space.id, mirror_id))
    if found is None:
        raise NotFoundError("mirror not found")
    return found


# Setting up


def create(engine: Engine, space: Space, left: int, right: int, person: Person) -> KeptMirror:
    """Create a mirror between two databases or places, with the fields matched as proposed. Nothing is read of their items.
    Raises NotFoundError, NotValid, TransientError, PermanentError."""
    if left == right:
        raise NotValid("Both sides are the same.", "Choose another database or place for one of them.")
    opened = _opened(engine, space, Mirror(MirrorSide(left), MirrorSide(right), ()))
    schemas = opened["left"].schema, opened["right"].schema
    fields = proposals.field_pairs(*schemas)
    mirror = Mirror(MirrorSide(left), MirrorSide(right), fields, proposals.match_rule(*schemas, fields))
    if all(opened[side].collection.capabilities.comments for side in SIDES):
        mirror = replace(mirror, comments="both", comments_since=datetime.now(UTC))
    name = f"{opened['left'].database.name} and {opened['right'].database.name}"[:200]
    made = space.transact(lambda t: mirrors.create(t, space.id, name, mirror, person.name))
    engine.dispatch.announce(space.id, "mirrors")
    return get(space, made)


def _opened(engine: Engine, space: Space, mirror: Mirror) -> dict[Side, Opened]:
    actor = Actor(Origin(called="a mirror"))  # by which it is known what can be written
    try:
        return {side: opening.open_side(engine, space, of.database, actor) for side, of in mirror.sides}
    except Stop as stop:
        raise NotNow("This mirror can’t be set up now.", str(stop)) from None


@dataclass(frozen=True)
class Choice:
    """A translation that goes between two fields."""

    code: str
    words: str


@dataclass(frozen=True)
class MatchedRow:
    """Two matched fields, as they are set up: what does not cross, and what must be put right."""

    pair: FieldPair
    choices: tuple[Choice, ...]
    asks: tuple[Asked, ...]
    loses: tuple[str, ...]
    wrong: str | None


@dataclass(frozen=True)
class SetUp:
    """What a mirror is set up of: the fields of both sides, how they are matched, and what must be put right before a plan."""

    kept: KeptMirror
    fields: Mapping[Side, Sequence[Field]]
    names: Mapping[Side, str]
    title: Mapping[Side, str | None]
    writes: Mapping[Side, frozenset[str]]
    comments: Mapping[Side, bool]
    rows: tuple[MatchedRow, ...]
    problems: tuple[str, ...]
    windows: tuple[str, ...]
    access: tuple[str, ...]


def set_up(engine: Engine, space: Space, mirror_id: int) -> SetUp:
    """Return what a mirror is set up of, as both sides are now. Raises NotFoundError, NotNow, TransientError,
    PermanentError."""
    kept = get(space, mirror_id)
    opened = _opened(engine, space, kept.mirror)
    fields = {side: opened[side].schema.fields for side in SIDES}
    rows = tuple(_row(fields, pair) for pair in kept.mirror.fields)
    others = [one for one in space.read(lambda t: mirrors.list_all(t, space.id)) if one.id != kept.id]
    return SetUp(
        kept,
        fields,
        {side: opened[side].database.name for side in SIDES},
        {side: opened[side].schema.title for side in SIDES},
        {side: frozenset(opened[side].collection.capabilities.writes) for side in SIDES},
        {side: opened[side].collection.capabilities.comments for side in SIDES},
        rows,
        tuple(_problems(kept.mirror, rows, opened, [one.mirror for one in others])),
        tuple(_windows(opened)),
        tuple(_access(space, kept.mirror, opened)),
    )


def completed(found: SetUp, pair: FieldPair) -> FieldPair:
    """Return two matched fields with what was not chosen as it is proposed: how they are kept, and its options."""
    left, right = (next((f for f in found.fields[side] if f.id == pair.field(side)), None) for side in SIDES)
    if left is None or right is None or not fitting(left, right):
        return pair
    if not pair.translation:
        best = proposals.pair_of(left, right)
        return replace(pair, translation=best.translation, options=best.options, direction=best.direction)
    if not pair.options and pair.translation in TRANSLATIONS:
        return replace(pair, options=TRANSLATIONS[pair.translation].proposed(left, right))
    return pair


def _row(fields: Mapping[Side, Sequence[Field]], pair: FieldPair) -> MatchedRow:
    found = {side: next((f for f in fields[side] if f.id == pair.field(side)), None) for side in SIDES}
    left, right = found["left"], found["right"]
    if left is None or right is None:
        return MatchedRow(pair, (), (), (), "One of these fields was removed. Choose another, or remove this row.")
    choices = tuple(Choice(one.code, one.words) for _, one in fitting(left, right))
    if pair.translation not in {c.code for c in choices}:
        said = f"{left.name} and {right.name} can’t be matched: their values are of other kinds."
        return MatchedRow(pair, choices, (), (), said)
    translation = TRANSLATIONS[pair.translation]
    wrong = translation.wrong(left, right, pair.options)
    for side, field in (("left", left), ("right", right)):
        if not field.can_write and pair.direction in ("both", f"to_{side}"):
            wrong = wrong or f"{field.name} can only be read, so edits can’t go there."
    return MatchedRow(pair, choices, translation.asks(left, right), translation.loses(left, right, pair.options), wrong)


def _problems(mirror: Mirror, rows: Sequence[MatchedRow], opened: Mapping[Side, Opened], others: Sequence[Mirror]) -> list[str]:
    found = [row.wrong for row in rows if row.wrong]
    if not rows:
        found.append("Match at least one field.")
    for side in SIDES:
        ids = [row.pair.field(side) for row in rows if row.pair.goes_to(side)]
        if len(ids) != len(set(ids)):
            found.append("A field is written from two others. Remove one of them.")
        can = opened[side].collection.capabilities.writes
        if any(row.pair.goes_to(side) for row in rows) and "update" not in can:
            found.append(f"{opened[side].database.name} can only be read. Let all fields go the other way.")
    for side in SIDES:
        taken = sources_into(mirror.side(side).database, others)
        for row in rows:
            if row.pair.direction == f"to_{side}" and row.pair.field(side) in taken:
                name = next((f.name for f in opened[side].schema.fields if f.id == row.pair.field(side)), "A field")
                found.append(f"{name} is written by another mirror already. Remove it here or there.")
    if "archive" in (mirror.deletes, mirror.leaving):
        for side, of in mirror.sides:
            if of.away is None and any(row.pair.goes_to(side) for row in rows):
                found.append(f"Choose below how an item of {opened[side].database.name} is archived.")
    if not mirror.match.keys:
        found.append("Choose at least one field by which items are recognised.")
    if in_ring(mirror, others):
        deciding = [row for row in rows if row.pair.policy in ("left", "right")]
        found += ["Mirrors form a ring here, so no side can always win. Choose to ask, or the newest."] * bool(deciding)
        for row in rows:
            if _is_coarser(row, opened):
                found.append("Mirrors form a ring here, so no field may lose anything. Match fields of the same type.")
                break
    return list(dict.fromkeys(found))


def _is_coarser(row: MatchedRow, opened: Mapping[Side, Opened]) -> bool:
    left, right = (next((f for f in opened[s].schema.fields if f.id == row.pair.field(s)), None) for s in SIDES)
    if left is None or right is None or row.wrong:
        return False
    return TRANSLATIONS[row.pair.translation].is_coarser(left, right, row.pair.options)


def sources_into(database: int, others: Sequence[Mirror]) -> set[FieldId]:
    """Return the fields of a database into which other mirrors write one way: each has one source."""
    return {
        pair.field(side)
        for other in others
        for side, of in other.sides
        if of.database == database
        for pair in other.fields
        if pair.direction == f"to_{side}"
    }


def in_ring(mirror: Mirror, others: Sequence[Mirror]) -> bool:
    """Say whether other mirrors lead from one side of a mirror to the other."""
    reached, ahead = {mirror.left.database}, [mirror.left.database]
    while ahead:
        here = ahead.pop()
        for other in others:
            ends = [other.left.database, other.right.database]
            if here in ends:
                new = [end for end in ends if end not in reached]
                reached.update(new)
                ahead += new
    return mirror.right.database in reached


def _windows(opened: Mapping[Side, Opened]) -> list[str]:
    """Return what can't be promised since an app can't do something, as sentences."""
    said = []
    for side in SIDES:
        name, can = opened[side].database.name, opened[side].collection.capabilities
        if opened[side].is_ours:
            continue
        if not can.versions:
            said.append(
                f"{name} doesn’t compare versions: an edit within a moment of ours may be overwritten, and is recorded."
            )
        if "deleted" not in can.told:
            said.append(f"{name} doesn’t tell of deletions: they are found once an hour.")
        if not can.keys:
            said.append(f"{name} doesn’t know repeated writes: after a lost answer, you may be asked what was created.")
    return said


def _access(space: Space, mirror: Mirror, opened: Mapping[Side, Opened]) -> list[str]:
    """Return whose accounts read and write, and who may read what crosses, as sentences."""
    said = []
    for side in SIDES:
        number = opened[side].connection
        used = space.read(partial(connections.get, workspace_id=space.id, connection_id=number)) if number is not None else None
        if used is not None:
            does = "reads and writes" if mirror.writes_to(side) else "only reads"
            said.append(f"Kelvix {does} {opened[side].database.name} as {used.account}, by the connection “{used.name}”.")
    names = " and ".join(dict.fromkeys(opened[side].database.name for side in SIDES))
    return [*said, f"Everyone in this workspace can read what crosses between {names}, with its history."]


def save(engine: Engine, space: Space, mirror_id: int, saw: int, name: str, mirror: Mirror) -> KeptMirror:
    """Keep how a mirror is set up. What is matched otherwise than before needs a new plan. Raises NotFoundError, NotValid,
    NotNow where it was edited since."""
    kept = get(space, mirror_id)
    if not name.strip():
        raise NotValid("A mirror needs a name.", "Type one.")
    if len(mirror.fields) > MAX_FIELDS:
        raise NotValid(f"A mirror matches {MAX_FIELDS} fields at most.", "Remove some.")
    mirror = replace(mirror, comments_since=_comments_since(kept.mirror, mirror))
    if not space.transact(lambda t: mirrors.save(t, space.id, mirror_id, saw, name.strip()[:200], mirror)):
        raise NotNow("This mirror was edited meanwhile.", "Reload it, then make the change again.")
    matched_more = _with_options_added(kept.mirror, mirror)
    if matched_more != mirror:
        _look_again(space, mirror_id)
    if kept.state not in ("draft", "off") and _needing_plan(kept.mirror) != _needing_plan(matched_more):
        _set_state(engine, space, mirror_id, "off", "Fields and rules were changed. Create a plan to continue.", "paused")
    engine.dispatch.announce(space.id, "mirrors", f"mirror:{mirror_id}")
    return get(space, mirror_id)


def _with_options_added(was: Mirror, chosen: Mirror) -> Mirror:
    """Return a mirror as it is chosen, but for options that were given a counterpart: by that, nothing that has crossed
    stands for anything else."""
    before = {one.id: one for one in was.fields}

    def of(one: FieldPair) -> FieldPair:
        old = before.get(one.id)
        if old is None or replace(one, options=old.options) != replace(old, policy=one.policy, drift=one.drift):
            return one
        pairs_, known = (list(of.options.get("pairs", ())) for of in (one, old))
        added = pairs_[len(known) :]
        lefts, rights = {left for left, _ in known}, {right for _, right in known}
        is_more = pairs_[: len(known)] == known and {**one.options, "pairs": known} == {**old.options, "pairs": known}
        return (
            replace(one, options=old.options) if is_more and all(a not in lefts or b not in rights for a, b in added) else one
        )

    return replace(chosen, fields=tuple(of(one) for one in chosen.fields))


def _look_again(space: Space, mirror_id: int) -> None:
    """Let all pairs be looked at again of which a value had no counterpart."""
    after = 0
    while rows := space.read(partial(pairs.page, mirror_id=mirror_id, states=("no_counterpart",), after=after, limit=MATCHED)):
        items = [row.left_item for row in rows if row.left_item is not None]
        space.transact(partial(mirror_looks.stir, workspace_id=space.id, mirror_id=mirror_id, side="left", items=items))
        after = rows[-1].n


def _comments_since(was: Mirror, chosen: Mirror) -> datetime | None:
    """Return since when comments cross."""
    if chosen.comments == "none":
        return None
    return was.comments_since or datetime.now(UTC)


def _needing_plan(mirror: Mirror) -> Mirror:
    """Return what of a mirror changes with a plan only."""
    fields = tuple(replace(one, policy="ask", drift="leave") for one in mirror.fields)
    left, right = (replace(of, away=None) for of in (mirror.left, mirror.right))
    return Mirror(left, right, fields, mirror.match, mirror.creates, mirror.first)


def away_of(space: Space, fields: Sequence[Field], field_id: FieldId, typed: str) -> Away | None:
    """Return what puts an item away, as it is typed; None while it is incomplete. Raises NotValid."""
    field = next((f for f in fields if f.id == field_id), None)
    if field is None or not typed.strip():
        return None
    if not field.can_write:
        raise NotValid(f"{field.name} can only be read.", "Choose another field for archiving.")
    env = space.env(datetime.now(UTC))
    try:
        return Away(field.id, field.seek(typed, env.zone, env.order))
    except Unfit as unfit:
        raise NotValid(f"{field.name} doesn’t take this value.", str(unfit)) from None


def typed_away(space: Space, fields: Sequence[Field], away: Away) -> str:
    """Return what puts an item away as it is typed."""
    field = next((f for f in fields if f.id == away.field), None)
    value = field.named(away.value) if field else away.value
    return as_text(value, space.zone) if value is not None else ""


@dataclass(frozen=True)
class Tried:
    """What a match rule comes to with the newest items of both sides: how many there were, and pairs and doubts by title."""

    left: int
    right: int
    pairs: int
    doubts: int
    examples: tuple[tuple[str, str, float], ...]
    open: tuple[tuple[str, str, float], ...]


def try_rule(engine: Engine, space: Space, mirror_id: int, rule: MatchRule) -> Tried:
    """Try a match rule on the newest items of both sides. Raises NotFoundError, NotNow, TransientError, PermanentError."""
    kept = get(space, mirror_id)
    kept = replace(kept, mirror=replace(kept.mirror, match=rule))
    opened = _opened(engine, space, kept.mirror)
    titles: dict[Side, dict[str, str]] = {"left": {}, "right": {}}
    keyed = {}
    for side in SIDES:
        items = _newest(space, kept, opened[side], side)
        titles[side] = {item.id: item.title for item in items}
        keyed[side] = [keeping.keyed(kept, side, item) for item in items]
    made = match(rule, keyed["left"], keyed["right"])
    named = [(titles["left"][p.left], titles["right"][p.right], round(p.chance, 3)) for p in made.pairs[:EXAMPLES]]
    open_ = [
        (titles["left"][p.left], titles["right"][p.right], round(p.chance, 3))
        for d in made.doubts[:EXAMPLES]
        for p in d.pairs[:2]
    ]
    return Tried(len(keyed["left"]), len(keyed["right"]), len(made.pairs), len(made.doubts), tuple(named), tuple(open_))


def _newest(space: Space, kept: KeptMirror, opened: Opened, side: Side) -> list[Item]:
    found: list[Item] = []
    after: str | None = None
    where = kept.mirror.side(side).where
    while len(found) < TRIED:
        page = opened.collection.query(Query(limit=100, after=after))
        for item in page.items:
            if opened.collection.has(item) and (where is None or opening.lets_in(space, where, opened, readable(item.values))):
                found.append(item)
        after = page.after
        if after is None:
            break
    return found


# Planning, turning on and off


def plan(engine: Engine, space: Space, mirror_id: int) -> None:
    """Begin to read the plan. Raises NotFoundError, NotNow, TransientError, PermanentError."""
    found = set_up(engine, space, mirror_id)
    if found.problems:
        raise NotNow("This mirror is not ready for a plan.", " ".join(found.problems))
    if found.kept.state in ("on", "paused"):
        raise NotNow("This mirror is on.", "Turn it off, then create a plan.")
    try:
        planning.begin(engine, space, mirror_id)
    except Stop as stop:
        raise NotNow("The plan can’t be created now.", str(stop)) from None


def carry_out(engine: Engine, space: Space, mirror_id: int) -> None:
    """Carry out a plan that was seen, and turn the mirror on. Raises NotFoundError, NotNow."""
    if get(space, mirror_id).state != "planned":
        raise NotNow("There is no plan to carry out.", "Create a plan first.")
    planning.carry_out(engine, space, mirror_id)


def turn_on(engine: Engine, space: Space, mirror_id: int) -> None:
    """Let a mirror go on from where it was; what was changed meanwhile on either side are edits. Raises NotFoundError,
    NotNow."""
    kept = get(space, mirror_id)
    if kept.left_collection is None or kept.state in ("draft", "planning", "planned"):
        raise NotNow("A plan is missing.", "Create a plan and check it. Then the mirror can be turned on.")
    if kept.state == "off" and kept.reason:
        raise NotNow("Fields and rules were changed.", "Create a plan to continue.")

    def work(t: Transaction) -> None:
        mirrors.set_state(t, space.id, mirror_id, "on")
        mirror_consumers.set_state(t, space.id, mirror_id, "on")
        mirrors.sweep_in(t, space.id, mirror_id, 0)

    space.transact(work)
    engine.dispatch.announce(space.id, "mirrors", f"mirror:{mirror_id}")


def turn_off(engine: Engine, space: Space, mirror_id: int) -> None:
    """Let nothing cross any more. What is paired stays known. Raises NotFoundError."""
    kept = get(space, mirror_id)
    state: MirrorState = "draft" if kept.state in ("planning", "planned") else "off"
    _set_state(engine, space, mirror_id, state, None, "off")


def _set_state(engine: Engine, space: Space, mirror_id: int, state: MirrorState, reason: str | None, reads: str) -> None:
    def work(t: Transaction) -> None:
        mirrors.set_state(t, space.id, mirror_id, state, reason)
        mirrors.set_stage(t, space.id, mirror_id, None)
        mirror_consumers.set_state(t, space.id, mirror_id, reads)
        if state == "draft":
            pairs.forget_plan(t, mirror_id)

    space.transact(work)
    engine.dispatch.announce(space.id, "mirrors", f"mirror:{mirror_id}")


def delete(engine: Engine, space: Space, mirror_id: int) -> None:
    """Delete a mirror. The items of both sides stay as they are. Raises NotFoundError."""
    get(space, mirror_id)
    space.transact(lambda t: mirrors.delete(t, space.id, mirror_id))
    engine.dispatch.announce(space.id, "mirrors", f"mirror:{mirror_id}")


def check_parity(engine: Engine, space: Space, mirror_id: int) -> None:
    """Begin to compare both sides in full, now. Raises NotFoundError, NotNow."""
    kept = get(space, mirror_id)
    if kept.state != "on":
        raise NotNow("This mirror is off.", "Turn it on to check parity.")
    if kept.stage is None:
        space.transact(lambda t: sweeping.begin(t, space, kept))
    engine.dispatch.announce(space.id, f"mirror:{mirror_id}")
