"""Undoing what a mirror wrote: the item is set back as it was, unless somebody changed it since, and stays as it is then until
a person lets it be mirrored again."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from kelvix.core.collection import (
    Collection,
    ConflictError,
    GoneError,
    Item,
    PermanentError,
    TransientError,
    UnknownOutcomeError,
    Unreadable,
    Write,
)
from kelvix.core.mirror import forms
from kelvix.core.mirror.landing import landing
from kelvix.core.mirror.lens import NoCounterpartError, Side
from kelvix.core.mirror.merge import SIDES, Agreed
from kelvix.core.mirror.reconciling import Matched, Standing
from kelvix.core.values import Value
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import kept as keeping
from kelvix.engine.mirrors import looking
from kelvix.engine.mirrors.commenting import COMMENT
from kelvix.engine.mirrors.crossing import Crossing as Looking
from kelvix.engine.mirrors.keeping import Known, Only, Pair, Step
from kelvix.engine.mirrors.running import Later, Opens
from kelvix.store import crossings, mirror_looks, pairs
from kelvix.store.crossings import Crossing
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror

CHANGED = "It was changed since then, so it stays as it is. Change it by hand."


class CannotUndo(Exception):
    """The message says why, and what is there now."""


@dataclass(frozen=True)
class Undone:
    """How many writes were undone, and why others were not."""

    undone: int
    kept: tuple[str, ...]


def undo_many(engine: Engine, space: Space, kept: KeptMirror, several: list[Crossing], by: str) -> Undone:
    """Undo writes, the newest first. What was changed since stays. Raises Stop, TransientError, PermanentError."""
    undone, left = 0, []
    for one in several:
        try:
            # Nobody looks meanwhile, so what is set back is not taken for an edit.
            looking.with_item(engine, space, kept, one.side, one.item_id, partial(undo, space, kept, one, by))
            undone += 1
        except Later:
            left.append(f"{one.title or one.item_id}: It is being worked on. Undo it again in a moment.")
        except CannotUndo as why:
            left.append(f"{one.title or one.item_id}: {why}")
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")
    return Undone(undone, tuple(left))


def undo(space: Space, kept: KeptMirror, one: Crossing, by: str, looks: Looking) -> None:
    """Undo one write. Raises CannotUndo, Later while nobody knows what became of another one, TransientError,
    PermanentError."""
    if one.undone_by is not None:
        raise CannotUndo("It is already undone.")
    if any(intent.pair == one.pair_id for side in SIDES for intent in looks.keeping.intents(side)):
        raise Later(1.0)
    source = looks.sides[one.side]
    before, after = (_values(one.body[key]) for key in ("before", "after"))
    item = source.get((one.item_id,)).get(one.item_id)
    key, version = f"undo-{kept.id}-{one.n}", one.body.get("version")
    try:
        match one.kind:
            case "create":
                with _put_first(space, kept, one, _ended):
                    _delete(source, item, after, key, version)
            case "update" | "restore":
                was = _agreed_before(looks.fields, one.side, before, after)
                with _put_first(space, kept, one, partial(_held, was)):
                    _forget_edits(looks, one.side, item, before, after)
                    _set_back(source, item, before, after, key, version, looks.running.opens)
            case "comment":
                source.delete_comment(one.item_id, _comment_to_delete(source, one), key)
            case "delete":
                if (back := _bring_back(source, item, before, one.item_id, key, looks.running.opens)) is not None:
                    looks.keeping.commit(Step(alone=[Only(one.side, back, "left_out")]))
            case _:
                raise CannotUndo("Nothing was written by this, so there is nothing to undo.")
    except ConflictError:
        raise CannotUndo(CHANGED) from None
    except GoneError:
        raise CannotUndo("It is not there any more.") from None
    except UnknownOutcomeError:
        raise CannotUndo("The app did not answer. Check the item, then undo it again.") from None

    def work(t: Transaction) -> None:
        crossings.set_undone(t, kept.id, one.n, by)
        mirror_looks.stir(t, space.id, kept.id, one.side, [one.item_id])  # so that this is not taken for somebody's edit

    space.transact(work)


def _comment_to_delete(source: Collection, one: Crossing) -> str:
    """Return a comment that was added, if it is there as it was added. Raises CannotUndo."""
    comment, text = str(one.body["comment"]), str(_values(one.body["after"])[COMMENT])
    found = next((c for c in source.comments(one.item_id) if c.id == comment), None)
    if found is None:
        raise CannotUndo("It is not there any more.")
    if found.text.strip() != text.strip():
        raise CannotUndo(CHANGED)
    return comment


def _values(kept: Mapping[str, Any]) -> dict[str, Value]:
    return {key: forms.value_of(value) for key, value in kept.items()}


def _is_as_written(item: Item, after: Mapping[str, Value], version: str | None) -> bool:
    """Say whether an item still holds what was written. What its app made of that in its own way counts as long as the item is
    at the version that the write made: then nobody edited it."""

    def holds(of: str, wrote: Value) -> bool:
        value = item.values.get(of)
        if isinstance(value, Unreadable) or value == wrote:
            return value == wrote
        return version is not None and item.version == version and landing(wrote, None, value) == "normalised"

    return all(holds(of, wrote) for of, wrote in after.items())


def _delete(source: Collection, item: Item | None, after: Mapping[str, Value], key: str, version: str | None) -> None:
    if item is None:
        return
    if not _is_as_written(item, after, version):
        raise CannotUndo(CHANGED)
    source.write(Write("delete", key, item.id, version=item.version))


def _set_back(
    source: Collection,
    item: Item | None,
    before: Mapping[str, Value],
    after: Mapping[str, Value],
    key: str,
    version: str | None,
    opens: Opens | None,
) -> None:
    if item is None:
        raise CannotUndo("It is not there any more.")
    if all(item.values.get(f) == before.get(f) for f in after):
        return
    if not _is_as_written(item, after, version):
        raise CannotUndo(CHANGED)
    source.write(Write("update", key, item.id, {f: before.get(f) for f in after}, item.version, opens=opens))


def _forget_edits(
    looks: Looking, side: Side, item: Item | None, before: Mapping[str, Value], after: Mapping[str, Value]
) -> None:
    """Let what is set back be no edit, so that what crossed crosses again once a person lets it."""
    if item is not None:
        fields = dict(looks.keeping.known(side, item.id).fields)
        fields |= {of: Standing(before.get(of), before.get(of), by_person=False) for of in after}
        looks.keeping.commit(Step(known={(side, item.id): Known(fields, item)}))


def _bring_back(
    source: Collection, item: Item | None, before: Mapping[str, Value], id: str, key: str, opens: Opens | None
) -> Item | None:
    """Bring a deleted item back: it, if it was brought back now. It stays alone, since its pair has ended."""
    if item is not None:
        return None
    if "restore" in source.capabilities.writes:
        return source.write(Write("restore", key, id)).item
    can = {f.id for f in source.schema().fields if f.can_write}
    values = {f: v for f, v in before.items() if f in can and v is not None}
    return source.write(Write("create", key, values=values, opens=opens)).item


def _agreed_before(
    fields: Sequence[Matched], side: Side, before: Mapping[str, Value], after: Mapping[str, Value]
) -> dict[str, Agreed | None]:
    """Return what was agreed before a write, of the matched fields that it wrote, so that what crossed by it is an edit again;
    None where that can't be told."""
    found: dict[str, Agreed | None] = {}
    for one in fields:
        if (of := one.pair.field(side)) in after:
            found[one.pair.id] = None
            with suppress(NoCounterpartError):
                found[one.pair.id] = Agreed(one.domain.lens(side).get(before.get(of)))
    return found


def _ended(pair: Pair) -> Pair:
    """End the pair of what was created, so that it is not created again."""
    return replace(pair, linked="closed", state="closed", asks=None)


def _held(was: Mapping[str, Agreed | None], pair: Pair) -> Pair:
    """Hold the fields that are set back, so that they are not written again before a person lets them."""
    if pair.linked != "open":
        return pair
    agreed = {id: of for id, of in {**pair.agreed, **was}.items() if of is not None}
    open_ = {id: of for id, of in pair.open.items() if id not in was}
    return replace(pair, agreed=agreed, open=open_, held=pair.held | was.keys(), state="held")


@contextmanager
def _put_first(space: Space, kept: KeptMirror, one: Crossing, change: Callable[[Pair], Pair]) -> Iterator[None]:
    """Around an undoing write, keep its pair as it is to be afterwards: whoever finds the write without knowing of it, as when
    this process dies, takes it for no edit or deletion that crosses. If it certainly was not carried out, the pair is as
    before."""
    row = space.read(lambda t: pairs.get(t, kept.id, one.pair_id))
    pair = keeping.as_pair(row) if row is not None and row.linked != "only" else None

    def put(now: Pair) -> None:
        def work(t: Transaction) -> None:
            keeping.put_pair(t, space, kept, now)
            mirror_looks.stir(t, space.id, kept.id, "left", [now.left])

        space.transact(work)

    if pair is not None:
        put(change(pair))
    try:
        yield
    except (CannotUndo, TransientError, PermanentError):
        if pair is not None:
            put(pair)
        raise
